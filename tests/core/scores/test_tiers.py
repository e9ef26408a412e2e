"""Tiers by totals, shares and boxes: first match wins, ties stay together, gaps are told."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.scores.bands import band
from sortija.core.scores.tiers import Box, Tier, by_box, by_share, by_total, coverage


class Totals(unittest.TestCase):
    def test_ranges_and_the_first_that_matches(self):
        totals = np.array([3.0, 5, 8, 12, 15, np.nan])
        tiers = [Tier("top", 12), Tier("good", 8, 14), Tier("middle", 5, 8)]
        self.assertEqual(by_total(totals, tiers).tolist(), [0, 3, 2, 1, 1, 0])

    @given(st.lists(st.integers(0, 9), min_size=1, max_size=60), st.integers(1, 6))
    def test_equal_shares_never_split_ties(self, values, count):
        totals = np.array([*values, np.nan], float)
        found = by_share(totals, count)
        self.assertEqual(found[-1], 0)
        by_value = {v: set(found[:-1][totals[:-1] == v].tolist()) for v in values}
        self.assertTrue(all(len(tiers) == 1 for tiers in by_value.values()))
        self.assertTrue(((found[:-1] >= 1) & (found[:-1] <= count)).all())
        order = sorted(by_value)
        best_first = [next(iter(by_value[v])) for v in reversed(order)]
        self.assertEqual(best_first, sorted(best_first))
        if len(set(values)) == len(values) and len(values) % count == 0:
            self.assertEqual(len(set(np.bincount(found[:-1])[1:].tolist())), 1)

    def test_the_best_are_the_first_tier(self):
        self.assertEqual(by_share(np.array([1.0, 4, 2, 3]), 2).tolist(), [2, 1, 2, 1])
        self.assertEqual(by_share(np.full(3, np.nan), 2).tolist(), [0, 0, 0])
        with self.assertRaises(ValueError):
            by_share(np.array([1.0]), 0)


class Boxes(unittest.TestCase):
    def setUp(self):
        values = np.arange(1.0, 7)
        self.across, self.up = band(values, 3, True), band(values[::-1].copy(), 3, True)

    def test_first_match_wins(self):
        boxes = [Box("best", ((3, 3), (1, 3))), Box("wide", ((2, 3), (1, 2)))]
        self.assertEqual(by_box([self.across, self.up], boxes).tolist(), [0, 0, 2, 2, 1, 1])
        with self.assertRaisesRegex(ValueError, "has 2 ranges for 1 measures"):
            by_box([self.across], boxes)

    def test_missing_bands_are_in_no_box(self):
        holes = band(np.array([1.0, np.nan, 2.0]), 2, True)
        self.assertEqual(by_box([holes], [Box("all", ((0, 9),))]).tolist(), [1, 0, 1])

    def test_gaps_overlaps_and_boxes_that_nothing_is_left_of(self):
        boxes = [Box("a", ((1, 2), (1, 2))), Box("b", ((2, 3), (2, 3))), Box("c", ((2, 2), (2, 2)))]
        found = coverage((3, 3), boxes)
        self.assertEqual(found.times.tolist(), [[1, 1, 0], [1, 3, 1], [0, 1, 1]])
        self.assertEqual((found.gaps, found.overlaps, found.hidden), (2, 1, ("c",)))
        self.assertEqual(coverage((3,), [Box("none", ((3, 2),))]).hidden, ("none",))


if __name__ == "__main__":
    unittest.main()
