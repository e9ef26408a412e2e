"""Medcouple and fences against their definitions."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.measures.fences import fences_of, medcouple


def by_definition(values):
    """Every pair, as Brys, Hubert & Struyf define it."""
    x = np.sort(values)[::-1]
    middle = float(np.median(x))
    upper, lower = x[x >= middle] - middle, x[x <= middle] - middle
    ties = int((x == middle).sum())
    a, b = upper[:, None], lower[None, :]
    i, j = np.arange(len(upper))[:, None], np.arange(len(lower))[None, :]
    tied = np.sign(ties - 1 - (i - (len(upper) - ties)) - j)
    with np.errstate(invalid="ignore"):
        couples = np.where((a == 0) & (b == 0), tied, (a + b) / (a - b))
    return float(np.median(couples))


class Medcouple(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.integers(-9, 9), min_size=3, max_size=40))
    def test_with_many_ties(self, values):
        got = medcouple(np.array(values, float))
        self.assertAlmostEqual(got, by_definition(np.array(values, float)), 9)

    @settings(max_examples=100, deadline=None)
    @given(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=40, unique=True))
    def test_without_ties(self, values):
        self.assertAlmostEqual(medcouple(np.array(values)), by_definition(np.array(values)), 7)

    def test_turned_round_it_changes_its_sign(self):
        values = np.random.default_rng(1).lognormal(0, 1, 999)
        self.assertAlmostEqual(medcouple(values), -medcouple(-values), 12)
        self.assertGreater(medcouple(values), 0.2)
        self.assertEqual(medcouple(np.array([4.0, 4.0])), 0.0)


class Fences(unittest.TestCase):
    def test_as_hubert_and_vandervieren_draw_them(self):
        values = np.random.default_rng(2).lognormal(0, 1, 3000)
        for each, down, up in ((values, -4, 3), (-values, -3, 4)):
            found = fences_of(each)
            q1, q3 = np.quantile(each, (0.25, 0.75))
            mc = by_definition(each[:0]) if len(each) == 0 else medcouple(each)
            self.assertAlmostEqual(found.low, q1 - 1.5 * math.exp(down * mc) * (q3 - q1))
            self.assertAlmostEqual(found.high, q3 + 1.5 * math.exp(up * mc) * (q3 - q1))
            self.assertEqual(found.above, int((each > found.high).sum()))
            self.assertEqual(found.below, int((each < found.low).sum()))

    def test_a_skew_is_no_outlier(self):
        """The plain box plot calls a long tail outliers; these fences call it a tail."""
        values = np.random.default_rng(3).exponential(1, 20_000)
        plain = int((values > np.quantile(values, 0.75) + 1.5 * np.ptp(
            np.quantile(values, (0.25, 0.75)))).sum())  # fmt: skip
        self.assertLess(fences_of(values).above, plain / 3)

    def test_no_spread_and_nothing(self):
        self.assertEqual(fences_of(np.array([1.0, 1, 1, 1, 50])).above, 0)
        self.assertTrue(math.isnan(fences_of(np.zeros(0)).low))

    def test_the_sample_is_the_same_each_time(self):
        values = np.random.default_rng(4).gamma(0.5, 9, 60_000)
        self.assertEqual(fences_of(values), fences_of(values.copy()))


if __name__ == "__main__":
    unittest.main()
