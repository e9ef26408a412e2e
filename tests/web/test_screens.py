"""Every screen: a hand's, a wall's, enlarged; colours that are forced; paper."""

import re

from tests.web.support import Station

STATIONS = ("Ledger", "Measures", "Scores", "Groups", "Portraits", "Crossings", "Campaigns")
#: What is wider than the page, or than the station in it.
SPILT = """() => [document.scrollingElement, document.getElementById("station")]
  .map((box) => box.scrollWidth - box.clientWidth)"""
#: Pictures with more than one stop for Tab among their own marks.
STOPS = """() => [...document.querySelectorAll("#station [data-marks]")]
  .map((frame) => [frame.getAttribute("aria-label"),
    [...frame.querySelectorAll(":is(svg *, svg, [data-reached])[tabindex='0']")]
      .filter((mark) => mark.parentElement.closest("[data-marks]") === frame).length])
  .filter(([, stops]) => stops !== 1)"""
#: How far a picture as wide as its station reaches beyond it.
BEYOND = """(label) => {
  const edge = document.getElementById("station").getBoundingClientRect().right;
  const all = [...document.querySelectorAll(`[aria-label^="${label}"]`)];
  return Math.max(...all.map((picture) => picture.getBoundingClientRect().right - edge));
}"""
#: Whether what is drawn can be told from what it is drawn on.
COLOURS = """(mark) => {
  const look = getComputedStyle(mark);
  return [look.borderBottomColor, look.backgroundColor, getComputedStyle(document.body).color];
}"""


class Screens(Station):
    once = Station.swept

    def setUp(self):
        super().setUp()
        self.adopt()

    def test_nothing_spills_from_a_wall_to_a_hand(self):
        self.walk("Ledger", self.widths)

    def widths(self, page):
        for name in STATIONS:
            self.open_station(page, name)
            page.locator("#station h2, #station table, #station svg").first.wait_for()
            page.wait_for_function(f"() => ({STOPS})().length === 0", timeout=10_000)
            for width in (2560, 1024, 640, 320):
                page.set_viewport_size({"width": width, "height": 800})
                with self.subTest(station=name, width=width):
                    self.settled(page, f"() => Math.max(...({SPILT})()) <= 0")
            page.set_viewport_size({"width": 320, "height": 256})  # 1280 wide, four times as large
            page.get_by_role("heading", name=name, level=1).wait_for()
            self.accessible(page)
            page.set_viewport_size({"width": 1280, "height": 800})

    def settled(self, page, holds):
        """It comes to hold within a moment: pictures follow a page after it was drawn."""
        page.wait_for_function(holds, timeout=10_000)

    def test_the_main_picture_follows_a_page_that_narrows(self):
        self.walk("Ledger", self.narrowing)

    def narrowing(self, page):
        for station, picture in (("Ledger", "money by month"), ("Portraits", "Visits: ")):
            self.open_station(page, station)
            drawn = page.locator(f'svg[aria-label^="{picture}"]').first
            page.set_viewport_size({"width": 2560, "height": 800})
            page.wait_for_function(
                "(svg) => svg.getBoundingClientRect().width > 900", arg=drawn.element_handle()
            )
            page.set_viewport_size({"width": 1024, "height": 800})
            self.settled(page, f"() => ({BEYOND})({picture!r}) <= 0")

    def test_marks_beside_cells_are_no_part_of_what_is_copied(self):
        self.walk("Portraits", self.copied)

    def copied(self, page):
        table = page.get_by_role("table", name="Measures by segment")
        mark = table.locator("[aria-hidden=true]").filter(has_text=re.compile(r"\S")).first
        mark.wait_for(state="attached")
        said, copied = mark.evaluate(
            """(mark) => {
              const selection = getSelection();
              selection.selectAllChildren(mark.closest("tr"));
              return [mark.textContent.trim(), selection.toString()];
            }"""
        )
        self.assertNotIn(said, copied)
        self.assertRegex(copied, r"\d")

    def test_the_trail_names_every_station_to_a_hand(self):
        self.walk("Measures", self.trail)

    def trail(self, page):
        page.set_viewport_size({"width": 320, "height": 640})
        for name in reversed(STATIONS):
            self.open_station(page, name)
        page.get_by_role("button", name="Open the lens").click()
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_role("button", name=re.compile("^Garden yard")).click()
        dock.get_by_text("yard").first.wait_for()
        dock.get_by_role("button", name="Collapse the lens").click()
        page.get_by_role("button", name="Open the lens").wait_for()

    def test_colours_that_are_forced_leave_marks_and_tabs(self):
        self.walk("Groups", self.forced)

    def forced(self, page):
        page.emulate_media(forced_colors="active", color_scheme="dark")
        here, other = (page.get_by_role("tab", name=name) for name in ("String of k", "Map"))
        line, ground, _ = here.evaluate(COLOURS)
        self.assertNotEqual(line, ground)
        self.assertEqual(other.evaluate(COLOURS)[0], "rgba(0, 0, 0, 0)")
        dock = page.get_by_role("complementary", name="Lens")
        bar = dock.get_by_role("button", name=re.compile("^Garden yard")).locator(".bg-everyone")
        _, drawn, _ = bar.evaluate(COLOURS)
        _, card, ink = dock.evaluate(COLOURS)
        self.assertNotIn(drawn, (card, "rgba(0, 0, 0, 0)"))
        self.assertNotEqual(card, ink)
        self.assertEqual(self.told(page.get_by_role("navigation", name="Stations")), ink)
        page.emulate_media(forced_colors="none", color_scheme="light")

    def told(self, trail):
        """The colour of the rings that say what state a station is in."""
        ring = trail.locator("circle[stroke]").first
        return ring.evaluate("(mark) => getComputedStyle(mark).stroke")

    def test_on_paper_a_station_stands_whole_and_says_what_it_is_of(self):
        yard = {"field": "trait:garden", "values": ["yard"]}
        found = self.send("post", "lens", {"clauses": [yard]})["lens"]
        everyone = self.get("measures")["customers"]
        self.walk("Measures", self.paper, found["customers"], everyone)

    def paper(self, page, count, everyone):
        page.get_by_role("button", name=re.compile("^Garden yard")).click()
        page.get_by_test_id("customers-in-lens").get_by_text(f"{count:,}").wait_for()
        page.emulate_media(media="print")
        page.get_by_text(f"Lens: Garden: yard, {count:,} of {everyone:,} customers.").wait_for()
        for gone in ("Lens", "Stations"):
            self.assertEqual(page.get_by_role("complementary", name=gone).count(), 0)
            self.assertEqual(page.get_by_role("navigation", name=gone).count(), 0)
        self.assertFalse(page.get_by_role("button", name="Add a formula").is_visible())
        hidden = page.locator("#station").evaluate("(box) => box.scrollHeight - box.clientHeight")
        self.assertEqual(hidden, 0)
        page.emulate_media(media="screen")


