"""Silhouette, stability and comparison against brute force and worked cases."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.compare import adjusted_rand, best_matching, cross_table
from sortija.core.groups.criteria import measure_yard, silhouette
from sortija.core.groups.grouping import group as fit_group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.stability import jaccard_stability
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from sortija.core.measures.preparation import Steps
from tests.core.groups.support import brute_force, centres_of, mixed_table, rows_of


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


class Comparing(unittest.TestCase):
    def test_adjusted_rand_worked_case(self):
        # Hubert & Arabie's formula on a 3 × 3 table, worked by hand.
        first = np.repeat([0, 0, 1, 1, 2, 2], [1, 1, 2, 1, 4, 1])
        second = np.repeat([0, 1, 1, 2, 2, 0], [1, 1, 2, 1, 4, 1])
        table = cross_table(first, second, 3, 3)
        self.assertEqual(table.tolist(), [[1, 1, 0], [0, 2, 1], [1, 0, 4]])
        together, rows, columns, every = 0 + 1 + 6, 1 + 3 + 10, 1 + 3 + 10, 45
        wanted = (together - rows * columns / every) / (
            (rows + columns) / 2 - rows * columns / every
        )
        self.assertAlmostEqual(adjusted_rand(first, second), wanted)

    def test_adjusted_rand_ends(self):
        rng = np.random.default_rng(1)
        a = rng.integers(0, 4, 5000)
        self.assertEqual(adjusted_rand(a, (a + 1) % 4), 1.0)
        self.assertLess(abs(adjusted_rand(a, rng.integers(0, 4, 5000))), 0.01)

    def test_matching(self):
        self.assertEqual(best_matching(np.array([[1, 9], [8, 7]])).tolist(), [1, 0])
        self.assertEqual(best_matching(np.array([[5], [9]])).tolist(), [-1, 0])


if __name__ == "__main__":
    unittest.main()
