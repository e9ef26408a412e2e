"""Portraits view by view: of a table without a log, on a narrow page and on a wide one."""

import re

from tests.web.support import Station, Walking

VIEWS = ("Threads", "Spread", "Rules", "Against", "Places", "Offers", "Book")
#: Three kinds of customers by three numbers, of twenty each, and two traits.
KINDS = ((5, 12, 210), (90, 2, 20), (40, 6, 620))


def table():
    lines = ["card,pause,orders,worth,plan,town"]
    for n in range(60):
        pause, orders, worth = KINDS[n % 3]
        plan, town = ("plus" if n % 3 == 2 else "card"), f"Town {n % 4}"
        lines.append(f"K{n},{pause + n % 7},{orders + n % 3},{worth + 3 * (n % 5)},{plan},{town}")
    return "\n".join(lines)


class EveryView:
    def every_view(self, page, ready):
        """Every view stands, is not wider than the page, and says nothing that is not a number."""
        for view in VIEWS:
            page.get_by_role("tab", name=view, exact=True).click()
            page.get_by_text(ready[view]).locator("visible=true").first.wait_for()
            page.get_by_label("Loading").first.wait_for(state="detached")
            for width in (1024, 1920):
                page.set_viewport_size({"width": width, "height": 800})
                wide = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                self.assertLessEqual(wide, 0, (view, width))
                self.accessible(page)
            shown = page.locator("main").inner_text()
            self.assertNotRegex(shown, r"\b(NaN|undefined|null|Infinity)\b", view)


class WithoutALog(EveryView, Walking):
    def test_every_view_of_a_table(self):
        upload = self.upload(table(), "people.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        path = f"intakes/{intake['id']}"
        self.wait(lambda: self.get(path)["state"] == "counted")
        for name in ("pause", "orders", "worth"):
            self.send("put", f"measure/trait:{name}", {"role": "shapes"})
        self.adopt(3)
        names = [segment["name"] for segment in self.get("portraits")["segments"]]
        self.walk("Portraits", self.views, names)

    def views(self, page, names):
        self.every_view(page, {
            "Threads": names[0], "Spread": "Pause", "Rules": "In one line", "Against": "told as",
            "Places": "Town", "Offers": "No offers yet", "Book": "At a glance",
        })  # fmt: skip
        page.set_viewport_size({"width": 1280, "height": 800})
        page.get_by_role("button", name="Write the book").click()
        page.get_by_text(re.compile("^Written ")).wait_for()
        told = page.locator("main").inner_text()
        for name in names:
            self.assertIn(name, told)
        self.assertNotIn("£", told)


class TwoSegments(EveryView, Station):
    once = Station.swept

    def test_every_view_with_two_segments(self):
        self.adopt(2)
        names = [segment["name"] for segment in self.get("portraits")["segments"]]
        self.walk("Portraits", self.views, names)

    def views(self, page, names):
        self.every_view(page, {
            "Threads": names[0], "Spread": "Tick: median", "Rules": "In one line",
            "Against": "told as", "Places": "district", "Offers": "No offers yet",
            "Book": "At a glance",
        })  # fmt: skip

    def test_a_view_that_is_on_its_way_or_did_not_come(self):
        self.adopt(2)
        self.walk("Portraits", self.waited_for)

    def waited_for(self, page):
        for view, path, there in (
            ("Rules", "rules", "In one line"), ("Places", "places", "district"),
            ("Offers", "offers", "No offers yet"), ("Book", "book", "At a glance"),
        ):  # fmt: skip
            self.held_and_refused(page, view, re.compile(rf"/portraits/{path}\?"))
            page.get_by_role("button", name="Try again").click()
            page.get_by_text(there).locator("visible=true").first.wait_for()
            page.get_by_role("alert").wait_for(state="detached")
        self.troubles.clear()  # of what was refused

    def held_and_refused(self, page, view, asked):
        held = []
        page.route(asked, lambda route: held.append(route))
        page.get_by_role("tab", name=view, exact=True).click()
        page.get_by_label("Loading").wait_for()
        late = page.get_by_test_id("out-of-date")
        late.wait_for()
        # It takes its time, and nothing that stands there is of before.
        self.assertEqual(late.evaluate("e => getComputedStyle(e, '::after').content"), "none")
        for route in held:
            route.fulfill(status=404, json={"detail": "It is not there just now."})
        page.unroute(asked)
        page.get_by_role("alert").filter(has_text="It is not there just now.").wait_for()
        self.accessible(page)

    def test_rules_that_tell_the_lens_from_the_rest(self):
        self.adopt(2)
        yard = {"field": "trait:garden", "values": ["yard"]}
        lens = self.send("post", "lens", {"clauses": [yard]})
        told = self.get("portraits/rules", against="rest", lens=lens["digest"])
        self.walk("Portraits", self.lens_and_rest, told)

    def lens_and_rest(self, page, told):
        page.get_by_role("tab", name="Rules", exact=True).click()
        page.get_by_role("button", name=re.compile("^Garden yard")).click()
        page.get_by_label("What is compared").select_option("rest")
        lines = page.get_by_role("region", name="In one line")
        lines.get_by_text("The rest", exact=True).wait_for()
        lines.get_by_text("Garden yard", exact=True).wait_for()
        page.get_by_role("row", name=re.compile("^In the lens")).get_by_text("100%").wait_for()
        rest = next(head for head in told["columns"] if head["number"] == 2)
        self.assertEqual(rest["name"], "The rest")


class TwelveSegments(EveryView, Station):
    def once(self):
        """Up to twelve groups tried."""
        draft = self.get("groups")["recipe"]["draft"] | {"most": 12}
        self.send("put", "groups/recipe", draft)
        self.sweep()

    def test_every_view_with_twelve_segments_of_long_names(self):
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == 12)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        for segment in self.get("portraits")["segments"]:
            name = f"Gardeners of the long valley, number {segment['number']:02d}x"
            self.send("put", f"portraits/segments/{segment['id']}", {"name": name},
                      **{"If-Match": str(segment["revision"])})  # fmt: skip
        self.walk("Portraits", self.views)

    def views(self, page):
        self.every_view(page, {
            "Threads": "Most typical", "Spread": "Tick: median", "Rules": "In one line",
            "Against": "told as", "Places": "district", "Offers": "No offers yet",
            "Book": "At a glance",
        })  # fmt: skip
        book = page.get_by_role("article")
        self.assertEqual(book.count(), 13)
