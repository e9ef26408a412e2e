"""Empty, failed and under review; the lens by mouse and keyboard; what a reader sees."""

import re

from tests.server.support import LOG, SMALL
from tests.web.support import BrowserCase

STATIONS = {
    "Measures": "Measures come from a log",
    "Scores": "Scores are cut from measures",
    "Groups": "Groups are made from measures",
    "Portraits": "Portraits are drawn of adopted groups",
    "Crossings": "Crossings are counted between segments",
    "Campaigns": "No campaign is planned yet",
}


class States(BrowserCase):
    def open_station(self, page, name):
        stations = page.get_by_role("navigation", name="Stations")
        stations.get_by_role("link", name=re.compile(f"^{name}")).click()
        page.get_by_role("heading", name=name, level=1).wait_for()

    def test_empty_stations_say_what_will_be_there(self):
        self.run_in_browser(self.empty, self.link(self.owner))
        self.assertEqual(self.troubles, [])

    def empty(self, link):
        page = self.page
        self.come_in(page, link)
        page.get_by_text("No log has come in yet").wait_for()
        self.assertEqual(page.get_by_role("button", name="Bring in a file").count(), 1)
        for name, words in STATIONS.items():
            self.open_station(page, name)
            page.get_by_role("heading", name=words).wait_for()
        page.get_by_text("No customers to look at yet").wait_for()
        self.open_station(page, "Measures")
        page.get_by_role("link", name="Go to the Ledger").click()
        page.get_by_role("heading", name="Ledger", level=1).wait_for()

    def test_files_that_cannot_be_read_and_mappings_corrected(self):
        for name, text in (("notes.csv", "only words\nand more\n"), ("log.csv", LOG)):
            (self.folder / name).write_text(text)
        self.run_in_browser(self.review, self.link(self.owner))
        # The refusal is an answer of status 400, which the browser's console repeats.
        self.assertTrue(all("400" in trouble or "409" in trouble for trouble in self.troubles))

    def review(self, link):
        page = self.page
        self.come_in(page, link)
        files = page.get_by_test_id("file").first
        files.set_input_files(self.folder / "notes.csv")
        page.get_by_role("alert").get_by_text("No comma, semicolon, tab or bar").wait_for()
        files.set_input_files(self.folder / "log.csv")
        page.get_by_role("region", name="Review of log.csv").wait_for()
        page.get_by_label("How card is read").select_option("out")
        page.get_by_role("alert").get_by_text("Say which column holds the customer").wait_for()
        page.get_by_label("How department is read").select_option("out")
        page.get_by_role("row", name=re.compile("^department")).get_by_text(
            "your choice"
        ).wait_for()
        page.get_by_role("button", name="Count these 12 lines").click()
        page.get_by_role("region", name="Files").get_by_text("log.csv").wait_for()
        page.get_by_test_id("file").first.set_input_files(self.folder / "log.csv")
        page.get_by_role("alert").get_by_text("log.csv is already in").wait_for()

    def counted(self):
        for name in ("log.csv", "members.csv"):
            upload = self.upload((SMALL / name).read_text(), name, part=1 << 20)
            intake = self.send("post", "intakes", {"upload": upload}, 201)
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            path = f"intakes/{intake['id']}"
            self.wait(lambda path=path: self.get(path)["state"] == "counted")

    def test_the_lens_by_mouse_and_keyboard(self):
        self.counted()
        wanted = {
            name: self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]
            for name, clause in (
                ("yard", {"field": "trait:garden", "values": ["yard"]}),
                ("both", {"field": "trait:garden", "values": ["yard", "balcony"]}),
                ("not", {"field": "trait:garden", "values": ["yard", "balcony"], "negated": True}),
            )
        }
        self.run_in_browser(self.lens, self.link(self.owner), wanted)
        self.assertEqual(self.troubles, [])

    def lens(self, link, wanted):
        page = self.page
        self.come_in(page, link)
        dock = page.get_by_role("complementary", name="Lens")

        def shows(count):
            text = f"{count:,}"
            page.wait_for_function(
                "n => document.querySelector('aside .text-20')?.innerText === n", arg=text
            )

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
        page.locator("h1").click()
        page.keyboard.press("c")
        dock.get_by_text("Everyone. Pick any bar").wait_for()
        bars = dock.get_by_role("group", name=re.compile("^Days since last visit")).locator(
            "g[role=button]"
        )
        first, third = bars.nth(0).bounding_box(), bars.nth(2).bounding_box()
        page.mouse.move(first["x"] + first["width"] / 2, first["y"] + 20)
        page.mouse.down()
        page.mouse.move(third["x"] + third["width"] / 2, third["y"] + 20)
        page.mouse.up()
        dock.get_by_text("Days since last visit: under 60").wait_for()
        dock.get_by_role("button", name="+ clause").click()
        page.get_by_label("Find a measure or trait").fill("plan")
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^Plan")).click()
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^Plan plus")).click()
        dock.get_by_text("Plan: plus").wait_for()

    def test_a_reader_looks_and_is_offered_no_change(self):
        self.counted()
        reader = self.person("rita")
        self.study.members.create(person=reader, role="reader")
        self.run_in_browser(self.reader, self.link(reader))
        self.assertEqual(self.troubles, [])

    def reader(self, link):
        page = self.page
        self.come_in(page, link)
        page.get_by_role("region", name="Rules").wait_for()
        self.assertEqual(page.get_by_role("button", name="Bring in a file").count(), 0)
        self.assertEqual(page.get_by_role("button", name="take back", exact=True).count(), 0)
        self.open_station(page, "Measures")
        page.get_by_label("Role of Visits").wait_for()
        self.assertTrue(page.get_by_label("Role of Visits").is_disabled())
        self.open_station(page, "Groups")
        page.get_by_role("button", name="Try 2 to 8 groups").wait_for()
        self.assertTrue(page.get_by_role("button", name="Try 2 to 8 groups").is_disabled())
