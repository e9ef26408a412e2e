"""Trees against SciPy's ``linkage``: heights, groups, and the methods' own limits."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.spatial.distance import squareform

from sortija.core.engine import Engine
from sortija.core.groups import linkages
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.linkages import coordinates, link, ward
from sortija.core.groups.recipe import RecipeError
from sortija.core.groups.tree import tree_of
from sortija.core.progress import Stopped
from tests.core.groups.support import brute_force, centres_of, gower_rows, rows_of

LINKAGES = ("ward", "single", "complete", "average")


def some_rows(seed, m=90, q=0):
    rng = np.random.default_rng(seed)
    middle = rng.normal(0, 3, (4, 3))
    numbers = middle[rng.integers(0, 4, m)] + rng.normal(size=(m, 3))
    return rows_of(numbers, rng.integers(1, 4, (m, q)), [0.7, 1.1][:q])


class AgainstSciPy(unittest.TestCase):
    @settings(max_examples=15)
    @given(st.integers(0, 2**32 - 1), st.sampled_from(LINKAGES), st.integers(2, 150))
    def test_heights_and_groups(self, seed, kind, m):
        rows = some_rows(seed, m)
        tree = link(rows, kind, Engine(1))
        wanted = linkage(rows.numbers.T.astype(float), kind)
        np.testing.assert_allclose(tree.heights, wanted[:, 2], rtol=2e-5, atol=1e-6)
        np.testing.assert_array_equal(np.sort(tree.sizes), np.sort(wanted[:, 3]))
        for k in {2, min(5, m)}:
            groups = fcluster(wanted, k, "maxclust")
            if len(set(groups)) == k:
                self.assertEqual(adjusted_rand(tree.cut(k), groups), 1.0)

    def test_merges_number_clusters_as_the_definition_has_it(self):
        tree = link(rows_of([[0.0], [10.0], [11.0], [0.5], [30.0]]), "complete")
        self.assertEqual(tree.merges.tolist(), [[0, 3], [1, 2], [5, 6], [4, 7]])
        self.assertEqual(tree.sizes.tolist(), [2, 2, 4, 5])
        np.testing.assert_allclose(tree.heights, [0.5, 1, 11, 30])
        self.assertEqual(tree.cut(3).tolist(), [0, 1, 1, 0, 2])
        self.assertEqual(tree.cut(1).tolist(), [0] * 5)
        self.assertEqual(tree.cut(5).tolist(), [0, 1, 2, 3, 4])
        for k in (0, 6):
            with self.assertRaisesRegex(ValueError, f"cannot make {k} groups"):
                tree.cut(k)

    def test_mixed_distances(self):
        rows = some_rows(3, 80, 2)
        everyone = centres_of(rows.numbers.T, rows.codes.T)
        distance = np.sqrt(brute_force(rows, everyone))
        np.fill_diagonal(distance, 0)
        for kind in ("single", "complete", "average"):
            wanted = linkage(squareform(distance, checks=False), kind)
            np.testing.assert_allclose(link(rows, kind).heights, wanted[:, 2], rtol=2e-5)

    def test_ward_of_mixed_data_goes_by_points_whose_squared_distances_are_d(self):
        rows = some_rows(4, 70, 2)
        points = coordinates(rows)
        gaps = ((points[:, :, None] - points[:, None]) ** 2).sum(axis=0)
        everyone = centres_of(rows.numbers.T, rows.codes.T)
        np.testing.assert_allclose(gaps, brute_force(rows, everyone), atol=1e-4)
        wanted = linkage(points.T, "ward")
        np.testing.assert_allclose(link(rows, "ward").heights, wanted[:, 2], rtol=1e-6)

    def test_gower(self):
        rows, wanted = gower_rows(np.random.default_rng(5), 60)
        for kind in ("single", "complete", "average"):
            tree = linkage(squareform(wanted, checks=False), kind)
            np.testing.assert_allclose(link(rows, kind).heights, tree[:, 2], rtol=2e-5, atol=1e-6)
        with self.assertRaisesRegex(RecipeError, "Ward needs Euclidean"):
            link(rows, "ward")


class Weighted(unittest.TestCase):
    def test_points_that_stand_for_many_rows_join_as_the_rows_would(self):
        rng = np.random.default_rng(1)
        points = rng.normal(size=(3, 40)) * 5
        weights = rng.integers(1, 6, 40)
        many = np.repeat(points, weights, axis=1)
        wanted = linkage(many.T, "ward")[:, 2]
        found = ward(points, weights)
        np.testing.assert_allclose(found.heights, wanted[-39:], rtol=1e-6)
        self.assertEqual(found.sizes[-1], weights.sum())


class Limits(unittest.TestCase):
    def test_alike_rows_join_at_nothing(self):
        rows = rows_of(np.ones((300, 2)))
        for kind in LINKAGES:
            tree = link(rows, kind)
            self.assertEqual(tree.heights.max(), 0.0)
            self.assertEqual(len(set(tree.cut(4).tolist())), 4)

    def test_one_and_two_rows(self):
        for kind in LINKAGES:
            self.assertEqual(link(rows_of([[1.0]]), kind).cut(1).tolist(), [0])
            np.testing.assert_allclose(link(rows_of([[1.0], [4.0]]), kind).heights, [3.0])

    def test_too_many_rows_are_refused_with_a_way_out(self):
        rows = some_rows(1, 50)
        with mock.patch.multiple(linkages, MOST_EXACT=40, MOST_MATRIX=30):
            with self.assertRaisesRegex(
                RecipeError, "at most 30 customers, and there are 50.*Ward"
            ):
                link(rows, "average")
            with self.assertRaisesRegex(RecipeError, "at most 40 customers"):
                link(rows, "single")

    def test_it_can_be_stopped_between_merges(self):
        heard = []

        def progress(stage, done, of):
            heard.append((stage, done, of))
            if stage == "joining groups" and done:
                raise Stopped

        for kind in LINKAGES:
            with self.assertRaises(Stopped):
                link(some_rows(2, 900), kind, Engine(1), progress)
        self.assertIn(("joining groups", 256, 899), heard)

    def test_a_tree_from_merges_in_the_order_of_a_chain(self):
        pairs, heights = np.array([[2, 3], [0, 1], [1, 2]]), np.array([5.0, 1.0, 9.0])
        tree = tree_of(pairs, heights, np.array([1, 1, 4, 1]))
        self.assertEqual(tree.merges.tolist(), [[0, 1], [2, 3], [4, 5]])
        self.assertEqual(tree.sizes.tolist(), [2, 5, 7])


if __name__ == "__main__":
    unittest.main()
