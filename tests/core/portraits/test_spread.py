"""Boxes, histograms and ranks by group, and who stands near whom: against plain counts."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.measures.describe import Axis
from sortija.core.portraits.figures import figure, in_words
from sortija.core.portraits.nearness import furthest, hardest, hardest_words, standing
from sortija.core.portraits.profile import numeric_profile
from sortija.core.portraits.spread import FIVE, spread


class Spreads(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(11)
        self.groups = rng.integers(0, 5, 900)  # of whom those of group 4 are outside
        self.values = np.round(rng.gamma(2, 3 + self.groups, 900), 1)  # with ties
        self.values[::37] = np.nan
        self.axis = Axis(0.0, 20.0, False)

    def test_quantiles_and_ranks_again(self):
        found = spread(self.values, self.groups, 4, self.axis, bins=10)
        inside = (self.groups < 4) & ~np.isnan(self.values)
        everyone = self.values[inside]
        ranks = 100 * (stats.rankdata(everyone) - 0.5) / len(everyone)
        for g in range(4):
            mine = self.groups[inside] == g
            self.assertEqual(found.counts[g], mine.sum())
            np.testing.assert_allclose(found.five[g], np.quantile(everyone[mine], FIVE))
            np.testing.assert_allclose(found.among[g], np.quantile(ranks[mine], FIVE))
            counted, _ = np.histogram(np.minimum(everyone[mine], 19.99), 10, (0, 20))
            self.assertEqual(found.bins[g].tolist(), counted.tolist())
        self.assertEqual(found.everyone.tolist(), found.bins.sum(axis=0).tolist())
        self.assertEqual(found.beyond, (everyone > 20).sum())
        # Everyone's own percentiles are flat: the groups' members together fill 0 to 100.
        self.assertAlmostEqual(ranks.mean(), 50)

    def test_nobody_and_one(self):
        found = spread(np.array([np.nan, 3.0]), np.array([0, 1]), 3, self.axis)
        self.assertTrue(np.isnan(found.five[[0, 2]]).all())
        self.assertEqual(found.five[1].tolist(), [3.0] * 5)
        self.assertEqual(found.among[1].tolist(), [50.0] * 5)
        self.assertEqual(found.everyone.sum(), 1)


class Near(unittest.TestCase):
    def profiles(self, table, groups, k):
        return [numeric_profile(column, groups, k) for column in table.T]

    def test_the_pair_and_the_measure_that_were_made_so(self):
        rng = np.random.default_rng(12)
        groups = np.repeat(np.arange(4), 300)
        table = rng.normal(size=(1200, 3))
        table[:, 0] += np.array([0, 0, 8, 3])[groups]  # 0 and 2 far apart in the first
        table[:, 1] += np.array([0, 1.2, 6, -4])[groups]  # only this parts 0 and 1
        profiles = self.profiles(table, groups, 4)
        far, near = furthest(profiles), hardest(profiles)
        self.assertEqual((far.measure, far.clear), (1, True))
        self.assertEqual((far.higher, far.lower), (2, 3))
        self.assertEqual((near.one, near.other, near.parting), (0, 1, (1,)))
        words = hardest_words(near, ["A", "B", "C", "D"], ["x", "y", "z"])
        self.assertTrue(words.startswith("A and B: only y parts them, d 1."), words)
        one, other = table[groups == 2, 0], table[groups == 0, 0]
        pooled = np.sqrt((one.var(ddof=1) + other.var(ddof=1)) / 2)
        self.assertAlmostEqual(standing(profiles[0])[2, 0], (one.mean() - other.mean()) / pooled)

    def test_where_nothing_parts_them_it_says_so(self):
        rng = np.random.default_rng(13)
        groups = np.repeat(np.arange(3), 400)
        near = hardest(self.profiles(rng.normal(size=(1200, 5)), groups, 3))
        self.assertEqual(near.parting, ())
        self.assertIn("nothing here parts them", hardest_words(near, "ABC", list("vwxyz")))

    def test_nothing_to_tell(self):
        self.assertIsNone(furthest([]))
        self.assertIsNone(hardest([]))
        alone = self.profiles(np.ones((3, 1)), np.zeros(3, int), 1)
        self.assertIsNone(hardest(alone))
        self.assertIsNone(furthest(alone))


class Figures(unittest.TestCase):
    def test_as_the_screen_writes_them(self):
        for value, words in (
            (1234.56, "1,235"), (99.96, "100"), (12.34, "12.3"), (1.239, "1.24"), (0.005, "0.01"),
            (-0.001, "0"), (7.0, "7"), (100.4, "100"),
        ):  # fmt: skip
            self.assertEqual(figure(value), words)
        self.assertEqual(in_words(-12.5, "money", "€"), "−€12.50")
        self.assertEqual(in_words(2.5, "money/visits"), "£2.50/visits")
        self.assertEqual(in_words(1946.2, "year"), "1946")
        self.assertEqual(in_words(0.333, "took"), "33%")


if __name__ == "__main__":
    unittest.main()
