"""Each figure of a customer again, from the receipts that its sentence points at."""

import math
import re
from datetime import date, timedelta
from itertools import pairwise
from statistics import fmean, median, pstdev

from tests.server.support import DemoCase

#: The figure a sentence ends in, by measure; the rest are shares of sales.
FIGURES = {
    "recency": r"are ([\d,]+) days?,",
    "frequency": r"^([\d,]+) receipts? with",
    "visit_days": r"on ([\d,]+) different days?\.",
    "monetary": r"make (−?£[\d,.]+)\.$",
    "basket_mean": r": (−?£[\d,.]+) each\.$",
    "basket_median": r"is (−?£[\d,.]+)\.$",
    "tenure": r", ([\d,]+) days? before the end",
    "silence": r": ([\d,.]+) times, ",
    "gap_mean": r"apart, ([\d,.]+) days each",
    "gap_cv": r": ([\d,.]+) times\.$",
    "breadth": r"from ([\d,]+) departments?:",
    "trend": r": ([+−][\d.]+)\.$",
    "expected": r"expects ([\d,.]+) visit days",
    "active": r"a chance of ([\d.]+%) that",
}
SHARE = r": ([\d.]+%)\.?$"


def read(words):
    """A figure as it is written, and half of its last digit."""
    plain = re.sub(r"[£,%+]", "", words).replace("−", "-")
    places = len(plain.partition(".")[2])
    parts = 100 if words.endswith("%") else 1
    return float(plain) / parts, 0.51 * 10**-places / parts


class Sentences(DemoCase):
    def test_every_figure_of_some_customers_in_three_windows(self):
        seen = set()
        for window in ({}, {"to": "2025-12-31"}, {"to": "2026-03-31", "back": "3"}):
            for number in range(0, 400, 37):
                receipts = {r["key"]: r for r in self.get(f"customer/{number}")["receipts"]}
                for told in self.get(f"customer/{number}/measures", **window)["measures"]:
                    if told["value"] is None:
                        continue
                    seen.add(told["name"])
                    with self.subTest(number=number, window=window, measure=told["name"]):
                        self.says(told)
                        behind = [receipts[key] for key in told["receipts"]]
                        self.rests_on(told["name"], told["value"], behind, window)
        self.assertLess(set(FIGURES), seen)

    def says(self, told):
        found = re.search(FIGURES.get(told["name"], SHARE), told["words"])
        self.assertIsNotNone(found, told["words"])
        figure, off = read(found[1])
        self.assertAlmostEqual(figure, told["value"], delta=off, msg=told["words"])

    def rests_on(self, name, value, behind, window):
        """Worked out from the receipts alone."""
        to = date.fromisoformat(window.get("to", "2026-06-30"))
        first = to.replace(year=to.year - 1) if window.get("back") != "3" else date(2025, 12, 31)
        days = sorted({date.fromisoformat(receipt["day"]) for receipt in behind})
        totals = [receipt["money"] / 100 for receipt in behind]
        gaps = [(b - a).days for a, b in pairwise(days)]
        for day in days:
            self.assertTrue(first < day <= to, (first, day, to))
        again = {
            "recency": lambda: (to + timedelta(days=1) - days[-1]).days,
            "frequency": lambda: len(behind),
            "visit_days": lambda: len(days),
            "monetary": lambda: sum(totals),
            "basket_mean": lambda: fmean(totals),
            "basket_median": lambda: median(totals),
            "gap_mean": lambda: fmean(gaps),
            "gap_cv": lambda: pstdev(gaps) / fmean(gaps),
        }
        if name in again:
            self.assertAlmostEqual(value, again[name](), 9)
        if name in ("frequency", "basket_mean", "visit_days"):
            self.assertTrue(all(receipt["purchase"] for receipt in behind))
        if name.startswith("share_weekday_") and value > 0:
            kinds = {day.strftime("%A").lower() for day in days}
            self.assertEqual({f"share_weekday_{kind}" for kind in kinds}, {name})
        if name == "weekend" and value > 0:
            self.assertLessEqual({day.weekday() for day in days}, {5, 6})

    def test_somebody_without_a_purchase_is_told_so(self):
        page = self.get("customers", to="2024-03-31", back="3", fields="measure:frequency",
                        order="measure:frequency", first=0)  # fmt: skip
        last = self.get("customers", to="2024-03-31", back="3", fields="measure:frequency",
                        order="measure:frequency", first=page["total"] - 1)  # fmt: skip
        self.assertEqual(last["columns"][0]["numbers"], [None])
        told = self.get(f"customer/{last['numbers'][0]}/measures", to="2024-03-31", back="3")
        words = {m["name"]: m["words"] for m in told["measures"]}
        self.assertIn("No purchase from", words["frequency"])
        self.assertTrue(all(m["value"] is None for m in told["measures"]
                            if not m["name"].startswith(("trait:", "offer"))))  # fmt: skip

    def test_a_formula_is_written_out(self):
        self.send("post", "own-measures",
                  {"label": "Spend a visit", "formula": "monetary / frequency"}, 201)  # fmt: skip
        number = self.get("customers", order="measure:monetary", down="1")["numbers"][0]
        told = {m["name"]: m for m in self.get(f"customer/{number}/measures")["measures"]}
        own = next(m for m in told.values() if m["label"] == "Spend a visit")
        spend, visits = told["monetary"]["value"], told["frequency"]["value"]
        self.assertTrue(math.isclose(own["value"], spend / visits))
        self.assertIn(f"{spend:,.2f} / {visits:,.0f} = {own['value']:,.2f}", own["words"])
