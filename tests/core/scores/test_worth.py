"""What bands are worth in the following period, by hand; leavers count as nothing spent."""

import unittest

import numpy as np

from sortija.core.scores.bands import band
from sortija.core.scores.worth import tells_most, worth_of


class Worths(unittest.TestCase):
    def test_by_hand(self):
        found = band(np.array([1.0, 2, 3, 4, np.nan]), 2, True)
        back = np.array([True, False, True, True, True])
        spend = np.array([10.0, np.nan, 30, 50, 999])
        worth = worth_of(found, back, spend)
        self.assertEqual(worth.customers.tolist(), [2, 2])
        self.assertEqual(worth.came_back.tolist(), [0.5, 1.0])
        self.assertEqual(worth.spend.tolist(), [5.0, 40.0])
        # Means 5 and 40 about 22.5; values 10, 0, 30, 50.
        between, total = 4 * 17.5**2, 12.5**2 + 22.5**2 + 7.5**2 + 27.5**2
        self.assertAlmostEqual(worth.told, between / total)

    def test_empty_bands_and_nothing_to_tell(self):
        found = band(np.array([1.0, 1, 1, 9]), 4, True)
        worth = worth_of(found, np.ones(4, bool), np.zeros(4))
        self.assertTrue(np.isnan(worth.spend[found.sizes == 0]).all())
        self.assertTrue(np.isnan(worth.told))
        self.assertIsNone(tells_most({"a": worth}))
        none = worth_of(band(np.full(3, np.nan), 2, True), np.ones(3, bool), np.ones(3))
        self.assertTrue(np.isnan(none.told))

    def test_which_measure_tells_most(self):
        rng = np.random.default_rng(1)
        spend = rng.gamma(2, 20, 500)
        good, noise = band(spend + rng.normal(0, 5, 500), 5, True), band(rng.random(500), 5, True)
        worths = {
            "noise": worth_of(noise, spend > 0, spend),
            "good": worth_of(good, spend > 0, spend),
        }
        self.assertEqual(tells_most(worths), "good")
        self.assertTrue((np.diff(worths["good"].spend) > 0).all())


if __name__ == "__main__":
    unittest.main()
