"""The lens by mouse and keyboard; kept under a name; its customers as a list."""

import csv
import re

from tests.web.support import Station

#: Follows a link in the moment in which its words come to stand there.
FOLLOWED = """(words) => {
  const seen = new MutationObserver(() => {
    const link = [...document.querySelectorAll("a")].find((a) => a.textContent === words);
    if (!link) return;
    seen.disconnect();
    link.click();
  });
  seen.observe(document.body, { childList: true, subtree: true, characterData: true });
}"""

#: What waits for a moment waits for longer: the address is written after the link was followed.
SLOW_TIMERS = """() => {
  const usual = window.setTimeout;
  window.setTimeout = (act, after, ...given) => usual(act, (after ?? 0) + 300, ...given);
}"""


class Typed(Station):
    """Ranges that are typed, values that are looked for, charts of one's own choice."""

    def test_ranges_and_values_are_typed_and_charts_chosen(self):
        visits = {"field": "measure:frequency", "ranges": [[2, 5.000000000000001]]}
        code = self.values("trait:district")[-1]
        both = [visits, {"field": "trait:district", "values": [code]}]
        wanted = [self.send("post", "lens", {"clauses": both[:n]})["lens"]["customers"]
                  for n in (1, 2)]  # fmt: skip
        whole = self.send("post", "lens", {"clauses": [{**visits, "ranges": [[2, 6]]}]})
        self.assertEqual(wanted[0], whole["lens"]["customers"])  # up to and with five
        self.run_in_browser(self.typed, self.key(self.owner), code, wanted)
        self.assertEqual(self.troubles, [])

    def values(self, field):
        answer = self.send("post", "lens", {"clauses": [], "charts": [field]})
        return answer["charts"][0]["levels"]

    def typed(self, key, code, wanted):
        page = self.page
        self.come_in(page, key)
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_role("button", name="+ clause").click()
        page.get_by_label("Find a measure or trait").fill("visits")
        page.keyboard.press("Enter")
        page.get_by_label("at least").fill("2")
        page.get_by_label("at most").fill("1")
        page.get_by_text("The range ends before it begins.").wait_for()
        page.get_by_label("at most").fill("5")
        page.keyboard.press("Enter")
        self.lens_shows(wanted[0])
        page.keyboard.press("Escape")
        dock.get_by_text("Visits: 2 to 5").wait_for()
        dock.get_by_role("button", name="+ clause").click()
        page.get_by_label("Find a measure or trait").fill("district")
        page.keyboard.press("Enter")
        page.get_by_label("Find a value of District").fill(code)
        page.keyboard.press("Enter")
        self.lens_shows(wanted[1])
        page.keyboard.press("Escape")
        dock.get_by_text(f"District: {code}").wait_for()
        dock.get_by_role("button", name="Choose charts").click()
        page.get_by_label("Find a chart for the dock").fill("joined thr")
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        dock.get_by_role("heading", name="Joined through").wait_for()
        page.reload()
        dock.get_by_role("heading", name="Joined through").wait_for()
        dock.get_by_role("button", name="Choose charts").click()
        page.get_by_role("button", name="Show the usual charts").click()
        dock.get_by_role("heading", name="Joined through").wait_for(state="detached")
        self.accessible(page)


