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
