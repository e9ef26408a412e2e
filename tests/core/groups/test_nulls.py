"""Where there is nothing to find it is said so; where there is, it is found."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.nulls import (
    gap_statistic,
    null_bound,
    null_bounds,
    null_rows,
    null_silhouettes,
)
from sortija.core.groups.recipe import Recipe, RecipeError
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from tests.core.groups.support import gower_rows, rows_of

KS = range(2, 8)
PLAIN = Recipe({}, method="k-means")


class Clear(unittest.TestCase):
    """A suggestion as a sweep makes it, null references and stability included."""

    @classmethod
    def setUpClass(cls):
        cls.engine = Engine(2)
        cls.addClassCleanup(cls.engine.release)

    def suggested(self, rows, recipe=PLAIN):
        found = list(sweep(rows, KS, recipe, self.engine))
        without = null_silhouettes(rows, KS, recipe, self.engine)
        return suggest(
            [c.k for c in found], [c.silhouette for c in found], [c.weakest for c in found],
            [c.smallest for c in found], null_bound(without),
        )  # fmt: skip

    def test_nothing_to_find(self):
        rng = np.random.default_rng(5)
        n = 2500
        blend = np.array([[1.0, 0.8, 0.3], [0, 0.6, -0.5], [0, 0, 0.7]])
        cases = {
            "uniform square": rows_of(rng.random((n, 2))),
            "uniform line": rows_of(rng.random((n, 1))),
            "one correlated Gaussian": rows_of(rng.normal(size=(n, 3)) @ blend),
            "mixed noise": rows_of(rng.normal(size=(n, 3)), rng.integers(1, 4, (n, 2)), [1.5, 1.5]),
        }
        for name, rows in cases.items():
            recipe = Recipe({}, ("c0", "c1")) if len(rows.codes) else PLAIN
            found = self.suggested(rows, recipe)
            self.assertIsNone(found.k, f"{name}: {found.words}")
            self.assertIn("No clear grouping", found.words)

    def test_four_blobs(self):
        rng = np.random.default_rng(6)
        middle = np.array([[0, 0], [7, 0], [0, 7], [7, 7.5]])
        found = self.suggested(
            rows_of(middle[rng.integers(0, 4, 2500)] + rng.normal(size=(2500, 2)))
        )
        self.assertEqual(found.k, 4)
        self.assertIn("4 groups hold", found.words)
        self.assertIn("above the", found.words)


class Tables(unittest.TestCase):
    def test_what_a_table_without_groups_keeps(self):
        rng = np.random.default_rng(1)
        blend = np.array([[2.0, 1.5], [0, 0.5]])
        numbers = rng.normal(size=(4000, 2)) @ blend + [3, -8]
        codes = np.where(numbers[:, :1] > 3, 1, rng.integers(2, 4, (4000, 1)))
        rows = rows_of(numbers, codes, [1.0])
        normal = null_rows(rows, True, rng, 20_000)
        np.testing.assert_allclose(normal.numbers.mean(axis=1), [3, -8], atol=0.1)
        np.testing.assert_allclose(np.cov(normal.numbers), np.cov(numbers.T), rtol=0.06)
        even = null_rows(rows, False, rng, 20_000)
        _, axes = np.linalg.eigh(np.cov(numbers.T))
        along = axes.T @ (even.numbers - rows.numbers.mean(axis=1)[:, None])
        for line, own in zip(along, axes.T @ (numbers - numbers.mean(axis=0)).T, strict=True):
            self.assertAlmostEqual(line.min(), own.min(), delta=0.01 * np.ptp(own))
            self.assertAlmostEqual(line.max(), own.max(), delta=0.01 * np.ptp(own))
            shares, _ = np.histogram(line, 10)
            self.assertLess(np.abs(shares - 2000).max(), 250)
        # Levels keep their shares, but say nothing of the numbers any more.
        shares = np.bincount(even.codes[0], minlength=4) / 20_000
        np.testing.assert_allclose(shares, np.bincount(codes[:, 0], minlength=4) / 4000, atol=0.02)
        apart = [even.numbers[0][even.codes[0] == c].mean() for c in (1, 2, 3)]
        self.assertLess(np.ptp(apart), 0.2)

    def test_a_uniform_square_alone_reaches_much(self):
        rows = rows_of(np.random.default_rng(2).random((2000, 2)))
        found = null_silhouettes(rows, [3, 4], PLAIN, Engine(2))
        self.assertEqual(found.shape, (20, 2))
        self.assertGreater(found[::2].max(axis=1).min(), 0.36)
        np.testing.assert_array_equal(null_bounds(found), found.max(axis=0))
        largest = found.max(axis=1)
        wanted = max(k.max() + k.std() for k in (largest[::2], largest[1::2]))
        self.assertAlmostEqual(null_bound(found), wanted)
        again = null_silhouettes(rows, [3, 4], PLAIN, Engine(1))
        np.testing.assert_array_equal(found, again)

    def test_tables_with_too_few_different_rows(self):
        rows = rows_of(np.zeros((50, 0)), np.repeat([[1], [2]], 25, axis=0), [1.0])
        found = null_silhouettes(rows, [2, 3], Recipe({}, ("c0",), method="k-modes"))
        self.assertTrue(np.isnan(found[:, 1]).all())
        self.assertEqual(null_bounds(found)[1], -1.0)
        self.assertEqual(null_bound(found[:, 1:]), -1.0)


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