class Lens(Station):
    def test_the_lens_by_mouse_and_keyboard(self):
        wanted = {
            name: self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]
            for name, clause in (
                ("yard", {"field": "trait:garden", "values": ["yard"]}),
                ("both", {"field": "trait:garden", "values": ["yard", "balcony"]}),
                ("not", {"field": "trait:garden", "values": ["yard", "balcony"], "negated": True}),
            )
        }
        self.run_in_browser(self.lens, self.key(self.owner), wanted)
        self.assertEqual(self.troubles, [])

    def lens(self, key, wanted):
        page = self.page
        self.come_in(page, key)
        dock = page.get_by_role("complementary", name="Lens")

        def shows(count):
            there = page.get_by_test_id("customers-in-lens")
            there.and_(page.get_by_text(f"{count:,}", exact=True)).wait_for()

        yard = dock.get_by_role("button", name=re.compile("^Garden yard"))
        yard.hover()
        dock.get_by_text(f"would be {wanted['yard']:,}").wait_for()
        yard.click()
        shows(wanted["yard"])
        balcony = dock.get_by_role("button", name=re.compile("^Garden balcony"))
        balcony.focus()
        page.keyboard.press("Shift+Enter")
        shows(wanted["both"])
        dock.get_by_text("Garden: yard or balcony").wait_for()
        page.locator("h1").click()
        page.keyboard.press("!")
        shows(wanted["not"])
        dock.get_by_text("not").first.wait_for()
        page.reload()  # the lens stands in the address
        shows(wanted["not"])
        # A preview ends with what was pointed at, though the pointer rests where it stood.
        garden = dock.get_by_role("button", name=re.compile("^Garden allotment"))
        garden.hover()
        dock.get_by_text("would be").wait_for()
        page.keyboard.press("l")
        dock.get_by_text("would be").wait_for(state="detached")
        page.keyboard.press("l")
        shows(wanted["not"])
        page.locator("h1").click()
        page.keyboard.press("c")
        dock.get_by_text("Everyone. Pick any bar").wait_for()
        bars = dock.get_by_role("group", name=re.compile("^Days since last visit")).locator(
            "g[role=button]"
        )
        bars.nth(1).focus()
        page.keyboard.press("ArrowRight")  # the next bar, which a space picks as a click does
        page.keyboard.press(" ")
        bars.nth(2).and_(page.locator("[aria-pressed=true]")).wait_for()
        self.assertTrue(bars.nth(2).evaluate("bar => bar === document.activeElement"))
        page.keyboard.press("Home")
        self.assertTrue(bars.nth(0).evaluate("bar => bar === document.activeElement"))
        stops = bars.evaluate_all("all => all.filter(bar => bar.tabIndex === 0).length")
        self.assertEqual(stops, 1)
        page.locator("h1").click()
        page.keyboard.press("c")
        dock.get_by_text("Everyone. Pick any bar").wait_for()
        first, third = bars.nth(0).bounding_box(), bars.nth(2).bounding_box()
        page.mouse.move(first["x"] + first["width"] / 2, first["y"] + 20)
        page.mouse.down()
        page.mouse.move(third["x"] + third["width"] / 2, third["y"] + 20)
        page.mouse.up()
        dock.get_by_text("Days since last visit: under 60").wait_for()
        dock.get_by_role("button", name="+ clause").click()
        page.get_by_label("Find a measure or trait").fill("plan")
        page.get_by_role("dialog").get_by_role("option", name=re.compile("^Plan")).click()
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^Plan plus")).click()
        dock.get_by_text("Plan: plus").wait_for()

    def test_a_link_takes_along_what_was_picked_a_moment_before(self):
        yard = {"field": "trait:garden", "values": ["yard"]}
        count = self.send("post", "lens", {"clauses": [yard]})["lens"]["customers"]
        self.walk("Measures", self.at_once, count)

    def at_once(self, page, count):
        page.get_by_role("complementary", name="Lens").get_by_text("yard").wait_for()
        page.evaluate(SLOW_TIMERS)
        page.evaluate(FOLLOWED, f"List the {count:,}")
        page.get_by_role("button", name=re.compile("^Garden yard")).click()
        page.get_by_role("button", name=f"Save these {count:,} as a file").wait_for()
        self.assertIn("lens=", page.url)

    def test_kept_opened_listed_and_saved(self):
        yard = {"field": "trait:garden", "values": ["yard"]}
        count = self.send("post", "lens", {"clauses": [yard]})["lens"]["customers"]
        richest = self.get("customers", order="measure:monetary", down="1")["names"][0]
        self.run_in_browser(self.keeping, self.key(self.owner), count, richest)
        self.assertEqual(self.troubles, [])
        with (self.folder / "customers.csv").open(newline="") as file:
            rows = list(csv.reader(file))
        self.assertEqual(len(rows), count + 1)
        self.assertEqual({len(row) for row in rows}, {len(rows[0])})
        about = (self.folder / "dictionary.csv").read_text()
        for label in rows[0]:
            self.assertIn(label, about)
        self.assertTrue(self.study.history.filter(words__startswith="Saved a list").exists())

    def keeping(self, key, count, richest):
        page = self.page
        self.come_in(page, key)
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_role("link", name="List everyone").click()
        page.get_by_role("heading", name="Everyone", level=1).wait_for()
        page.get_by_role("button", name=re.compile("^Spend")).click()
        page.get_by_role("table").locator("tbody tr").first.get_by_text(richest).wait_for()
        dock.get_by_role("button", name=re.compile("^Garden yard")).click()
        page.get_by_role("heading", name="Customers in the lens").wait_for()
        page.locator("h1").click()
        page.keyboard.press("k")
        page.get_by_label("Keep this lens as").fill("Yard people")
        page.get_by_label(re.compile("^As a list")).check()
        page.get_by_role("button", name="Keep", exact=True).last.click()
        page.get_by_text("Yard people is kept.").wait_for()
        page.locator("h1").click()
        page.keyboard.press("c")
        page.get_by_role("heading", name="Everyone", level=1).wait_for()
        page.keyboard.press("k")
        page.get_by_role("button", name=re.compile("^Yard people")).click()
        dock.get_by_text("Yard people: in it").wait_for()
        page.get_by_role("button", name=f"Save these {count:,} as a file").click()
        page.get_by_role("button", name=re.compile("^CSV")).click()
        with page.expect_download() as saved:
            page.get_by_role("link", name="Get the file").click()
        saved.value.save_as(self.folder / "customers.csv")
        with page.expect_download() as saved:
            page.get_by_role("link", name="its data dictionary").click()
        saved.value.save_as(self.folder / "dictionary.csv")
        page.locator("h1").click()
        page.keyboard.press("k")
        page.get_by_role("button", name="Delete Yard people").click()
        page.get_by_text("Yard people is deleted.").wait_for()
        page.get_by_role("button", name="Undo").last.click()
        page.get_by_text("Undone").wait_for()
        page.get_by_role("button", name=re.compile("^Yard people list of")).wait_for()

    def test_why_a_customer_came_so_often_in_two_clicks(self):
        listed = self.get("customers", order="measure:frequency", down="1")
        number, name = listed["numbers"][0], listed["names"][0]
        page = self.get(f"customer/{number}")
        measures = self.get(f"customer/{number}/measures")["measures"]
        told = {row["name"]: row for row in measures}
        self.run_in_browser(self.why, self.key(self.owner), name, page, told)
        self.assertEqual(self.troubles, [])

    def why(self, key, name, found, told):
        page = self.page
        self.come_in(page, key)
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_role("link", name="List everyone").click()
        page.get_by_role("button", name=re.compile("^Visits")).click()
        page.get_by_role("link", name=name).first.click()
        page.get_by_role("heading", name=name, level=1).wait_for()
        self.accessible(page)
        why = page.get_by_role("region", name="Why")
        why.get_by_text(told["frequency"]["words"]).wait_for()
        receipts = page.get_by_role("region", name="Receipts")
        self.assertEqual(
            receipts.get_by_test_id("receipt-behind-it").count(), told["frequency"]["value"]
        )
        self.assertEqual(receipts.locator("ol > li").count(), found["total"])
        measures = page.get_by_role("region", name="Measures")
        measures.get_by_role("button", name=re.compile("^Days since last visit")).click()
        why.get_by_text(told["recency"]["words"]).wait_for()
        page.get_by_role("button", name=re.compile("^and \\d+ more")).click()
        page.get_by_role("button", name=re.compile("^Winter, share")).click()
        why.get_by_text(told["share_season_winter"]["words"]).wait_for()
        page.get_by_role("link", name="All in the lens").click()
        page.get_by_role("heading", name="Everyone", level=1).wait_for()
