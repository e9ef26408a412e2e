"""Tiers by totals and by equal shares, weights, and what followed, counted customer by customer."""

from itertools import pairwise

import numpy as np

from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import read_window
from tests.server.support import DemoCase


class Ladders(DemoCase):
    def setUp(self):
        super().setUp()
        self.made = measures_or_job(self.study, default_window(self.study))

    def draft(self, **changes):
        """The draft with these changes, sent; the page that comes of it."""
        page = self.get("scores")
        self.send("put", "scores/recipe", {**page["draft"], **changes})
        return self.get("scores")

    def bands_of(self, measure):
        """(n,) each customer's band by the lowest and highest value the page says it has."""
        values = np.asarray(self.made.column(measure["name"]).values, float)
        out = np.zeros(len(values), int)
        for row in measure["bands"]:
            if row["customers"]:
                inside = (values >= row["low"]) & (values <= row["high"]) & self.made.present
                self.assertEqual(inside.sum(), row["customers"])
                self.assertEqual(self.made.money[inside].sum(), row["money"])
                out[inside] = row["band"]
        return out

    def totals_of(self, page):
        """(n,) sums of weighted bands, NaN for whoever lacks one."""
        total = np.zeros(len(self.made.present))
        for measure in page["measures"]:
            bands = self.bands_of(measure)
            total = np.where(bands > 0, total + measure["weight"] * bands, np.nan)
        return total

    def check(self, page, totals):
        """Each tier counts the customers of its totals, the first that holds them."""
        left = ~np.isnan(totals)
        self.assertEqual(page["scored"], left.sum())
        for tier in page["ladder"]["tiers"]:
            low = -np.inf if tier["low"] is None else tier["low"]
            high = np.inf if tier["high"] is None else tier["high"]
            mine = left & (totals >= low) & (totals < high)
            self.assertEqual(tier["customers"], mine.sum(), tier["name"])
            self.assertEqual(tier["money"], self.made.money[mine].sum())
            left &= ~mine
        self.assertEqual(page["ladder"]["outside"], left.sum())
        self.assertEqual(page["ladder"]["outside_money"], self.made.money[left].sum())

    def test_totals_with_weights_overlaps_and_some_left_over(self):
        measures = [
            {"name": "recency", "bands": 4, "weight": 2},
            {"name": "frequency", "bands": 3, "weight": 1.5},
            {"name": "monetary", "bands": 5, "cut": "equal widths"},
        ]
        page = self.draft(measures=measures)
        totals = self.totals_of(page)
        rows = page["totals"]
        there, counts = np.unique(totals[~np.isnan(totals)], return_counts=True)
        self.assertEqual([r["total"] for r in rows], there.tolist())
        self.assertEqual([r["customers"] for r in rows], counts.tolist())
        tiers = [
            {"name": "High", "low": 12},
            {"name": "Around ten", "low": 9, "high": 12.5},
            {"name": "Under", "low": 5, "high": 8},
        ]
        page = self.draft(ladder={"kind": "totals", "tiers": tiers})
        self.assertGreater(page["ladder"]["outside"], 0)
        self.check(page, totals)
        lens = {"clauses": [{"field": "tier:now", "values": ["2"]}]}
        told = self.send("post", "lens", lens)["lens"]
        self.assertEqual(told["customers"], page["ladder"]["tiers"][1]["customers"])

    def test_a_ladder_of_totals_without_ranges_has_equal_ones(self):
        page = self.draft(ladder={"kind": "totals", "tiers": None})
        self.check(page, self.totals_of(page))
        tiers = page["ladder"]["tiers"]
        self.assertEqual([t["name"] for t in tiers], ["Top", "Upper", "Middle", "Lower", "Foot"])
        self.assertIsNone(tiers[0]["high"])
        self.assertIsNone(tiers[-1]["low"])
        for above, below in pairwise(tiers):
            self.assertEqual(above["low"], below["high"])
        self.assertEqual(page["ladder"]["outside"], 0)

    def test_equal_shares_never_split_a_total(self):
        names = [{"name": name} for name in ("First", "Second", "Third")]
        page = self.draft(ladder={"kind": "shares", "tiers": names})
        totals = self.totals_of(page)
        self.check(page, totals)
        sizes = [t["customers"] for t in page["ladder"]["tiers"]]
        self.assertEqual(sum(sizes), page["scored"])
        # As equal as whole totals allow: moving one to the neighbour makes nothing more equal.
        widest = max(r["customers"] for r in page["totals"])
        for size in sizes:
            self.assertLessEqual(abs(size - page["scored"] / 3), widest)

    def test_small_fields_are_the_field_cut_by_a_third_measure(self):
        page = self.get("scores", across="frequency", up="monetary", third="recency",
                        shade="measure:tenure")  # fmt: skip
        by = {m["name"]: self.bands_of(m) for m in page["measures"]}
        tenure = np.asarray(self.made.column("tenure").values, float)
        for small in page["fields"]:
            third = by["recency"] == small["third"]
            for r, line in enumerate(small["customers"], 1):
                for c, customers in enumerate(line, 1):
                    mine = third & (by["monetary"] == r) & (by["frequency"] == c)
                    self.assertEqual(customers, mine.sum())
                    self.assertEqual(small["money"][r - 1][c - 1], self.made.money[mine].sum())
                    shade = small["shade"][r - 1][c - 1]
                    if mine.any():
                        self.assertAlmostEqual(shade, float(tenure[mine].mean()))
                    else:
                        self.assertIsNone(shade)
        self.get("scores", 404, shade="measure:nothing")
        swapped = self.get("scores", across="frequency", up="frequency", third="frequency")
        chosen = {swapped[key] for key in ("across", "up", "third")}
        self.assertEqual(chosen, {"recency", "frequency", "monetary"})

    def test_worth_counts_who_came_back_and_what_they_spent(self):
        found = self.get("scores/worth", months="6")
        before = measures_or_job(self.study, read_window(found["at"], "12"))
        after = measures_or_job(self.study, read_window(found["to"], found["since"]))
        spend = after.money / 10.0**self.study.scale
        measures = self.get("scores")["measures"]
        for curve, measure in zip(found["curves"], measures, strict=True):
            values = np.asarray(before.column(measure["name"]).values, float)
            low = measure["cuts"]
            place = np.searchsorted(low, values, side="right") + 1
            if not measure["higher_is_better"]:
                place = len(low) + 2 - (np.searchsorted(low, values, side="left") + 1)
            for band, customers in enumerate(curve["customers"], 1):
                mine = before.present & (place == band)
                self.assertEqual(customers, mine.sum(), measure["name"])
                self.assertAlmostEqual(curve["came_back"][band - 1], after.present[mine].mean())
                self.assertAlmostEqual(curve["spend"][band - 1], spend[mine].mean())
        self.assertAlmostEqual(found["spend"], spend[before.present].mean())

    def test_scores_say_what_they_wait_for(self):
        fact = next(s for s in self.get("trail")["stations"] if s["key"] == "scores")
        self.assertEqual((fact["state"], fact["words"]), ("current", "5 × 5 × 5, 6 tiers"))
        page = self.draft(measures=[{"name": "returned", "bands": 5}])
        lost = page["measures"][0]["empty"]
        fact = next(s for s in self.get("trail")["stations"] if s["key"] == "scores")
        self.assertEqual(fact["words"], f"5, {len(page['ladder']['tiers'])} tiers, "
                                        f"{lost} lost to ties")  # fmt: skip
        page = self.draft(measures=[{"name": "nothing at all"}])
        self.assertEqual(page["status"]["state"], "empty")
        self.assertIn("Pick others", page["status"]["words"])
        fact = next(s for s in self.get("trail")["stations"] if s["key"] == "scores")
        self.assertEqual(fact["words"], "nothing to score")

    def test_a_tiers_strategy_and_notes_go_with_the_kept_ladder(self):
        page = self.draft(ladder={"kind": "shares", "tiers": [{"name": "Top"}, {"name": "Foot"}]})
        before = [(t["customers"], t["money"]) for t in page["ladder"]["tiers"]]
        said = [
            {"name": "Top", "strategy": "First to hear of new stock.", "notes": "Asked in May."},
            {"name": "Foot"},
        ]
        page = self.draft(ladder={"kind": "shares", "tiers": said})
        top, foot = page["ladder"]["tiers"]
        self.assertEqual((top["strategy"], foot["notes"]), ("First to hear of new stock.", ""))
        self.assertEqual([(t["customers"], t["money"]) for t in (top, foot)], before)
        self.send("post", "ladder")
        both = "First to hear of new stock.\n\nAsked in May."
        self.assertEqual([s["notes"] for s in self.get("portraits")["segments"]], [both, ""])
        # The next ladder's tiers begin with theirs, and lose nothing of what was written before.
        said[0]["strategy"], said[0]["notes"] = "Letter by hand.", ""
        self.draft(ladder={"kind": "shares", "tiers": [*said, {"name": "Least"}]})
        self.send("post", "ladder")
        notes = [s["notes"] for s in self.get("portraits")["segments"]]
        self.assertEqual(sum("First to hear" in each for each in notes), 1)
        self.assertIn("Letter by hand.", notes[0])
