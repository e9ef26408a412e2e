"""Places in Chromium: a map that is picked, its table, one district beside its like."""

import csv
import io
import re
from pathlib import Path

from tests.web.support import Station


class PlacesByHand(Station):
    def once(self):
        """The demo with its districts, groups tried."""
        self.count("districts.geojson")
        self.sweep()

    def test_a_district_and_its_like(self):
        self.adopt()
        told = self.get("portraits/places")
        first = max(told["places"], key=lambda place: place["customers"])
        asked = {"clauses": [{"field": told["by"], "values": [first["code"]]}]}
        lens = self.send("post", "lens", asked)["lens"]["customers"]
        beside = self.get("portraits/places", place=first["code"])["beside"]
        garden = self.get("portraits/places", mix="trait:garden")
        self.walk("Portraits", self.places, told, first, lens, beside, garden)

    def places(self, page, told, first, lens, beside, garden):
        page.get_by_role("tab", name="Places").click()
        drawn = page.get_by_role("group", name="District, shaded by share of households")
        drawn.wait_for()
        self.accessible(page)
        shape = drawn.get_by_role("button", name=re.compile(f"^{first['code']}:"))
        shape.focus()
        page.keyboard.press("Enter")
        self.lens_shows(lens)
        card = page.get_by_role("region", name="Beside its like")
        card.get_by_text(f"Most like it: {', '.join(beside['like'])}.").wait_for()
        lines = card.get_by_role("table").get_by_role("row")
        self.assertEqual(lines.count(), 1 + len(beside["lines"]))
        card.get_by_role("button", name="Garden").click()
        card.get_by_role("row").filter(has_text=re.compile("^Garden")).first.wait_for()
        self.accessible(page)
        page.get_by_role("button", name="Clear").click()
        strips = page.get_by_label("How the customers of a place are told apart")
        strips.select_option(label="Garden")
        table = page.get_by_role("table", name="Customers by district")
        place = next(p for p in garden["places"] if p["code"] == first["code"])
        level = garden["levels"][0]["label"]
        share = f"{100 * place['mix'][0]:.0f}%"
        table.get_by_role(
            "button", name=re.compile(f"^{first['code']}, {level}: {share}")
        ).wait_for()
        page.get_by_label("What places are shaded by").select_option(label="Customers")
        page.get_by_text("A total says above all how large a place is.").wait_for()
        page.get_by_role("button", name="Take away").click()
        with page.expect_download() as saved:
            page.get_by_role("menuitem", name="CSV").click()
        rows = list(csv.DictReader(io.StringIO(Path(saved.value.path()).read_text())))
        self.assertEqual({row["District"]: int(row["Customers"]) for row in rows},
                         {p["code"]: p["customers"] for p in told["places"]})  # fmt: skip
        page.reload()
        page.get_by_role("group", name="District, shaded by customers").wait_for()


class WithoutOutlines(Station):
    once = Station.swept

    def test_the_table_stands_alone(self):
        self.adopt()
        told = self.get("portraits/places")
        self.walk("Portraits", self.table, told)

    def table(self, page, told):
        page.get_by_role("tab", name="Places").click()
        table = page.get_by_role("table", name="Customers by district")
        table.wait_for()
        self.assertEqual(page.get_by_role("region", name="Map of the places").count(), 0)
        self.assertEqual(table.get_by_role("row").count(), 1 + len(told["places"]))
        most = max(told["places"], key=lambda place: place["customers"])
        table.get_by_role("row").nth(1).filter(has_text=most["code"]).wait_for()
        self.accessible(page)