class WayBack(Station):
    def test_back_leads_to_what_was_open_and_where_one_stood(self):
        self.walk("Measures", self.back)

    def back(self, page):
        station = page.locator("#station")
        page.get_by_role("button", name=re.compile("^Shares by weekday")).click()
        spend = page.get_by_role("button", name=re.compile("^Spend")).first
        spend.click()
        steps = page.get_by_role("region", name="Preparation of Spend")
        steps.wait_for()
        monday = page.get_by_role("button", name=re.compile("^Monday")).first
        monday.scroll_into_view_if_needed()
        page.wait_for_function("() => document.getElementById('station').scrollTop > 300")
        stood = station.evaluate("(box) => box.scrollTop")
        self.open_station(page, "Scores")
        page.wait_for_function("() => document.getElementById('station').scrollTop === 0")
        page.go_back()
        steps.wait_for()
        monday.wait_for()
        page.wait_for_function(
            "(stood) => Math.abs(document.getElementById('station').scrollTop - stood) < 3",
            arg=stood,
        )
        page.reload()  # what is opened stands in the address
        steps.wait_for()
        page.get_by_role("link", name="List everyone").click()
        table = page.get_by_role("table")
        table.locator("tbody tr").first.wait_for()
        table.locator("xpath=..").evaluate("(box) => box.scrollTo(0, 2700)")
        row = table.locator("tr[aria-rowindex='106']")
        name = row.get_by_role("link").first.inner_text()
        row.get_by_role("link").first.click()
        page.get_by_role("heading", name=name, level=1).wait_for()
        page.go_back()
        row.get_by_role("link", name=name).first.wait_for()
        self.assertGreater(table.locator("xpath=..").evaluate("(box) => box.scrollTop"), 2600)

    def test_tables_stand_behind_pictures(self):
        threads = [t for t in self.get("measures")["threads"] if t["numbers"]]
        self.walk("Measures", self.tables, len(threads))

    def tables(self, page, count):
        page.get_by_role("button", name="Show as a table", exact=True).click()
        table = page.get_by_role("table", name="Measures")
        table.locator("tbody tr").first.wait_for()
        self.assertEqual(table.locator("tbody tr").count(), count)
        self.accessible(page)
        page.get_by_role("tab", name="Alike").click()
        page.get_by_role("button", name="Show as a table", exact=True).click()
        table = page.get_by_role("table", name="How alike measures and traits are")
        likeness = table.locator("tbody tr td:last-child").all_inner_texts()
        told = [abs(float(each.replace("−", "-"))) for each in likeness if each != "–"]
        self.assertEqual(told, sorted(told, reverse=True))
        self.assertGreater(len(told), 20)

    def test_a_card_gives_the_focus_back_to_what_opened_it(self):
        self.walk("Measures", self.focus)

    def focus(self, page):
        focused = "() => document.activeElement?.getAttribute('aria-label')"
        account = page.get_by_role("button", name=re.compile("^Signed in as"))
        label = account.get_attribute("aria-label")
        account.focus()
        page.keyboard.press("Enter")
        entry = page.get_by_role("menuitem", name="People of this study")
        entry.wait_for()
        page.keyboard.press("ArrowDown")
        entry.and_(page.locator(":focus")).wait_for()
        page.keyboard.press("Enter")
        card = page.get_by_role("dialog", name=re.compile("^People of"))
        card.wait_for()
        page.keyboard.press("Escape")
        card.wait_for(state="detached")
        page.wait_for_function(f"(label) => ({focused})() === label", arg=label)
        keys = page.get_by_role("button", name="? keys")
        keys.focus()
        page.keyboard.press("Enter")
        page.get_by_role("dialog", name="Keys").wait_for()
        page.keyboard.press("Escape")
        keys.and_(page.locator(":focus")).wait_for()
