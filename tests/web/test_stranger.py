"""Files of strangers, brought in by hand: a till's export in German, a table of places."""

import random
import re
import tempfile
from pathlib import Path

from sortija.server.groups.models import Segment
from sortija.server.ledger.models import Intake
from sortija.server.studies.models import Study
from tests.core.ledger.till_logs import LOGS
from tests.web.support import BrowserCase

GERMAN = next(log for log in LOGS if log.name == "german")


def districts():
    """Sixty districts of three kinds, told by four figures and by a column of their kind."""
    rng = random.Random(3)
    rows = ["district;households;income;cars_per_100;PLZ;class"]
    for n in range(60):
        size, income, cars = ((800, 52_000, 70), (2500, 31_000, 45), (5000, 24_000, 22))[n % 3]
        rows.append(
            f"B{100 + n};{rng.gauss(size, 150):.0f};{rng.gauss(income, 2500):.0f};"
            f"{rng.gauss(cars, 4):.1f};0{4000 + n % 7};{('outer', 'middle', 'inner')[n % 3]}"
        )
    return "\n".join(rows) + "\n"


class Stranger(BrowserCase):
    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def begin(self, key, name, currency):
        """A study of one's own, in the currency that one counts in."""
        page = self.page
        self.come_in(page, key)
        page.goto("/#all")
        page.get_by_label("Name of a new study").fill(name)
        page.get_by_label("Currency").select_option(currency)
        page.get_by_role("button", name="Create a study").click()
        page.get_by_role("heading", name="No log has been imported yet").wait_for()
        return page

    def bring(self, page, path):
        page.get_by_test_id("file").set_input_files(path)
        page.get_by_role("table", name="Columns of the file").wait_for()

    def test_a_till_export_in_german_to_named_segments(self):
        path = GERMAN.write(self.folder)
        self.run_in_browser(self.german, self.key(self.owner), path)
        self.assertEqual(self.troubles, [])
        study = Study.objects.get(name="Laden am Markt")
        self.assertEqual(study.currency, "€")
        intake = Intake.objects.get(study=study)
        right = GERMAN.right()
        for column in intake.guesses:
            self.assertIn(column["role"], right[column["column"]])

    def german(self, key, path):
        page = self.begin(key, "Laden am Markt", "€")
        self.bring(page, path)
        needs = page.get_by_role("region", name="Review of german.csv")
        for said in ("the customer or card Kundennr", "the date Datum", "Betrag"):
            needs.get_by_text(re.compile(said.replace(" ", r"\s*"))).first.wait_for()
        self.accessible(page)
        # One column is taken back: what is missing is said, and nothing can be imported.
        role = page.get_by_label("How Datum is read")
        role.select_option("out")
        needs.get_by_text("missing").wait_for()
        importing = needs.get_by_role("button", name=re.compile("^Import these"))
        page.wait_for_function(
            "() => [...document.querySelectorAll('button')].some("
            "(b) => b.textContent.startsWith('Import these') && b.disabled)"
        )
        role.select_option("moment")
        page.wait_for_function(
            "() => [...document.querySelectorAll('button')].some("
            "(b) => b.textContent.startsWith('Import these') && !b.disabled)"
        )
        importing.click()
        page.get_by_text(re.compile("lines count. Check below")).wait_for()
        page.get_by_text(re.compile("€[0-9,]+")).first.wait_for()
        self.rule(page)
        page.get_by_role("link", name="Go on to Measures").click()
        page.get_by_role("heading", name="Measures", level=1).wait_for()
        self.open_station(page, "Groups")
        page.get_by_role("button", name=re.compile("^Try 2 to ")).click()
        page.get_by_role("button", name=re.compile("^Adopt these")).click()
        page.get_by_role("button", name=re.compile("^These .* are adopted")).wait_for()
        self.open_station(page, "Portraits")
        page.get_by_role("table").first.wait_for()
        page.get_by_text(re.compile("^Name proposed from")).first.wait_for()

    def rule(self, page):
        """A rule of one's own says what it would do before it is kept, and is on when it is."""
        page.get_by_role("button", name="Add a rule").click()
        page.get_by_label("Its name").fill("Fair")
        page.get_by_label("Lines whose").select_option("date")
        page.get_by_label("is from").fill("2025-03-10")
        page.get_by_label("up to").fill("2025-03-12")
        page.get_by_text(re.compile(r"^Sets aside \d+ lines that count now: €[\d,]+ of")).wait_for()
        page.get_by_role("button", name="Add this rule").click()
        page.get_by_text("“Fair” is on.").wait_for()
        page.get_by_role("switch", name="Fair").and_(page.locator("[aria-checked=true]")).wait_for()
        page.keyboard.press("Escape")
        page.locator("h1").click()
        page.keyboard.press("z")
        page.get_by_role("switch", name="Fair").wait_for(state="detached")

    def test_the_same_by_keyboard_alone(self):
        path = GERMAN.write(self.folder)
        self.run_in_browser(self.by_keys, self.key(self.owner), path)
        self.assertEqual(self.troubles, [])
        study = Study.objects.get(name="Laden am Markt")
        self.assertEqual(study.currency, "€")
        names = {segment.name for segment in Segment.objects.filter(yardstick__study=study)}
        self.assertIn("Nachbarn", names)

    def reach(self, page, wanted, back=False):
        """Go there by Tab, as whoever has no pointer must."""
        there = wanted.first.element_handle()
        page.wait_for_function("(mark) => !mark.disabled", arg=there)
        for _ in range(250):
            if wanted.first.evaluate("(mark) => mark === document.activeElement"):
                return
            page.keyboard.press("Shift+Tab" if back else "Tab")
        self.fail(f"Tab does not lead to {wanted}")

    def press(self, page, wanted, key="Enter", back=False):
        self.reach(page, wanted, back)
        page.wait_for_function(
            "() => !document.activeElement.disabled"
            " && document.activeElement.getAttribute('aria-disabled') !== 'true'"
        )
        page.keyboard.press(key)

    def by_keys(self, key, path):
        page = self.page
        self.come_in(page, key)
        page.goto("/#all")
        self.reach(page, page.get_by_label("Name of a new study"))
        page.keyboard.type("Laden am Markt")
        currency = page.get_by_label("Currency")
        self.reach(page, currency)
        while currency.input_value() != "€":
            page.keyboard.press("ArrowDown")
        self.press(page, page.get_by_role("button", name="Create a study"))
        page.get_by_role("heading", name="No log has been imported yet").wait_for()
        with page.expect_file_chooser() as chooser:
            self.press(page, page.get_by_role("button", name="Import a file"))
        chooser.value.set_files(path)
        page.get_by_role("table", name="Columns of the file").wait_for()
        self.press(page, page.get_by_role("button", name=re.compile("^Import these")))
        self.press(page, page.get_by_role("link", name="Go on to Measures"))
        page.get_by_role("heading", name="Measures", level=1).wait_for()
        page.get_by_role("region", name="Threads").wait_for()
        page.keyboard.press("4")
        page.get_by_role("heading", name="Groups", level=1).wait_for()
        self.press(page, page.get_by_role("button", name=re.compile("^Try 2 to ")))
        self.press(page, page.get_by_role("button", name=re.compile("^Adopt these")))
        page.get_by_role("button", name=re.compile("^These .* are adopted")).wait_for()
        page.keyboard.press("5")
        page.get_by_role("heading", name="Portraits", level=1).wait_for()
        self.reach(page, page.get_by_label("Name of the segment"))
        page.keyboard.press("Control+a")
        page.keyboard.type("Nachbarn")
        # The table shows the name before the server has it.
        with page.expect_response(lambda answer: answer.request.method == "PUT" and answer.ok):
            page.keyboard.press("Enter")
        page.get_by_role("columnheader").get_by_text("Nachbarn").first.wait_for()

    def test_a_table_of_places_is_called_by_its_name(self):
        path = self.folder / "places.csv"
        path.write_text(districts())
        self.run_in_browser(self.places, self.key(self.owner), path)
        self.assertEqual(self.troubles, [])

    def places(self, key, path):
        page = self.begin(key, "Places", "€")
        self.bring(page, path)
        page.get_by_role("button", name="Import these 60 districts").click()
        page.get_by_text("What the districts are like is").wait_for()
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_text("districts, all").wait_for()
        self.assertEqual(dock.get_by_text("€").count(), 0)
        self.open_station(page, "Measures")
        shapes = {"Households": True, "Income": True, "Cars per 100": True, "Class": False}
        for name, shaping in shapes.items():
            role = page.get_by_role("radiogroup", name=re.compile(f"{name}")).or_(
                page.get_by_role("group", name=re.compile(f"{name}"))
            )
            pressed = role.get_by_text("shapes", exact=True).first
            told = pressed.evaluate("(e) => e.getAttribute('aria-pressed')"
                                    " ?? e.getAttribute('aria-checked')"
                                    " ?? String(e.querySelector('input')?.checked)")  # fmt: skip
            self.assertEqual(told, str(shaping).lower(), name)
        page.get_by_text("PLZ", exact=True).first.wait_for()  # its heading keeps its capitals
        self.open_station(page, "Groups")
        page.get_by_role("button", name=re.compile("^Try 2 to ")).click()
        page.get_by_role("button", name=re.compile("^Adopt these 3")).click()
        page.get_by_role("button", name=re.compile("^These 3 are adopted")).wait_for()
        self.open_station(page, "Portraits")
        page.get_by_text("3 groups of 60 districts").wait_for()
        self.assertEqual(page.get_by_text(re.compile(r"\bcustomers\b")).count(), 0)
        page.get_by_role("tab", name="Against").click()
        page.get_by_role("table", name="Class by segment").wait_for()
