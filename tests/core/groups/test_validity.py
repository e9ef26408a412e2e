"""Silhouette, stability and comparison against brute force and worked cases."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group as fit_group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.stability import jaccard_stability
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from sortija.core.groups.validity import (
    figures_of,
    knee_of,
    measure_yard,
    own_distances,
    silhouette,
    total_cost,
)
from sortija.core.measures.preparation import Steps
from tests.core.groups.support import brute_force, centres_of, gower_rows, mixed_table, rows_of


def by_hand(distance, labels):
    widths = []
    for i, own in enumerate(labels):
        mine = [distance[i, j] for j in range(len(labels)) if labels[j] == own and j != i]
        if not mine:
            widths.append(0.0)
            continue
        others = [
            np.mean([distance[i, j] for j in range(len(labels)) if labels[j] == g])
            for g in set(labels) - {own}
        ]
        a, b = np.mean(mine), min(others)
        widths.append((b - a) / max(a, b))
    return np.array(widths)


class Silhouettes(unittest.TestCase):
    def test_against_the_definition(self):
        rng = np.random.default_rng(2)
        rows = rows_of(rng.normal(size=(60, 3)), rng.integers(1, 4, (60, 2)), [0.4, 0.9])
        labels = rng.integers(0, 3, 60).astype(np.int32)
        labels[0] = 3  # a singleton counts 0
        everyone = centres_of(rows.numbers.T, rows.codes.T)
        wanted = by_hand(np.sqrt(brute_force(rows, everyone)), labels.tolist())
        found = silhouette(measure_yard(rows, 1), labels, 4)
        self.assertTrue(found.exact)
        self.assertAlmostEqual(found.mean, wanted.mean(), places=4)
        for group in range(4):
            self.assertAlmostEqual(found.by_group[group], wanted[labels == group].mean(), places=4)

    def test_a_sample_of_many_is_close_and_says_so(self):
        rng = np.random.default_rng(3)
        group = rng.integers(0, 2, 12_000)
        rows = rows_of(rng.normal(group[:, None] * 6.0, 1.0, (12_000, 2)))
        found = silhouette(measure_yard(rows, 1, Engine(2)), group.astype(np.int32), 2)
        self.assertFalse(found.exact)
        small = rows.take(np.arange(4000))
        exact = silhouette(measure_yard(small, 1), group[:4000].astype(np.int32), 2)
        self.assertAlmostEqual(found.mean, exact.mean, delta=0.02)


class Stability(unittest.TestCase):
    def test_clear_groups_come_back_and_made_up_ones_do_not(self):
        table, _ = mixed_table(n=900)
        recipe = Recipe({"x": Steps(), "y": Steps()}, ("c",))
        rows = prepare(table, recipe)
        engine = Engine(2)
        clear = fit_group(rows, 3, recipe, engine)
        again = jaccard_stability(rows, clear.labels, 3, recipe, engine=engine)
        self.assertGreater(again.min(), 0.9)
        arbitrary = np.random.default_rng(99).integers(0, 3, len(rows)).astype(np.int32)
        self.assertLess(jaccard_stability(rows, arbitrary, 3, recipe, engine=engine).max(), 0.5)
        engine.release()


class Sweeping(unittest.TestCase):
    def test_three_groups_are_found_and_a_run_can_be_repeated(self):
        table, group = mixed_table(n=900)
        recipe = Recipe({"x": Steps(), "y": Steps()}, ("c",))
        rows = prepare(table, recipe)
        first, second = (list(sweep(rows, range(2, 6), recipe, Engine(t))) for t in (1, 2))
        for a, b in zip(first, second, strict=True):
            np.testing.assert_array_equal(a.fit.labels, b.fit.labels)
            self.assertEqual((a.fit.cost, a.silhouette), (b.fit.cost, b.silhouette))
        self.assertGreater(adjusted_rand(first[1].fit.labels, group), 0.95)
        found = suggest(
            [c.k for c in first], [c.silhouette for c in first],
            [float(c.stability.min()) for c in first], [c.smallest for c in first],
        )  # fmt: skip
        self.assertEqual(found.k, 3)
        costs = [c.fit.cost for c in first]
        self.assertEqual(costs, sorted(costs, reverse=True))

    def test_suggestions_say_why(self):
        self.assertIsNone(suggest([2, 3], [0.3, 0.2], [0.4, 0.55], [0.4, 0.2]).k)
        found = suggest([2, 3, 4], [0.3, 0.35, 0.5], [0.9, 0.8, 0.7], [0.4, 0.2, 0.01])
        self.assertEqual(found.k, 3)
        self.assertIn("with 4 the smallest group has only 1.0%", found.words)
        self.assertIsNone(suggest([], [], [], []).k)


class Figures(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(8)
        self.rows = rows_of(
            self.rng.normal(size=(90, 3)), self.rng.integers(1, 4, (90, 2)), [0.4, 0.9]
        )
        recipe = Recipe({}, ("c0", "c1"), starts=3)
        self.fit = fit_group(self.rows, 4, recipe)
        self.own = brute_force(self.rows, self.fit.centres)[np.arange(90), self.fit.labels]

    def test_own_distances_and_errors(self):
        np.testing.assert_allclose(own_distances(self.rows, self.fit), self.own, rtol=1e-5)
        found = figures_of(self.rows, self.fit)
        for g in range(4):
            mine = self.own[self.fit.labels == g]
            self.assertAlmostEqual(found.error[g], mine.mean(), places=4)
            self.assertAlmostEqual(found.share[g], mine.sum() / self.own.sum(), places=5)

    def test_calinski_harabasz(self):
        # The cost of one group: about the mean, and everyone off the commonest level.
        x, codes = self.rows.numbers.T.astype(float), self.rows.codes.T
        total = ((x - x.mean(axis=0)) ** 2).sum()
        for a, gamma in enumerate((0.4, 0.9)):
            total += gamma * (90 - np.bincount(codes[:, a]).max())
        self.assertAlmostEqual(total_cost(self.rows), total, places=3)
        wanted = ((total - self.own.sum()) / 3) / (self.own.sum() / 86)
        self.assertAlmostEqual(
            figures_of(self.rows, self.fit).criteria["calinski_harabasz"], wanted, delta=1e-3
        )

    def test_explained_is_the_ratio_of_variances_where_all_are_numbers(self):
        x = self.rng.normal(size=(120, 2)) + np.repeat([[0, 0], [3, 1], [0, 4]], 40, axis=0)
        rows = rows_of(x, np.zeros((120, 0), int), [])
        fit = fit_group(rows, 3, Recipe({}, starts=3))
        within = sum(x[fit.labels == g].var(axis=0).sum() * fit.counts[g] for g in range(3))
        wanted = 1 - within / (x.var(axis=0).sum() * 120)
        self.assertAlmostEqual(figures_of(rows, fit).criteria["explained"], wanted, places=4)

    def test_davies_bouldin(self):
        labels, k = self.fit.labels, 4
        spread = [np.sqrt(self.own[labels == g]).mean() for g in range(k)]
        middle = rows_of(self.fit.centres.numbers, self.fit.centres.modes, [0.4, 0.9])
        apart = np.sqrt(brute_force(middle, self.fit.centres))
        worst = [
            max((spread[a] + spread[b]) / apart[a, b] for b in range(k) if b != a) for a in range(k)
        ]
        self.assertAlmostEqual(
            figures_of(self.rows, self.fit).criteria["davies_bouldin"], np.mean(worst), places=4
        )

    def test_gower_and_one_group_have_neither(self):
        rows, _ = gower_rows(self.rng, 40)
        fit = fit_group(rows, 2, Recipe({}, method="k-medoids", starts=2))
        for found in (figures_of(rows, fit), figures_of(self.rows, fit_group(
            self.rows, 1, Recipe({}, starts=1)
        ))):  # fmt: skip
            self.assertTrue(np.isnan(list(found.criteria.values())).all())
            self.assertAlmostEqual(found.share.sum(), 1.0)


class Knees(unittest.TestCase):
    def test_where_the_curve_bends(self):
        ks = list(range(2, 11))
        # Steep to 5, then flat.
        self.assertEqual(knee_of(ks, [100, 70, 40, 12, 10, 8.5, 7, 6, 5]), 5)
        # A worked case of Satopää et al.: y = −1/x + 5 turned over bends near the first third.
        x = np.linspace(0.1, 1, 10)
        self.assertEqual(knee_of(list(range(10)), 1 / x), 2)

    def test_no_bend(self):
        self.assertIsNone(knee_of([2, 3, 4, 5], [40, 30, 20, 10]))
        self.assertIsNone(knee_of([2, 3], [4, 1]))
        self.assertIsNone(knee_of([2, 3, 4], [1, 1, 1]))
        self.assertIsNone(knee_of([2, 3, 4], [1, 2, 3]))
        self.assertIsNone(knee_of([2, 3, 4], [9, float("nan"), 3]))


class SmallGroups(unittest.TestCase):
    def test_a_group_that_the_sample_hardly_sees_is_looked_at_and_weighed_back(self):
        rng = np.random.default_rng(4)
        labels = np.zeros(30_000, np.int32)
        labels[15_000:] = 1
        labels[-60:] = 2
        numbers = rng.normal(size=(30_000, 2)) + np.array([[0, 0], [6, 0], [3, 9]])[labels]
        rows = rows_of(numbers)
        yard = measure_yard(rows, 3, Engine(2))
        found = silhouette(yard, labels, 3, Engine(2))
        self.assertLess((labels[yard.places] == 2).sum(), 30)
        self.assertEqual((labels[found.places] == 2).sum(), 50)
        counts = np.bincount(labels)
        self.assertAlmostEqual(found.mean, (found.by_group * counts).sum() / 30_000)
        # Against the definition on the very rows that were looked at.
        few = np.concatenate([
            rng.choice(found.places[labels[found.places] == g], 30) for g in range(3)
        ])  # fmt: skip
        x = numbers.astype(np.float32).astype(float)
        for row in few:
            away = np.sqrt(((x[found.places] - x[row]) ** 2).sum(axis=1))
            mine = labels[found.places]
            means = [away[mine == g].sum() / ((mine == g).sum() - (g == labels[row]))
                     for g in range(3)]  # fmt: skip
            inside = means.pop(labels[row])
            wanted = (min(means) - inside) / max(min(means), inside)
            place = int(np.flatnonzero(found.places == row)[0])
            self.assertAlmostEqual(found.widths[place], wanted, places=3)


if __name__ == "__main__":
    unittest.main()
