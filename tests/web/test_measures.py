"""Measures by hand: windows, threads, preparations, what they touch, pairs, formulas, levels."""

import csv
import re

from tests.web.support import Station


class MeasuresByHand(Station):
    def test_roles_preparation_and_windows(self):
        may = self.get("measures", to="2026-05-31")
        year = self.get("measures", to="2025-12-31")
        self.walk("Measures", self.measures, may, year)
        page = {t["name"]: t for t in self.get("measures")["threads"]}
        self.assertEqual(page["tenure"]["role"], "out")
        self.assertEqual(page["recency"]["numbers"]["steps"]["cap"], 0.01)
        frequency = page["frequency"]["numbers"]
        self.assertEqual(frequency["steps"], frequency["proposed"])

    def measures(self, page, may, year):
        tenure = page.get_by_role("radiogroup", name="Time as member in groups")
        tenure.get_by_role("radio", name="out").click()
        page.get_by_text("Time as member is left out.").wait_for()
        threads = page.get_by_role("region", name="Threads")
        threads.get_by_role("button", name=re.compile("^Days since last visit")).click()
        recency = page.get_by_role("region", name="Preparation of Days since last visit")
        recency.get_by_role("radio", name="1%").click()
        threads.get_by_text("capped 1%").first.wait_for()
        page.get_by_role("button", name=re.compile("^Visits")).first.click()
        visits = page.get_by_role("region", name="Preparation of Visits")
        visits.get_by_role("radio", name="by rank").click()
        visits.get_by_role("button", name="Back to what is proposed").click()
        visits.get_by_text("As proposed:").wait_for()
        page.locator("h1").click()
        page.keyboard.press(",")
        words = "{:,} of {:,} customers bought in the window to {}"
        page.get_by_text(
            words.format(may["with_purchase"], may["customers"], "31 May 2026")
        ).wait_for()
        page.get_by_role("button", name=re.compile("^to 31 May 2026")).click()
        page.get_by_role("button", name="2025", exact=True).click()
        page.get_by_text(
            words.format(year["with_purchase"], year["customers"], "31 Dec 2025")
        ).wait_for()
        page.get_by_role("button", name=re.compile("^to 31 Dec 2025")).click()
        page.get_by_label("Look back to").fill("2025-11-01")
        page.get_by_role("button", name="From here").click()
        page.get_by_role("button", name=re.compile("from 1 Nov 2025")).wait_for()

    def test_a_stretch_of_a_thread_by_keys_is_the_lens(self):
        threads = {t["name"]: t["numbers"] for t in self.get("measures")["threads"]}
        self.walk("Measures", self.stretch, threads["recency"])

    def stretch(self, page, recency):
        threads = page.get_by_role("group", name="Threads of measures")
        thread = threads.get_by_role("slider", name=re.compile("^Days since last visit: "))
        thread.focus()
        page.keyboard.press("Enter")  # begins with the middle half
        low, high = recency["places"][1], recency["places"][3]
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+ArrowLeft")
        now = int(thread.get_attribute("aria-valuenow"))
        self.assertAlmostEqual(now, 100 * (high + 0.02), delta=0.51)
        told = re.match(r"(\S+) to ([^\s;]+)", thread.get_attribute("aria-valuetext"))
        page.keyboard.press("Enter")
        dock = page.get_by_role("complementary", name="Lens")
        axis = recency["axis"]
        self.assertFalse(axis["log"])
        wanted = [
            axis["low"] + at * (axis["high"] - axis["low"]) for at in (low - 0.02, high + 0.02)
        ]
        for end, said in zip(wanted, told.groups(), strict=True):
            self.assertAlmostEqual(end, float(said), delta=1)
        dock.get_by_text(re.compile(f"{wanted[1]:.0f}")).first.wait_for()
        page.keyboard.press("ArrowDown")
        self.assertTrue(
            threads.get_by_role("slider", name=re.compile("^Visits: ")).evaluate(
                "(mark) => mark === document.activeElement"
            )
        )

    def test_whom_a_choice_touches_listed_saved_and_undone(self):
        thread = next(t for t in self.get("measures")["threads"] if t["name"] == "gap_mean")
        missing = sum(thread["numbers"]["figures"]["missing"].values())
        self.walk("Measures", self.touched, missing)
        with (self.folder / "touched.csv").open(newline="") as file:
            rows = list(csv.reader(file))
        self.assertEqual(len(rows), missing + 1)
        plan = {t["name"]: t for t in self.get("measures")["threads"]}["gap_mean"]["numbers"]
        self.assertEqual(plan["steps"], plan["proposed"])

    def touched(self, page, missing):
        page.get_by_role("button", name=re.compile("^Gap between visits")).click()
        steps = page.get_by_role("region", name="Preparation of Gap between visits")
        steps.get_by_text("Missing by definition").wait_for()
        steps.get_by_role("button", name="Who would be the neighbours?").click()
        steps.get_by_text("Nearest by Gower’s distance").wait_for()
        steps.get_by_role("radio", name="the median").click()
        page.get_by_text("Gap between visits is prepared differently.").wait_for()
        steps.get_by_role("button", name=f"fills {missing:,}").first.click()
        self.lens_shows(missing)
        page.locator("h1").click()
        page.keyboard.press("z")
        page.get_by_text("Undone: Gap between visits is prepared differently").wait_for()
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_role("link", name=f"List the {missing:,}").click()
        page.get_by_role("button", name=f"Save these {missing:,} as a file").click()
        page.get_by_role("button", name=re.compile("^CSV")).click()
        with page.expect_download() as saved:
            page.get_by_role("link", name="Get the file").click()
        saved.value.save_as(self.folder / "touched.csv")

    def test_a_list_of_any_length_and_columns(self):
        total = self.get("customers")["total"]
        last = self.get("customers", order="measure:monetary", first=total - 1)["names"][0]
        self.walk("Measures", self.listing, total, last)

    def listing(self, page, total, last):
        page.get_by_role("link", name="List everyone").click()
        page.get_by_role("button", name=re.compile("^Columns")).click()
        page.get_by_label("Find a column").fill("uneven")
        page.get_by_role("checkbox", name="Unevenness of gaps").click()
        page.keyboard.press("Escape")
        table = page.get_by_role("table")
        table.get_by_role("button", name=re.compile("^Unevenness of gaps")).wait_for()
        spend = table.get_by_role("button", name=re.compile("^Spend"))
        spend.click()
        spend.click()  # rising: who has no value comes last
        table.locator("xpath=..").evaluate("box => box.scrollTo(0, box.scrollHeight)")
        table.get_by_text(last, exact=True).wait_for()
        self.assertLess(table.locator("tbody tr").count(), 80)  # of all the others none is there
        page.get_by_text(re.compile(f" to [0-9,]+ of {total:,}\\.")).wait_for()
        table.locator("xpath=..").evaluate("box => box.scrollTo(0, 0)")
        cell = table.get_by_role("cell").get_by_role("link").first
        cell.click()
        page.get_by_role("region", name="Why").wait_for()

    def test_looks_beside_each_other(self):
        found = self.get("pair", x="frequency", y="monetary")
        self.walk("Measures", self.looks, found)

    def looks(self, page, found):
        page.get_by_role("button", name="Compare with another window").click()
        page.get_by_role("button", name=re.compile("^The same season")).click()
        page.get_by_text("in the second window").wait_for()
        page.get_by_role("tab", name="Alike").click()
        twins = page.get_by_role("region", name="Said twice")
        twins.get_by_text("Visits and Visit days").wait_for()
        square = page.get_by_role(
            "button", name=re.compile("^(Spend and Visits|Visits and Spend):")
        )
        square.hover()
        square.click()
        page.get_by_role("img", name=re.compile("^(Spend|Visits) across")).wait_for()
        r = f"{found['r']:.2f}".replace("-", "−")
        page.get_by_text(r, exact=True).first.wait_for()
        page.get_by_text(f"One point per customer, {found['customers']:,} of them.").wait_for()
        plot = page.locator("canvas")
        page.wait_for_function(
            "() => { const c = document.querySelector('canvas');"
            " return c.getContext('2d').getImageData(0, 0, c.width, c.height)"
            ".data.some(v => v > 0) }"
        )
        box = plot.bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.1)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.95, box["y"] + box["height"] * 0.8)
        page.mouse.up()
        page.wait_for_url("**lens=*")
        page.get_by_text("In the lens:").wait_for()
        page.get_by_role("button", name="See several at once").click()
        page.get_by_role("button", name=re.compile("see the pair$")).first.wait_for()
        self.accessible(page)
        page.get_by_role("tab", name="Over time").click()
        page.get_by_role("button", name="by quarter").click()
        page.get_by_role("button", name=re.compile("^To 31 Dec 2025")).first.click()
        page.get_by_role("button", name=re.compile("^to 31 Dec 2025")).wait_for()

    def test_a_formula_all_prepared_and_levels(self):
        self.walk("Measures", self.formula)
        threads = {t["label"]: t for t in self.get("measures")["threads"]}
        own = threads["Spend per visit"]
        self.assertEqual((own["unit"], own["formula"]), ("money/visits", "monetary / frequency"))
        self.assertEqual(own["numbers"]["steps"]["scale"], "rank")
        self.assertEqual(self.get("measures")["kept"], ["By rank, March"])

    def formula(self, page):
        page.get_by_role("button", name="Add a formula").click()
        page.get_by_label("Name", exact=True).fill("Spend per visit")
        formula = page.get_by_label("Formula")
        formula.fill("monetary + recency")
        page.get_by_role("alert").get_by_text("which cannot be told together").wait_for()
        formula.fill("monetary / frequ")
        page.get_by_role("list", name="Measures that fit").get_by_text("frequency").click()
        self.assertEqual(formula.input_value(), "monetary / frequency")
        page.get_by_text("customers have it").wait_for()
        page.get_by_role("button", name="Add this measure").click()
        page.get_by_text("Spend per visit is among the measures.").wait_for()
        page.get_by_role("button", name="Prepare all").click()
        page.get_by_role("menuitem", name=re.compile("^By rank")).click()
        page.get_by_text("Prepared all measures: by rank.").wait_for()
        page.get_by_role("button", name="Prepare all").click()
        page.get_by_role("menuitem", name="Keep this preparation under a name").click()
        page.get_by_label("Name of the preparation").fill("By rank, March")
        page.get_by_role("button", name="Keep", exact=True).first.click()
        page.get_by_text("Saved as By rank, March.").wait_for()
        page.get_by_role("tab", name="Over time").click()
        page.get_by_label("One row per").select_option("district")
        page.get_by_text("by district, each with the purchases of its customers").wait_for()
        # A series is of customers only: what every population has is shown instead.
        page.get_by_role("tab", name="Threads", selected=True).wait_for()
        page.get_by_role("region", name="Threads").wait_for()
        page.get_by_role("tab", name="Table").click()
        table = page.get_by_role("region", name="Measures by District")
        table.get_by_role("button", name=re.compile("^Spend £")).click()
        with page.expect_download() as saved:
            table.get_by_role("button", name="Save this table").click()
        saved.value.save_as(self.folder / "levels.csv")
        page.get_by_label("One row per").select_option("")
        page.get_by_role("tab", name="Threads", selected=True).wait_for()
        page.get_by_role("button", name=re.compile("^Use these")).click()
        page.get_by_role("heading", name="Groups", level=1).wait_for()
