"""Groups against a category and two measures by group: other ways, and worlds without a link."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.measures.describe import Axis
from sortija.core.measures.intervals import correlation_interval
from sortija.core.portraits.against import crossed
from sortija.core.portraits.multiples import multiples


class AgainstACategory(unittest.TestCase):
    def test_counts_and_residuals_again(self):
        rng = np.random.default_rng(21)
        groups = rng.integers(0, 5, 1200)  # of whom those of group 4 are outside
        codes = np.where(rng.random(1200) < 0.3, groups % 3 + 1, rng.integers(0, 4, 1200))
        found = crossed(groups, 4, codes, 3)
        for level in range(4):
            for g in range(4):
                both = np.sum((groups == g) & (codes == level))
                self.assertEqual(found.counts[level, g], both)
        wanted = stats.chi2_contingency(found.counts, correction=False)
        self.assertAlmostEqual(found.chi_squared, wanted.statistic)
        np.testing.assert_allclose(found.index, 100 * found.counts / wanted.expected_freq)
        # Of a cell against the rest of its table the square of the residual is χ² of the four.
        n, cell = found.counts.sum(), found.counts[1, 0]
        row, column = found.counts[1].sum(), found.counts[:, 0].sum()
        four = [[cell, row - cell], [column - cell, n - row - column + cell]]
        alone = stats.chi2_contingency(four, correction=False).statistic
        self.assertAlmostEqual(found.residuals[1, 0] ** 2, alone)
        self.assertTrue(found.told[1, 0])

    def test_where_nothing_is_going_on_nothing_is_told(self):
        """In 300 worlds without a link at most about one in twenty tells of any cell."""
        rng, told, spread = np.random.default_rng(22), 0, []
        for _ in range(300):
            found = crossed(
                rng.integers(0, 5, 800), 5, rng.choice(7, 800, p=[0.1] * 5 + [0.25] * 2), 6
            )
            told += bool(found.told.any())
            spread.append(found.residuals.std())
        self.assertLessEqual(told, 24)
        self.assertAlmostEqual(float(np.mean(spread)), 1, delta=0.05)

    def test_a_world_with_one_link_tells_that_one(self):
        rng = np.random.default_rng(23)
        groups = rng.integers(0, 4, 4000)
        codes = rng.integers(1, 5, 4000)
        codes[(groups == 2) & (rng.random(4000) < 0.2)] = 3
        found = crossed(groups, 4, codes, 4)
        self.assertEqual(np.unravel_index(np.nanargmax(found.residuals), (5, 4)), (3, 2))
        self.assertTrue(found.told[3, 2])

    def test_few_and_nobody(self):
        small = crossed(np.array([0, 0, 1]), 2, np.array([1, 1, 2]), 2)
        self.assertFalse(small.told.any())  # three customers tell nothing
        nobody = crossed(np.empty(0, int), 2, np.empty(0, int), 2)
        self.assertTrue(np.isnan(nobody.residuals).all())


class TwoMeasures(unittest.TestCase):
    def test_each_group_again(self):
        rng = np.random.default_rng(24)
        groups = rng.integers(0, 4, 2000)
        x = rng.gamma(3, 4, 2000)
        y = np.exp(0.05 * x * (groups - 1) + rng.normal(0, 0.3, 2000))
        y[::50] = np.nan
        axes = Axis(0.0, 40.0, False), Axis(0.0, 30.0, True)
        found = multiples(x, y, groups, 3, axes)
        for g, one in enumerate(found):
            mine = ~np.isnan(y) & ((groups == g) if g < 3 else groups < 3)
            a, b = x[mine], np.log1p(y[mine])
            test = stats.linregress(a, b)
            self.assertEqual((one.n, one.cells.sum()), (mine.sum(), mine.sum()))
            self.assertAlmostEqual(one.r, test.rvalue)
            around = stats.pearsonr(a, b).confidence_interval(0.95)
            self.assertAlmostEqual(one.low, around.low)
            self.assertAlmostEqual(one.high, around.high)
            top = np.log1p(30)
            self.assertAlmostEqual(one.line[0], test.intercept / top)
            self.assertAlmostEqual(one.line[1], (test.intercept + 40 * test.slope) / top)

    def test_too_few_or_constant(self):
        axes = Axis(0.0, 9.0, False), Axis(0.0, 9.0, False)
        few = multiples(np.arange(9.0), np.arange(9.0), np.zeros(9, int), 1, axes)[0]
        self.assertEqual(few.n, 9)
        self.assertTrue(np.isnan([few.r, *few.line]).all())
        flat = multiples(np.ones(50), np.arange(50.0), np.zeros(50, int), 1, axes)[0]
        self.assertTrue(np.isnan(flat.r))

    def test_the_interval_of_r_covers_its_truth(self):
        rng, inside = np.random.default_rng(25), 0
        for _ in range(400):
            x, y = rng.multivariate_normal([0, 0], [[1, 0.6], [0.6, 1]], 60).T
            low, high = correlation_interval(float(np.corrcoef(x, y)[0, 1]), 60)
            inside += low <= 0.6 <= high
        self.assertTrue(368 <= inside <= 394, inside)


if __name__ == "__main__":
    unittest.main()
