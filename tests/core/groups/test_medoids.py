"""k-medoids against exhaustion and Gower's definition."""

import unittest
from itertools import combinations
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.engine import Engine
from sortija.core.groups import medoids
from sortija.core.groups.grouping import group
from sortija.core.groups.medoids import distance_matrix, medoid_of, swap_medoids
from sortija.core.groups.recipe import Recipe, RecipeError, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.progress import Stopped
from sortija.core.table import Column, Table
from tests.core.groups.support import gower_rows, mixed_table


def cost_of(distance, places):
    return float(distance[:, list(places)].min(axis=1).sum(dtype=np.float64))


class Swaps(unittest.TestCase):
    @settings(max_examples=40)
    @given(st.integers(0, 2**32 - 1), st.integers(1, 5), st.integers(6, 40))
    def test_no_single_swap_improves(self, seed, k, n):
        rng = np.random.default_rng(seed)
        distance = distance_matrix(gower_rows(rng, n)[0])
        found = swap_medoids(distance, rng.choice(n, k, replace=False))
        self.assertAlmostEqual(found.cost, cost_of(distance, found.rows), places=5)
        self.assertEqual(len(set(found.rows.tolist())), k)
        np.testing.assert_array_equal(
            distance[np.arange(n), found.rows[found.labels]], distance[:, found.rows].min(axis=1)
        )
        for place in range(k):
            for other in range(n):
                swapped = found.rows.copy()
                swapped[place] = other
                self.assertGreaterEqual(cost_of(distance, swapped), found.cost - 1e-5)

    def test_restarts_find_the_best_of_all_choices(self):
        equal = 0
        for seed in range(40):
            rng = np.random.default_rng(seed)
            distance = distance_matrix(gower_rows(rng, 9)[0])
            best = min(cost_of(distance, places) for places in combinations(range(9), 3))
            tries = [
                swap_medoids(distance, rng.choice(9, 3, replace=False)).cost for _ in range(10)
            ]
            self.assertGreaterEqual(min(tries), best - 1e-5)
            equal += min(tries) < best + 1e-5
        self.assertGreaterEqual(equal, 38)

    def test_it_can_be_stopped(self):
        def progress(stage, done, of):
            raise Stopped

        with self.assertRaises(Stopped):
            swap_medoids(np.zeros((9, 9), np.float32), np.array([0, 1]), progress)

    def test_the_middle_member(self):
        distance = np.abs(np.arange(6.0)[:, None] - np.arange(6.0)).astype(np.float32)
        self.assertEqual(medoid_of(distance, np.array([0, 3, 4, 5])), 3)


class Gower(unittest.TestCase):
    def test_distances_from_the_definition(self):
        rows, wanted = gower_rows(np.random.default_rng(2), 50)
        np.testing.assert_allclose(distance_matrix(rows, Engine(2)), wanted, atol=1e-6)

    def test_grouped_by_it(self):
        table, group_ = mixed_table(400)
        recipe = Recipe({"x": Steps(), "y": Steps()}, ("c",), method="k-medoids", starts=3)
        fit = group(prepare(table, recipe), 3, recipe, Engine(2))
        self.assertGreater(np.mean([len(set(group_[fit.labels == g])) == 1 for g in range(3)]), 0.9)
        self.assertEqual(fit.moved, 0.0)

    def test_too_many_rows_are_refused(self):
        recipe = Recipe({"x": Steps()}, method="k-medoids")
        table = Table((Column("x", "number", np.arange(50.0)),))
        words = "at most 40 customers, and there are 50"
        with (
            mock.patch.object(medoids, "MOST_ROWS", 40),
            self.assertRaisesRegex(RecipeError, words),
        ):
            group(prepare(table, recipe), 2, recipe)


if __name__ == "__main__":
    unittest.main()
