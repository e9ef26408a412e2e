"""Kaplan and Meier's curve against published figures, SciPy's, and a truth that is known."""

import unittest
import warnings

import numpy as np
from scipy import stats

from sortija.core.crossings.survival import kaplan_meier

#: Weeks in remission under treatment (Freireich 1963); + : watched so long in vain.
REMISSION = [
    "6", "6", "6", "6+", "7", "9+", "10", "10+", "11+", "13", "16", "17+", "19+", "20+", "22",
    "23", "25+", "32+", "32+", "34+", "35+",
]  # fmt: skip


class Waiting(unittest.TestCase):
    def test_published(self):
        weeks = np.array([float(each.strip("+")) for each in REMISSION])
        found = kaplan_meier(weeks, np.array(["+" not in each for each in REMISSION]))
        self.assertEqual(found.times.tolist(), [6, 7, 10, 13, 16, 22, 23])
        self.assertEqual(found.at_risk.tolist(), [21, 17, 15, 12, 11, 7, 6])
        self.assertEqual(found.happened.tolist(), [3, 1, 1, 1, 1, 1, 1])
        np.testing.assert_allclose(
            found.waiting, [0.857, 0.807, 0.753, 0.690, 0.627, 0.538, 0.448], atol=5e-4
        )
        self.assertEqual(found.median, 23)
        self.assertEqual((found.at(5.9), found.at(6), found.at(9)), (1.0, *found.waiting[:2]))

    def test_against_scipy(self):
        rng = np.random.default_rng(1)
        for _ in range(20):
            until, watched = rng.integers(1, 30, 60), rng.integers(5, 40, 60)
            happened = until <= watched
            durations = np.minimum(until, watched)
            found = kaplan_meier(durations, happened)
            told = stats.CensoredData(uncensored=durations[happened], right=durations[~happened])
            curve = stats.ecdf(told).sf
            np.testing.assert_allclose(found.waiting, curve.evaluate(found.times))
            with np.errstate(all="ignore"), warnings.catch_warnings():
                warnings.simplefilter("ignore")  # where nobody waits any more
                ends = curve.confidence_interval(0.95, method="log-log")
            there = found.waiting > 0
            for mine, other in ((found.low, ends.low), (found.high, ends.high)):
                np.testing.assert_allclose(mine[there], other.evaluate(found.times)[there])

    def test_the_interval_holds_the_truth(self):
        rng, inside, of = np.random.default_rng(2), 0, 600
        for _ in range(of):
            until, watched = rng.exponential(10, 80), rng.uniform(2, 30, 80)
            found = kaplan_meier(np.minimum(until, watched), until <= watched)
            place = np.searchsorted(found.times, 8.0, side="right") - 1
            inside += found.low[place] <= np.exp(-0.8) <= found.high[place]
        self.assertTrue(0.93 <= inside / of <= 0.975, inside / of)

    def test_all_none_and_what_is_no_duration(self):
        everybody = kaplan_meier(np.array([2.0, 4.0]), np.array([True, True]))
        self.assertEqual(everybody.waiting.tolist(), [0.5, 0.0])
        self.assertTrue(np.isnan(everybody.low[1]) and np.isnan(everybody.high[1]))
        nobody = kaplan_meier(np.array([2.0, 4.0]), np.array([False, False]))
        self.assertEqual(len(nobody.times), 0)
        self.assertTrue(np.isnan(nobody.median))
        self.assertEqual(nobody.at(9.0), 1.0)
        for wrong in (np.nan, -1.0):
            with self.assertRaises(ValueError):
                kaplan_meier(np.array([2.0, wrong]), np.array([True, False]))


if __name__ == "__main__":
    unittest.main()
