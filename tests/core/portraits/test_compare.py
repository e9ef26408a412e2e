"""Two groups against each other, separation by ranks, the money curve: against other ways."""

import unittest
import warnings

import numpy as np
from scipy import stats

from sortija.core.portraits.curve import money_curve
from sortija.core.portraits.pairwise import Sample, means_apart, shares_apart
from sortija.core.portraits.ranks import by_ranks


def sample(values):
    return Sample(len(values), float(values.mean()), float(values.std(ddof=1)))


class TwoGroups(unittest.TestCase):
    def test_means_against_scipy(self):
        rng = np.random.default_rng(5)
        for n, m, apart, wide in ((12, 40, 0.0, 1.0), (200, 30, 0.7, 3.0), (2, 2, 5.0, 0.2)):
            one, other = rng.normal(apart, 1, n), rng.normal(0, wide, m)
            with self.subTest(n=n):
                found = means_apart(sample(one), sample(other))
                wanted = stats.ttest_ind(one, other, equal_var=False).confidence_interval(0.95)
                self.assertAlmostEqual(found.low, wanted.low)
                self.assertAlmostEqual(found.high, wanted.high)
                pooled = np.sqrt(
                    (one.var(ddof=1) * (n - 1) + other.var(ddof=1) * (m - 1)) / (n + m - 2)
                )
                self.assertAlmostEqual(found.d, (one.mean() - other.mean()) / pooled)
                self.assertTrue(found.d_low < found.d < found.d_high)
                self.assertEqual(found.told, wanted.low > 0 or wanted.high < 0)

    def test_where_nothing_is_going_on_few_are_told(self):
        """Of 400 pairs from one population about a twentieth, of numbers and of shares."""
        rng = np.random.default_rng(6)
        means = [means_apart(sample(rng.gamma(2, 10, 80)), sample(rng.gamma(2, 10, 50))).told
                 for _ in range(400)]  # fmt: skip
        shares = [shares_apart((rng.binomial(80, 0.3), 80), (rng.binomial(50, 0.3), 50)).told
                  for _ in range(400)]  # fmt: skip
        for told in (means, shares):
            self.assertTrue(6 <= sum(told) <= 36, sum(told))

    def test_too_few_to_tell(self):
        one = means_apart(Sample(1, 3.0, float("nan")), Sample(9, 2.0, 1.0))
        self.assertEqual(one.value, 1.0)
        self.assertTrue(np.isnan([one.low, one.high, one.d]).all())
        self.assertFalse(one.told)
        same = means_apart(Sample(5, 2.0, 0.0), Sample(5, 1.0, 0.0))
        self.assertEqual((same.low, same.high), (1.0, 1.0))
        self.assertTrue(np.isnan(shares_apart((0, 0), (1, 2)).value))


class ByRanks(unittest.TestCase):
    def test_against_scipy(self):
        rng = np.random.default_rng(7)
        groups = rng.integers(0, 5, 600)  # of whom those of group 4 are outside
        values = np.round(rng.exponential(1 + groups % 2, 600), 1)  # with ties
        values[:30] = np.nan
        found = by_ranks(values, groups, 4)
        parts = [values[(groups == g) & ~np.isnan(values)] for g in range(4)]
        wanted = stats.kruskal(*parts)
        self.assertAlmostEqual(found.h, wanted.statistic)
        self.assertAlmostEqual(found.p, wanted.pvalue)
        n = sum(map(len, parts))
        self.assertAlmostEqual(found.eta_squared, found.h / (n - 1))

    def test_one_outlier_moves_the_mean_and_not_the_ranks(self):
        rng = np.random.default_rng(8)
        values, groups = rng.normal(size=200), np.repeat([0, 1], 100)
        values[0] = 1e6
        self.assertGreater(by_ranks(values, groups, 2).p, 0.01)

    def test_nothing_to_tell(self):
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            for values, k in ((np.full(4, np.nan), 2), (np.ones(4), 2), (np.arange(4.0), 1)):
                self.assertTrue(np.isnan(by_ranks(values, np.array([0, 0, 1, 1]), k).p))


class Curve(unittest.TestCase):
    def test_against_plain_counts(self):
        rng = np.random.default_rng(9)
        money = rng.lognormal(3, 1, 997).astype(np.int64)
        groups = rng.integers(0, 5, 997)
        found = money_curve(money, groups, 4)
        mine = groups < 4
        falling = sorted(money[mine].tolist(), reverse=True)
        for share, told in zip(found.customers, found.money, strict=True):
            upto = round(share * len(falling))
            self.assertAlmostEqual(told, sum(falling[:upto]) / sum(falling))
        half = round(found.half * len(falling))
        self.assertGreaterEqual(sum(falling[:half]), sum(falling) / 2)
        self.assertLess(sum(falling[: half - 1]), sum(falling) / 2)
        means = [money[groups == g].mean() for g in found.order]
        self.assertEqual(means, sorted(means, reverse=True))
        for step, g in enumerate(found.order):
            self.assertAlmostEqual(
                found.group_money[step + 1] - found.group_money[step],
                money[groups == g].sum() / sum(falling),
            )
        self.assertEqual((found.group_money[-1], found.group_customers[-1]), (1.0, 1.0))

    def test_returns_and_no_money(self):
        back = money_curve(np.array([100, -20, 20]), np.array([0, 0, 1]), 2, points=3)
        self.assertEqual(back.money.tolist(), [0.0, 1.0, 1.2, 1.0])
        self.assertEqual(back.half, 1 / 3)
        nothing = money_curve(np.zeros(3, np.int64), np.array([0, 0, 1]), 2)
        self.assertEqual(len(nothing.order), 0)


if __name__ == "__main__":
    unittest.main()
