"""Scores over HTTP: bands of any measure, the field, the ladder, codes and worth."""

import shutil

import numpy as np
from django.conf import settings

from sortija.core.scores.bands import band
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import columns
from sortija.server.studies.models import Column
from sortija.server.studies.trail import default_window
from tests.server.support import LOG, DemoCase, ServerCase, run_jobs


class Scores(DemoCase):
    def draft(self, **changes):
        """The present draft with these changes, sent."""
        page = self.get("scores")
        return self.send("put", "scores/recipe", {**page["draft"], **changes})

    def column(self, name):
        made = measures_or_job(self.study, default_window(self.study))
        return np.where(made.present, np.asarray(made.column(name).values, float), np.nan)

    def test_field_codes_and_totals_count_the_same_customers(self):
        page = self.get("scores")
        scored = page["scored"]
        self.assertEqual(scored, self.get("measures")["with_purchase"])
        self.assertEqual(sum(map(sum, page["field"]["customers"])), scored)
        self.assertEqual(sum(map(sum, page["field"]["money"])), page["scored_money"])
        self.assertEqual(sum(sum(map(sum, f["customers"])) for f in page["fields"]), scored)
        self.assertEqual(sum(t["customers"] for t in page["totals"]), scored)
        tiers = page["ladder"]["tiers"]
        self.assertEqual(sum(t["customers"] for t in tiers) + page["ladder"]["outside"], scored)
        recency = page["measures"][0]
        self.assertFalse(recency["higher_is_better"])
        columns = [sum(c) for c in zip(*page["field"]["customers"], strict=True)]
        self.assertEqual(columns, [b["customers"] for b in recency["bands"]])
        best, worst = recency["bands"][4], recency["bands"][0]
        self.assertLess(best["high"], worst["low"])
        codes = self.get("scores/codes")
        self.assertEqual(sum(c["customers"] for c in codes["codes"]), scored)
        self.assertEqual(codes["count"], len(codes["codes"]))

    def test_measures_that_were_kept_anew_give_the_same_figures(self):
        """As after an older copy of the database was put back under a server that went on."""
        before = self.get("scores")
        self.assertGreater(before["scored_money"], 0)
        gone, _ = Column.objects.exclude(window__startswith="intake:").delete()
        self.assertGreater(gone, 0)
        shutil.rmtree(settings.COLUMN_FILES)
        columns._opened.cache_clear()  # as when others were looked at meanwhile
        self.assertEqual(self.get("scores"), before)

    def test_bands_and_tiers_narrow_the_lens_and_the_field_shows_it(self):
        page = self.get("scores")
        clauses = [
            {"field": "band:recency", "values": ["5"]},
            {"field": "band:frequency", "values": ["5"]},
        ]
        lens = self.send("post", "lens", {"clauses": clauses})
        self.assertEqual(lens["lens"]["customers"], page["field"]["customers"][4][4])
        inside = self.get("scores", lens=lens["digest"])["field"]["lens"]
        self.assertEqual(sum(map(sum, inside)), lens["lens"]["customers"])
        self.assertEqual(inside[4][4], lens["lens"]["customers"])
        tier = page["ladder"]["tiers"][2]
        lens = self.send("post", "lens", {"clauses": [{"field": "tier:now", "values": ["3"]}]})
        self.assertEqual(lens["lens"], {k: tier[k] for k in ("customers", "money")})
        top = page["totals"][-1]
        ranges = [[top["total"], top["total"] + 0.5]]
        lens = self.send("post", "lens", {"clauses": [{"field": "total:now", "ranges": ranges}]})
        self.assertEqual(lens["lens"]["customers"], top["customers"])

    def test_any_measure_any_bands_and_undo(self):
        measures = [
            {"name": "tenure", "bands": 10},
            {"name": "basket_mean", "bands": 2, "weight": 3, "higher_is_better": False},
            {"name": "trait:household", "bands": 3, "cut": "equal widths"},
            {"name": "frequency", "cut": "own cuts", "own": [4, 2]},
        ]
        self.draft(measures=measures)
        page = self.get("scores", across="frequency", up="tenure", shade="measure:breadth")
        self.assertEqual((page["across"], page["up"]), ("frequency", "tenure"))
        values = self.column("tenure")
        found = band(values, 10, True)
        tenure = page["measures"][0]
        self.assertEqual([b["customers"] for b in tenure["bands"]], found.sizes.tolist())
        self.assertEqual([len(m["bands"]) for m in page["measures"]], [10, 2, 3, 3])
        frequency = page["measures"][3]
        self.assertEqual(frequency["cuts"], [2, 4])
        visits = self.column("frequency")
        sizes = [(visits < 2).sum(), ((visits >= 2) & (visits < 4)).sum(), (visits >= 4).sum()]
        self.assertEqual([b["customers"] for b in frequency["bands"]], sizes)
        breadth = self.column("breadth")
        mine = (visits >= 4) & (found.bands == 10)
        self.assertAlmostEqual(page["field"]["shade"][9][2], float(np.nanmean(breadth[mine])))
        self.assertEqual(page["totals"][-1]["total"] <= 10 + 6 + 3 + 3, True)
        self.send("post", "history/undo")
        self.assertEqual([m["name"] for m in self.get("scores")["measures"]],
                         ["recency", "frequency", "monetary"])  # fmt: skip

    def test_lost_bands_are_explained_and_gaps_closed(self):
        self.draft(measures=[{"name": "returned", "bands": 5}, {"name": "frequency"}])
        returned = self.get("scores")["measures"][0]
        self.assertGreater(returned["empty"], 0)
        values = self.column("returned")
        self.assertEqual(returned["tied"], 0.0)
        self.assertEqual(returned["tied_customers"], int((values == 0).sum()))
        self.draft(close_gaps=True)
        closed = self.get("scores")["measures"][0]
        self.assertEqual((closed["empty"], closed["asked"]), (0, 5))
        sizes = [b["customers"] for b in returned["bands"] if b["customers"]]
        self.assertEqual([b["customers"] for b in closed["bands"]], sizes)

    def test_what_cannot_be_cut_is_refused_and_nothing_changes(self):
        for measures, words in (
            ([{"name": "frequency"}, {"name": "frequency"}], "scored once"),
            ([{"name": "frequency", "bands": 11}], "less than or equal to 10"),
            ([{"name": "frequency", "weight": -1}], "greater than or equal to 0"),
        ):
            answer = self.send("put", "scores/recipe", {"measures": measures}, 400)
            self.assertIn(words, answer["detail"])
        tiers = [{"name": "A", "low": 9, "high": 3}]
        ladder = {"kind": "totals", "tiers": tiers}
        answer = self.send("put", "scores/recipe", {"ladder": ladder}, 400)
        self.assertIn("where it begins or before", answer["detail"])
        ladder["tiers"] = [{"name": "A", "low": 3}, {"name": "a ", "low": 1}]
        self.assertIn(
            "Two tiers", self.send("put", "scores/recipe", {"ladder": ladder}, 400)["detail"]
        )
        self.assertEqual(self.get("scores")["revision"], 0)

    def test_fences_gaps_overlaps_and_a_conflict(self):
        ladder = {
            "kind": "boxes",
            "tiers": [
                {"name": "First", "ranges": {"recency": [3, 5], "frequency": [3, 5]}},
                {"name": "Second", "ranges": {"recency": [2, 4], "frequency": [2, 4]}},
                {"name": "Under", "ranges": {"recency": [4, 4], "frequency": [4, 4]}},
            ],
        }
        self.draft(ladder=ladder)
        page = self.get("scores")
        found = page["ladder"]
        plots = page["field"]["customers"]
        self.assertEqual(found["tiers"][0]["customers"], sum(sum(row[2:]) for row in plots[2:]))
        both = sum(plots[r][c] for r in range(1, 4) for c in range(1, 4))
        shared = sum(plots[r][c] for r in (2, 3) for c in (2, 3))
        self.assertEqual(found["tiers"][1]["customers"], both - shared)
        self.assertTrue(found["tiers"][2]["hidden"])
        self.assertEqual(found["gaps"][0], [True] * 5)
        self.assertTrue(found["overlaps"][3][3])
        self.assertFalse(found["overlaps"][1][1])
        answer = self.client.put(self.url("scores/recipe"), page["draft"], format="json",
                                 headers={"If-Match": '"0"'})  # fmt: skip
        self.assertEqual(answer.status_code, 409)

    def test_codes_sort_by_any_measure_and_tell_the_ends(self):
        found = self.get("scores/codes", sort="-mean", mean="tenure")
        means = [c["mean"] for c in found["codes"]]
        self.assertEqual(means, sorted(means))
        page = self.get("scores")
        best = found["best"]
        self.assertEqual(best["total"], max(c["total"] for c in found["codes"]))
        self.assertEqual(found["worst"]["total"], page["totals"][0]["total"])
        clauses = [
            {"field": f"band:{m['name']}", "values": [str(b)]}
            for m, b in zip(page["measures"], best["bands"], strict=True)
        ]
        lens = self.send("post", "lens", {"clauses": clauses})["lens"]
        self.assertEqual(lens, {"customers": best["customers"], "money": best["money"]})
        self.assertIn("sorted by", self.get("scores/codes", 400, sort="name")["detail"])

    def test_worth_is_what_happened_afterwards(self):
        found = self.get("scores/worth", months="3")
        self.assertEqual((found["at"], found["since"], found["to"]),
                         ("2026-03-31", "2026-04-01", "2026-06-30"))  # fmt: skip
        earlier = self.get("measures", to="2026-03-31", back="12")["with_purchase"]
        self.assertEqual(found["customers"], earlier)
        recency = found["curves"][0]
        counts = np.array(recency["customers"])
        back = np.array(recency["came_back"])
        self.assertAlmostEqual(float((counts * back).sum() / counts.sum()), found["came_back"])
        self.assertEqual(counts.sum(), found["customers"])
        self.assertIn("tells most of what followed", found["words"])
        shaded = self.get("scores", shade="back")
        self.assertIn("from 1 Apr 2026 to 30 Jun 2026", shaded["shaded"])
        self.assertIn("1, 3, 6 or 12", self.get("scores/worth", 400, months="2")["detail"])
        # A window that ends earlier is followed by what came right after it.
        past = self.get("scores/worth", months="6", to="2025-06-30", back="12")
        self.assertEqual((past["at"], past["to"]), ("2025-06-30", "2025-12-31"))

    def test_districts_are_scored_too(self):
        page = self.get("scores", of="district")
        self.assertEqual(page["of"], "district")
        self.assertEqual(sum(map(sum, page["field"]["customers"])), page["scored"])
        self.assertIn("customers", self.get("scores/worth", 404, of="district")["detail"])
        body = {**page["draft"], "measures": [{"name": "monetary", "bands": 2}]}
        self.send("put", "scores/recipe?of=district", body)
        self.assertEqual(len(self.get("scores", of="district")["measures"]), 1)
        self.assertEqual(len(self.get("scores")["measures"]), 3)


class Small(ServerCase):
    def test_without_a_log_and_with_three_customers(self):
        self.assertEqual(self.get("scores")["status"]["state"], "empty")
        self.bring_in(LOG, "log.csv")
        page = self.get("scores")
        self.assertEqual(page["scored"], 3)
        self.assertEqual(sum(map(sum, page["field"]["customers"])), 3)
        reader = self.person("rita")
        self.study.members.create(person=reader, role="reader")
        client = self.signed_in(reader)
        self.send("put", "scores/recipe", page["draft"], 403, client)


class Offered(DemoCase):
    def test_a_chance_that_is_1_for_many_is_not_offered_without_saying_so(self):
        self.get("measures")
        run_jobs()
        offered = {row["name"]: row["label"] for row in self.get("scores")["scorable"]}
        self.assertEqual(offered["active"], "Chance still active (1 for whoever came once)")
        self.assertNotIn("(", offered["recency"])
