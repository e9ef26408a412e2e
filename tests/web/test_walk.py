"""One walk through all seven stations, as an analyst would make it."""

import csv
import re
from pathlib import Path

from tests.server.support import SMALL
from tests.web.support import BrowserCase, Station


class Walk(BrowserCase):
    def test_from_raw_log_to_retention_list(self):
        link = self.link(self.owner)
        self.run_in_browser(self.walk, link)
        self.assertEqual(self.troubles, [])

    def walk(self, link):
        page = self.page
        self.use_link(page, link)
        for station in (
            self.ledger, self.measures, self.scores, self.groups, self.portraits, self.crossings,
            self.campaigns,
        ):  # fmt: skip
            station(page)
            self.accessible(page)
        self.back_and_forth(page)

    def lens_count(self, page):
        """The first number that the lens tells."""
        told = page.get_by_test_id("customers-in-lens").inner_text()
        return int("".join(c for c in told.split()[0] if c.isdigit()))

    def ledger(self, page):
        page.get_by_text("No log has been imported yet").wait_for()
        for name, noun in (("log.csv", "lines"), ("members.csv", "customers")):
            page.get_by_test_id("file").first.set_input_files(SMALL / name)
            page.get_by_role("region", name=f"Review of {name}").wait_for()
            page.get_by_role("button", name=f"{noun}").filter(has_text="Import these").click()
            page.get_by_role("region", name="Files").get_by_text(name).wait_for()
        head = page.locator("header p").first
        before = head.inner_text()
        page.get_by_role("switch", name="Voided").click()
        page.get_by_text("“Voided” is off").wait_for()
        page.wait_for_function(
            "old => document.querySelector('main header p').innerText !== old", arg=before
        )
        page.get_by_role("button", name="Undo", exact=True).click()
        page.wait_for_function(
            "old => document.querySelector('main header p').innerText === old", arg=before
        )
        page.get_by_role("button", name="Receipt came twice", exact=True).click()
        lines = page.get_by_role("region", name="Lines", exact=True)
        lines.get_by_role("heading", name="lines: Receipt came twice").wait_for()
        self.assertIn("Receipt came twice", lines.locator("tbody tr").first.inner_text())

    def measures(self, page):
        self.open_station(page, "Measures")
        page.get_by_role("button", name="Visits").first.click()
        page.get_by_text("Purchases in the window: receipts").wait_for()
        page.get_by_role("radio", name="square root").click()
        page.get_by_text("Visits is prepared differently").wait_for()
        visits = page.get_by_role("region", name="Preparation of Visits")
        visits.get_by_text("Chosen by hand.").wait_for()
        page.keyboard.press("Escape")
        page.locator("h1").click()
        page.keyboard.press("z")
        page.get_by_text("Undone: Visits is prepared differently").wait_for()
        visits.get_by_text("As proposed:").wait_for()
        page.get_by_text("The window’s ledger").wait_for()

    def scores(self, page):
        self.open_station(page, "Scores")
        everyone = self.lens_count(page)
        plot = page.get_by_role("button", name="Days since last visit band 5, Visits band 5:").first
        wanted = int(plot.get_attribute("aria-label").split(": ")[1].split()[0].replace(",", ""))
        plot.click()
        page.wait_for_url("**lens=*")
        page.wait_for_function(
            "n => document.querySelector('[data-testid=customers-in-lens]').innerText === n",
            arg=str(wanted),
        )
        page.go_back()
        page.wait_for_function(
            "n => document.querySelector('[data-testid=customers-in-lens]').innerText === n",
            arg=str(everyone),
        )

    def groups(self, page):
        self.open_station(page, "Groups")
        page.get_by_role("button", name="Try 2 to 8 groups").click()
        page.get_by_role("button", name="8 groups: silhouette").wait_for()
        page.get_by_role("button", name="4 groups: silhouette").click()
        page.get_by_role("button", name="Adopt these 4 groups").click()
        page.get_by_role("button", name="These 4 are adopted").wait_for()

    def portraits(self, page):
        self.open_station(page, "Portraits")
        name = page.get_by_label("Name of the segment")
        name.fill("Garden regulars")
        page.get_by_role("button", name="Rename").click()
        page.get_by_role("columnheader").get_by_text("Garden regulars").wait_for()
        # What was said lies over the button, and lets the click through.
        said = page.get_by_role("status").get_by_text("is now Garden regulars.")
        said.wait_for()
        at = said.bounding_box()
        page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
        page.get_by_role("button", name="Look at these").click()
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_text("Segment: Garden regulars").wait_for()
        # Another date: the same yardstick places it, and the page says so.
        page.get_by_role("button", name="to 30 Jun 2026").click()
        page.get_by_label("Last day included").fill("2025-12-31")
        page.get_by_role("button", name="Look", exact=True).click()
        page.get_by_text("placed by them, without refitting").wait_for()
        page.go_back()
        page.get_by_text("placed by them, without refitting").wait_for(state="detached")
        page.get_by_role("button", name="Clear").click()

    def crossings(self, page):
        self.open_station(page, "Crossings")
        matrix = page.get_by_role("region", name="Matrix")
        moved = re.compile("^Garden regulars → (?!Garden regulars)")
        matrix.get_by_role("button", name=moved, disabled=False).first.click()
        page.get_by_role("region", name="Why").wait_for()
        lens = page.get_by_role("complementary", name="Lens")
        lens.get_by_text("30 Jun 2025 to 30 Jun 2026: ").wait_for()

    def campaigns(self, page):
        page.get_by_role("button", name="Clear").click()
        page.get_by_role("link", name="Plan a campaign for all").click()
        page.get_by_role("button", name="Plan a campaign for everyone").click()
        page.get_by_text("This fork finds a rise of").wait_for()
        page.get_by_label("Name").fill("Spring letter")
        page.get_by_role("heading", level=1).click()
        page.get_by_role("button", name="Draw the holdout").click()
        page.get_by_role("button", name="Hand over the list").click()
        with page.expect_download() as download:
            page.get_by_role("button", name="Save the list").click()
        path = Path(self.folder / "list.csv")
        download.value.save_as(path)
        with path.open(newline="") as file:
            rows = list(csv.DictReader(file))
        self.assertGreater(len(rows), 100)
        self.assertTrue(all(row["address"].endswith("@example.org") for row in rows))
        self.assertIn("Garden regulars", {row["segment"] for row in rows})

    def back_and_forth(self, page):
        page.keyboard.press("1")
        page.get_by_role("heading", name="Ledger", level=1).wait_for()
        page.keyboard.press("?")
        page.get_by_role("dialog").get_by_text("undo my last change").wait_for()
        page.keyboard.press("Escape")
        page.keyboard.press("l")
        page.get_by_role("button", name="Open the lens").wait_for()
        wide = page.evaluate("document.documentElement.scrollWidth <= innerWidth")
        self.assertTrue(wide, "nothing scrolls sideways at 1280")


class TwoPeople(Station):
    def test_a_change_by_one_is_seen_by_the_other(self):
        other = self.person("olga")
        self.study.members.create(person=other, role="reader")
        keys = self.key(self.owner), self.key(other)
        self.run_in_browser(self.together, *keys)
        self.assertEqual(self.troubles, [])

    def together(self, mine, theirs):
        page, other = self.page, self.new_page()
        self.come_in(page, mine)
        self.come_in(other, theirs)
        page.get_by_role("switch", name="Voided").wait_for()
        # A reader sees the switch and cannot use it.
        self.assertTrue(other.get_by_role("switch", name="Voided").is_disabled())
        page.get_by_role("switch", name="Voided").click()
        other.locator("[role=switch][aria-label=Voided][data-state=unchecked]").wait_for()
