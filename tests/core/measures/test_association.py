"""Likeness against SciPy's routines and the definitions; order and pairs."""

import unittest
from itertools import pairwise

import numpy as np
from scipy import stats

from sortija.core.engine import Engine
from sortija.core.measures.association import (
    alike,
    correlation_ratio,
    cramers_v,
    order_by_likeness,
    pearson,
    twins,
)
from sortija.core.measures.bivariate import density, line_through, pair_of
from sortija.core.sampling import sample_rows
from sortija.core.table import Column

RNG = np.random.default_rng(12)
N = 400


def columns():
    x = RNG.normal(0, 1, N)
    y = np.exp(x + RNG.normal(0, 0.2, N))
    z = RNG.normal(0, 1, N)
    z[RNG.random(N) < 0.3] = np.nan
    codes = (np.digitize(x, (-0.5, 0.5)) + 1).astype(np.int32)
    other = RNG.integers(0, 4, N).astype(np.int32)
    return [
        Column("x", "number", x), Column("y", "number", y), Column("z", "number", z),
        Column("g", "category", codes, "", ("low", "mid", "high")),
        Column("h", "category", other, "", ("a", "b", "c")),
        Column("flat", "number", np.full(N, 0.1)),
    ]  # fmt: skip


class Pairs(unittest.TestCase):
    def setUp(self):
        self.columns = columns()

    def test_numbers_against_scipy(self):
        x, y, z = (c.values for c in self.columns[:3])
        straight, ranks = alike(self.columns), alike(self.columns, rank=True, engine=Engine(2))
        both = ~np.isnan(z)
        self.assertAlmostEqual(straight.values[0, 1], stats.pearsonr(x, y).statistic)
        self.assertAlmostEqual(ranks.values[0, 1], stats.spearmanr(x, y).statistic)
        for found, function in ((straight, stats.pearsonr), (ranks, stats.spearmanr)):
            wanted = function(x[both], z[both]).statistic
            self.assertAlmostEqual(found.values[0, 2], wanted)
            self.assertEqual(found.rows[0, 2], both.sum())
            np.testing.assert_array_equal(found.values, found.values.T)
            self.assertTrue(np.isnan(found.values[0, 5]))  # a constant says nothing
        self.assertEqual(straight.kinds[0], ("pearson", "pearson", "pearson", "eta", "eta",
                                             "pearson"))  # fmt: skip
        self.assertEqual(ranks.kinds[3][4], "v")

    def test_categories_against_the_definitions(self):
        x, g, h = self.columns[0].values, self.columns[3].values, self.columns[4].values
        groups = [x[g == code] for code in (1, 2, 3)]
        between = sum(len(part) * (part.mean() - x.mean()) ** 2 for part in groups)
        eta = np.sqrt(between / ((x - x.mean()) ** 2).sum())
        self.assertAlmostEqual(correlation_ratio(g.astype(int), x), eta)
        there = h > 0
        table = np.zeros((3, 3))
        np.add.at(table, (g[there] - 1, h[there] - 1), 1)
        chi = stats.chi2_contingency(table, correction=False).statistic
        n = table.sum()
        phi = max(0, chi / n - 4 / (n - 1))
        wanted = np.sqrt(phi / (3 - 4 / (n - 1) - 1))
        found = alike(self.columns)
        self.assertAlmostEqual(found.values[3, 4], wanted)
        self.assertEqual(found.rows[3, 4], there.sum())
        self.assertAlmostEqual(cramers_v(g.astype(int), g.astype(int)), 1.0, 2)
        self.assertTrue(np.isnan(cramers_v(np.ones(9, int), np.arange(9) % 2)))
        self.assertTrue(np.isnan(correlation_ratio(np.ones(9, int), np.arange(9.0))))

    def test_what_says_the_same_is_named(self):
        found = alike(self.columns, rank=True)
        (first, *_), names = twins(found), found.names
        self.assertEqual({names[first[0]], names[first[1]]}, {"x", "y"})
        self.assertGreater(abs(first[2]), 0.9)
        self.assertEqual(twins(found, 1.01), [])

    def test_alike_ones_stand_together(self):
        size = 12
        kind = RNG.permutation(np.repeat([0, 1, 2], 4))
        values = np.where(kind[:, None] == kind, 0.8, 0.1)
        np.fill_diagonal(values, 1)
        order = order_by_likeness(values)
        self.assertEqual(sorted(order), list(range(size)))
        changes = sum(kind[a] != kind[b] for a, b in pairwise(order))
        self.assertEqual(changes, 2)
        self.assertEqual(order_by_likeness(np.zeros((0, 0))), [])
        self.assertEqual(len(order_by_likeness(np.full((3, 3), np.nan))), 3)

    def test_the_line_is_least_squares(self):
        x, y = self.columns[0].values, self.columns[1].values
        line, wanted = line_through(x, y), stats.linregress(x, y)
        self.assertAlmostEqual(line.slope, wanted.slope)
        self.assertAlmostEqual(line.intercept, wanted.intercept)
        self.assertAlmostEqual(line.r, pearson(x, y))
        self.assertIsNone(line_through(x, np.full(N, 3.0)))
        self.assertIsNone(line_through(x[:2], y[:2]))

    def test_edges_and_density_hold_everyone(self):
        x, z = self.columns[0].values, self.columns[2].values
        found = pair_of(x, z)
        self.assertEqual(len(found.rows), int((~np.isnan(z)).sum()))
        self.assertEqual(found.x_edge.sum(), len(found.rows))
        grid = density(x[found.rows], z[found.rows], found.x_axis, found.y_axis)
        self.assertEqual(grid.sum(), len(found.rows))
        np.testing.assert_array_equal(
            grid[0], density(x[found.rows], z[found.rows], found.x_axis, found.y_axis)[0]
        )
        visits = RNG.integers(0, 25, N).astype(float)
        whole = pair_of(visits, visits, whole=(True, True))
        self.assertLess(len(whole.x_edge), 27)  # a bar per visit, not a comb
        self.assertTrue((whole.x_edge > 0).all())

    def test_a_sample_is_seeded_and_in_order(self):
        rows = np.arange(0, 100_000, 2)
        some = sample_rows(rows, 500)
        self.assertEqual(some.tolist(), sample_rows(rows, 500).tolist())
        self.assertTrue((np.diff(some) > 0).all() and set(some) <= set(rows))
        self.assertIs(sample_rows(rows, 60_000), rows)
        with self.assertRaises(ValueError):
            pair_of(np.zeros(3), np.zeros(4))


if __name__ == "__main__":
    unittest.main()
