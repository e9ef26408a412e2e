"""What comes next over HTTP, and series of other dates."""

from unittest import mock

import numpy as np

from sortija.server.measures import derivation, many_windows
from sortija.server.studies import models
from tests.server.support import DemoCase, ServerCase, run_jobs


class Ahead(DemoCase):
    once = DemoCase.swept

    def test_nothing_is_told_without_groups_or_two_windows_apart(self):
        self.assertEqual(self.get("crossings/next")["status"]["state"], "empty")
        self.adopt(4)
        page = self.get("crossings/next", back="24")
        self.assertIn("two windows", page["lacks"])
        self.get("crossings/next", 400, origin="0", target="x", rate="0.2")
        self.get("crossings/next", 400, origin="0", target="1", rate="1.2")

    def test_it_is_fitted_on_windows_that_share_no_day(self):
        self.adopt(4)
        page = self.get("crossings/next", back="6")
        self.assertEqual(page["months"], 6)
        self.assertEqual(page["coming"][:2], ["2026-06-30", "2026-12-31"])
        self.assertEqual(len(page["dates"]), page["steps"] + 1)
        self.assertIn("seasons", page["rough"])
        days = ",".join(page["dates"])
        steps = self.get("crossings", back="6", by=days)["steps"]
        self.assertEqual([s["overlap"] for s in steps], [0] * len(steps))
        k = 4
        seen = np.sum([s["customers"] for s in steps], axis=0)
        seen[k, k] = 0
        self.assertEqual(page["arrivals"], [sum(s["customers"][k][:k]) + s["customers"][k][k + 1]
                                            + s["customers"][k][k + 2] for s in steps])  # fmt: skip
        np.testing.assert_allclose(page["rates"][0], seen[0] / seen[0].sum())
        sizes = [row["customers"][-1] for row in page["rows"]]
        self.assertEqual(sizes[:k], np.sum(steps[-1]["customers"], axis=0)[:k].tolist())
        for row in page["rows"][:k]:
            self.assertEqual(row["ahead"][0]["mean"], row["customers"][-1])
            for at in row["ahead"]:
                self.assertLessEqual(at["low"], at["mean"])
                self.assertLessEqual(at["mean"], at["high"])
        # Nobody is lost: all who are there, and who comes.
        every = sum(row["ahead"][1]["mean"] for row in page["rows"])
        there = sum(sizes[:k]) + sizes[k + 1] + sizes[k + 2]
        self.assertAlmostEqual(every, there + np.mean(page["arrivals"]), delta=0.02 * every)

    def test_a_rate_as_it_was_seen_changes_nothing(self):
        self.adopt(4)
        page = self.get("crossings/next")
        rate = page["rates"][0][1]
        self.assertIsNone(page["wondered"])
        same = self.get("crossings/next", origin=0, target=1, rate=rate)["wondered"]
        self.assertLess(abs(same["fewer"]["mean"]), 0.03 * page["rows"][1]["customers"][-1] + 1)
        none = self.get("crossings/next", origin=0, target=1, rate=0)["wondered"]
        self.assertGreater(none["fewer"]["mean"], same["fewer"]["mean"])
        self.assertLess(none["states"][1][3]["mean"], page["rows"][1]["ahead"][3]["mean"])


class Dates(DemoCase):
    once = DemoCase.swept

    def test_any_series_and_dates_of_ones_own(self):
        self.adopt(3)
        pages = {by: self.get("crossings", by=by) for by in ("month", "half-year", "years")}
        self.assertEqual(
            [d["to"] for d in pages["month"]["dates"]][-3:],
            ["2026-04-30", "2026-05-31", "2026-06-30"],
        )
        self.assertEqual([d["to"] for d in pages["half-year"]["dates"]][-2:],
                         ["2025-12-31", "2026-06-30"])  # fmt: skip
        own = self.get("crossings", by="2026-06-30, 2025-07-31,2025-07-31")
        self.assertEqual([d["to"] for d in own["dates"]], ["2025-07-31", "2026-06-30"])
        for page in (*pages.values(), own):
            whole = [d for d in page["dates"] if not d["covered"]]
            self.assertEqual(len(page["steps"]), max(0, len(whole) - 1))
            # No more than one date that the log lacks is listed of a series.
            self.assertLessEqual(len(page["dates"]) - len(whole), 1)
        for by in ("moon", "2026-06-30", "2026-06-31,2025-06-30", "0001-01-01,2026-06-30"):
            self.get("crossings", 400, by=by)
        self.get("crossings", 400, by=",".join(f"20{y:02}-01-31" for y in range(37)))

    def test_of_many_steps_the_one_that_is_looked_at_is_told_from_chance(self):
        self.adopt(3)
        steps = self.get("crossings", by="month")["steps"]
        self.assertGreater(len(steps), 6)
        states = [s["chance"]["status"]["state"] for s in steps]
        self.assertEqual(states, ["empty"] * (len(steps) - 1) + ["working"])
        steps = self.get("crossings", by="month", step=2)["steps"]
        self.assertEqual(steps[2]["chance"]["status"]["state"], "working")
        self.assertIn("Pick this step", steps[3]["chance"]["status"]["words"])

    def test_one_pass_makes_the_measures_that_each_date_has_alone(self):
        self.adopt(3)
        series = many_windows.derive_series
        with mock.patch.object(many_windows, "derive_series", wraps=series) as one:
            together = self.get("crossings", by="month")
        self.assertEqual(one.call_count, 1)
        for date in together["dates"][:-1]:
            models.Column.objects.filter(window=f"{date['to']}:12").delete()
        with mock.patch.object(many_windows, "FEW", 99):
            alone = self.get("crossings", by="month")
        self.assertEqual(together["dates"], alone["dates"])
        self.assertEqual([s["customers"] for s in together["steps"]],
                         [s["customers"] for s in alone["steps"]])  # fmt: skip

    def test_of_a_long_log_a_job_makes_them(self):
        self.adopt(3)
        self.enterContext(mock.patch.object(derivation, "INLINE_LINES", 10))
        page = self.get("crossings", by="half-year", to="2026-05-31", back="6")
        self.assertEqual(page["status"]["state"], "working")
        self.assertIn("dates", page["status"]["words"])
        run_jobs()
        page = self.get("crossings", by="half-year", to="2026-05-31", back="6")
        self.assertEqual(page["status"]["state"], "whole")
        self.assertGreaterEqual(len(page["steps"]), 2)


class Empty(ServerCase):
    def test_without_anything(self):
        self.assertEqual(self.get("crossings/next")["status"]["state"], "empty")
