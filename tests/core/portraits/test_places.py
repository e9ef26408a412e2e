"""Districts: plain counts, rates drawn towards the whole, likeness, what stands out by chance."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.portraits.places import (
    ShareBeside,
    beside,
    by_place,
    drawn_means,
    drawn_shares,
    like_places,
    means_by_place,
)


class Counting(unittest.TestCase):
    def test_plain_counts_and_means(self):
        rng = np.random.default_rng(41)
        places, codes = rng.integers(-1, 7, 900), rng.integers(-1, 5, 900)
        values = np.where(rng.random(900) < 0.2, np.nan, rng.normal(10, 3, 900))
        counts = by_place(places, 7, codes, 5)
        known, means, sds = means_by_place(places, 7, values)
        for place in range(7):
            for level in range(5):
                self.assertEqual(counts[place, level], np.sum((places == place) & (codes == level)))
            mine = values[(places == place) & ~np.isnan(values)]
            self.assertEqual(known[place], len(mine))
            self.assertAlmostEqual(means[place], mine.mean())
            self.assertAlmostEqual(sds[place], mine.std(ddof=1))


class Drawing(unittest.TestCase):
    def worlds(self, between):
        """Districts of 3 to 300 people whose true shares are Beta, or all alike."""
        rng = np.random.default_rng(42)
        for _ in range(100):
            of = rng.integers(3, 300, 40)
            true = rng.beta(8, 32, 40) if between else np.full(40, 0.2)
            yield of, rng.binomial(of, true), true

    def test_nearer_to_the_truth_than_the_raw_share(self):
        drawn = np.mean([np.mean((drawn_shares(c, n) - t) ** 2) for n, c, t in self.worlds(True)])
        raw = np.mean([np.mean((c / n - t) ** 2) for n, c, t in self.worlds(True)])
        self.assertLess(drawn, 0.6 * raw)

    def test_as_good_as_knowing_how_districts_differ(self):
        """Against the posterior mean of the true Beta(8, 32), which nobody knows."""
        excess = [
            np.mean((drawn_shares(c, n) - t) ** 2) / np.mean(((c + 8) / (n + 40) - t) ** 2)
            for n, c, t in self.worlds(True)
        ]
        self.assertLess(np.mean(excess), 1.1)

    def test_nothing_is_dark_where_all_are_alike(self):
        wide = [np.ptp(drawn_shares(c, n)) for n, c, _ in self.worlds(False)]
        raw = [np.ptp(c / n) for n, c, _ in self.worlds(False)]
        self.assertLess(np.mean(wide), 0.05 * np.mean(raw))

    def test_three_customers_make_no_dark_district(self):
        counts, of = np.array([3, *[20] * 20, *[30] * 20]), np.array([3, *[100] * 40])
        self.assertLess(drawn_shares(counts, of)[0], 0.5)
        self.assertEqual(drawn_shares(np.array([0, 0]), np.array([5, 0])).tolist(), [0, 0])

    def test_means_of_few_are_drawn_furthest(self):
        rng = np.random.default_rng(43)
        errors = []
        for _ in range(100):
            n, true = rng.integers(2, 80, 30), rng.normal(50, 5, 30)
            samples = [rng.normal(t, 20, m) for t, m in zip(true, n, strict=True)]
            means = np.array([s.mean() for s in samples])
            sds = np.array([s.std(ddof=1) for s in samples])
            drawn = drawn_means(n, means, sds)
            errors.append((np.mean((drawn - true) ** 2), np.mean((means - true) ** 2)))
        drawn, raw = np.mean(errors, axis=0)
        self.assertLess(drawn, 0.6 * raw)


class Likeness(unittest.TestCase):
    def test_gower_against_plain_arithmetic(self):
        rng = np.random.default_rng(44)
        for _ in range(50):
            many = rng.integers(20, 200, 12)
            age = rng.normal(50, 10, 12)
            mix = rng.dirichlet([2, 2, 2], 12)
            place = int(rng.integers(12))
            width = max(np.ptp(mix[:, level]) for level in range(3))
            gower = [
                abs(age[n] - age[place]) / np.ptp(age)
                + np.abs(mix[n] - mix[place]).sum() / 2 / width
                for n in range(12)
            ]
            wanted = [n for n in sorted(range(12), key=gower.__getitem__) if n != place][:5]
            self.assertEqual(like_places([age], [mix], many, place), wanted)

    def test_small_and_unknown_districts_are_like_no_other(self):
        age = np.array([30.0, 30.0, 31.0, 50.0, np.nan])
        found = like_places([age], [], np.array([50, 19, 50, 50, 50]), 0)
        self.assertEqual(found, [2, 3])
        self.assertEqual(like_places([], [], np.array([50, 50]), 0), [])


class Besides(unittest.TestCase):
    def test_against_scipy(self):
        lines = [ShareBeside((12, 100), ((20, 100), (24, 100))),
                 ShareBeside((40, 100), ((41, 100), (43, 100)))]  # fmt: skip
        found = beside(lines)
        table = [[12, 88], [44, 156]]
        p = stats.chi2_contingency(table, correction=False).pvalue
        self.assertEqual(found[0].told, min(1, 2 * p) < 0.05)
        self.assertFalse(found[1].told)
        self.assertEqual((found[0].least, found[0].greatest), (0.2, 0.24))
        self.assertIsNone(beside([ShareBeside((0, 0), ((1, 2),))])[0])

    def test_within_its_like_nothing_is_told(self):
        """However sure the difference: one of them is as far off."""
        found = beside([ShareBeside((100, 1000), ((90, 1000), (300, 1000), (310, 1000)))])[0]
        self.assertLess(found.high, 1)
        self.assertGreater(found.low, 0)
        self.assertFalse(found.told)

    def test_where_nothing_is_going_on(self):
        rng = np.random.default_rng(45)
        told = 0
        for _ in range(400):
            n = rng.integers(50, 250, 20)
            counts = np.array([rng.multinomial(m, [0.3, 0.2, 0.2, 0.1, 0.1, 0.1]) for m in n])
            age = rng.normal(0, 1, 20)
            like = like_places([age], [], n, 0)
            lines = [
                ShareBeside((int(counts[0, level]), int(n[0])),
                            tuple((int(counts[m, level]), int(n[m])) for m in like))
                for level in range(6)
            ]  # fmt: skip
            told += any(each.told for each in beside(lines))
        self.assertLess(told, 400 * 0.08)
