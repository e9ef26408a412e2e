"""Where there is nothing to find it is said so; where there is, it is found."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.null_models import KINDS, gap_statistic, null_figures, null_rows
from sortija.core.groups.recipe import Recipe, RecipeError
from sortija.core.groups.unimodal import dip
from tests.core.groups.support import gower_rows, rows_of

PLAIN = Recipe({}, method="k-means")


class Tables(unittest.TestCase):
    def test_what_a_table_without_groups_keeps(self):
        rng = np.random.default_rng(1)
        blend = np.array([[2.0, 1.5], [0, 0.5]])
        numbers = rng.normal(size=(4000, 2)) @ blend + [3, -8]
        codes = np.where(numbers[:, :1] > 3, 1, rng.integers(2, 4, (4000, 1)))
        rows = rows_of(numbers, codes, [1.0])
        bulk = null_rows(rows, "bulk", rng, 20_000)
        np.testing.assert_allclose(bulk.numbers.mean(axis=1), [3, -8], atol=0.1)
        np.testing.assert_allclose(np.cov(bulk.numbers), np.cov(numbers.T), rtol=0.06)
        even = null_rows(rows, "even", rng, 20_000)
        _, axes = np.linalg.eigh(np.cov(numbers.T))
        along = axes.T @ (even.numbers - rows.numbers.mean(axis=1)[:, None])
        for line, own in zip(along, axes.T @ (numbers - numbers.mean(axis=0)).T, strict=True):
            self.assertAlmostEqual(line.min(), own.min(), delta=0.01 * np.ptp(own))
            self.assertAlmostEqual(line.max(), own.max(), delta=0.01 * np.ptp(own))
            shares, _ = np.histogram(line, 10)
            self.assertLess(np.abs(shares - 2000).max(), 250)
        # Levels keep their shares, but say nothing of the numbers any more.
        for table in (even, bulk):
            shares = np.bincount(table.codes[0], minlength=4) / 20_000
            wanted = np.bincount(codes[:, 0], minlength=4) / 4000
            np.testing.assert_allclose(shares, wanted, atol=0.02)
            apart = [table.numbers[0][table.codes[0] == c].mean() for c in (1, 2, 3)]
            self.assertLess(np.ptp(apart), 0.2)

    def test_a_skewed_column_stays_skewed_and_two_humps_become_one(self):
        rng = np.random.default_rng(4)
        skewed = np.exp(rng.normal(size=6000))
        humps = np.where(rng.random(6000) < 0.5, 0.0, 6.0) + rng.normal(size=6000)
        steps = rng.integers(1, 6, 6000)
        rows = rows_of(np.column_stack([skewed, humps, steps]))
        made = null_rows(rows, "bulk", rng, 6000).numbers
        at = [0.05, 0.25, 0.5, 0.75, 0.95, 0.99]
        np.testing.assert_allclose(np.quantile(made[0], at), np.quantile(skewed, at), rtol=0.15)
        self.assertGreater(dip(humps), 0.05)
        self.assertLess(dip(made[1]), 0.02)
        self.assertEqual(set(made[2]), {1, 2, 3, 4, 5})  # few values are no humps

    def test_figures_are_the_same_on_any_number_of_threads(self):
        rows = rows_of(np.random.default_rng(2).random((1000, 2)))
        found = null_figures(rows, [3, 4], PLAIN, Engine(2))
        self.assertEqual(
            {k: v.shape for k, v in found.items()}, dict.fromkeys(KINDS[:2], (2, 12, 2))
        )
        self.assertGreater(found["even"][0].max(axis=1).min(), 0.36)
        again = null_figures(rows, [3, 4], PLAIN, Engine(1))
        for kind in found:
            np.testing.assert_array_equal(found[kind], again[kind])

    def test_tables_with_too_few_different_rows(self):
        rows = rows_of(np.zeros((50, 0)), np.repeat([[1], [2]], 25, axis=0), [1.0])
        found = null_figures(rows, [2, 3], Recipe({}, ("c0",), method="k-modes"))
        self.assertTrue(np.isnan(found["even"][0][:, 1]).all())


class Gaps(unittest.TestCase):
    def test_three_blobs_and_none(self):
        rng = np.random.default_rng(3)
        middle = np.array([[0, 0], [8, 0], [4, 8]])
        rows = rows_of(middle[rng.integers(0, 3, 900)] + rng.normal(size=(900, 2)))
        self.assertEqual(gap_statistic(rows, range(1, 7), PLAIN, Engine(2)).k, 3)
        even = rows_of(rng.random((900, 2)))
        self.assertEqual(gap_statistic(even, range(1, 7), PLAIN, Engine(2)).k, 1)

    def test_gower_has_none(self):
        rows, _ = gower_rows(np.random.default_rng(1), 30)
        with self.assertRaisesRegex(RecipeError, "gap statistic needs D"):
            gap_statistic(rows, [2, 3], Recipe({}, method="k-medoids"))


if __name__ == "__main__":
    unittest.main()
