"""Intervals against SciPy, published examples and worlds whose truth is known."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.measures.intervals import effect_interval, holm, mean_half_width, newcombe, wilson


class Intervals(unittest.TestCase):
    def test_wilson_as_scipy_has_it(self):
        for count, of in ((0, 20), (3, 40), (20, 40), (400, 400), (17, 1000)):
            theirs = stats.binomtest(count, of).proportion_ci(method="wilson")
            np.testing.assert_allclose(wilson(count, of), theirs, atol=1e-12)

    def test_differences_of_shares_as_published(self):
        # Newcombe 1998, Statistics in Medicine 17, table II, method 10.
        for pair, wanted in (
            (((56, 70), (48, 80)), (0.0524, 0.3339)), (((9, 10), (3, 10)), (0.1705, 0.8090)),
            (((6, 7), (2, 7)), (0.0582, 0.8062)), (((5, 56), (0, 29)), (-0.0381, 0.1926)),
            (((0, 10), (0, 20)), (-0.1611, 0.2775)), (((10, 10), (0, 20)), (0.6791, 1.0)),
        ):  # fmt: skip
            np.testing.assert_allclose(newcombe(*pair), wanted, atol=6e-5)

    def test_means_as_scipy_has_it(self):
        x = np.random.default_rng(1).normal(3, 2, 17)
        half = mean_half_width(x.std(ddof=1), 17)
        low, high = stats.t.interval(0.95, 16, x.mean(), stats.sem(x))
        np.testing.assert_allclose((x.mean() - half, x.mean() + half), (low, high))
        self.assertTrue(np.isnan(mean_half_width(0.0, 1)))

    def test_effects_cover_their_truth(self):
        rng, covered = np.random.default_rng(2), 0
        for _ in range(1000):
            x, y = rng.normal(0.4, 1, 60), rng.normal(0, 1, 90)
            pooled = np.sqrt((59 * x.var(ddof=1) + 89 * y.var(ddof=1)) / 148)
            low, high = effect_interval((x.mean() - y.mean()) / pooled, 60, 90)
            covered += low <= 0.4 <= high
        self.assertTrue(930 <= covered <= 970, covered)

    def test_holm_refuses_as_often_as_it_says(self):
        self.assertEqual(holm([0.2, float("nan"), 0.01])[2], 0.02)
        self.assertTrue(np.isnan(holm([0.2, float("nan")])[1]))
        rng = np.random.default_rng(3)
        alarms = sum(min(holm(rng.random(20).tolist())) < 0.05 for _ in range(2000))
        self.assertTrue(70 <= alarms <= 130, alarms)
