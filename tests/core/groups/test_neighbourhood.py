"""The map: alike customers side by side, the same every time, and judged by its definition."""

import unittest
from unittest import mock

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups import neighbourhood
from sortija.core.groups.neighbourhood import nearest_rows, neighbourhood_of, trustworthiness
from sortija.core.progress import Stopped
from tests.core.groups.support import brute_force, centres_of, gower_rows, rows_of


def blobs(n=900, q=0, seed=1):
    rng = np.random.default_rng(seed)
    who = rng.integers(0, 5, n)
    middle = rng.normal(0, 5, (5, 8))
    codes = np.where(rng.random((n, q)) < 0.8, who[:, None] % 3 + 1, 1)
    return rows_of(middle[who] + rng.normal(size=(n, 8)), codes, [0.8] * q), who


class Neighbours(unittest.TestCase):
    def test_against_every_distance(self):
        rows, _ = blobs(300, 2)
        away = brute_force(rows, centres_of(rows.numbers.T, rows.codes.T))
        np.fill_diagonal(away, np.inf)
        found = nearest_rows(rows, 10, Engine(2))
        wanted = np.sort(away, axis=1)[:, :10]
        mine = np.take_along_axis(away, found.astype(np.int64), axis=1)
        np.testing.assert_allclose(mine, wanted, rtol=1e-4)

    def test_ties_go_to_the_lowest_row(self):
        found = nearest_rows(rows_of([[0.0], [1.0], [-1.0], [0.0]]), 2)
        self.assertEqual(found[0].tolist(), [3, 1])
        self.assertEqual(found[1].tolist(), [0, 3])


class Maps(unittest.TestCase):
    def test_groups_stand_apart_and_neighbours_together(self):
        rows, who = blobs(q=1)
        found = neighbourhood_of(rows, 4, Engine(2))
        self.assertTrue(found.exact)
        self.assertGreater(found.trustworthiness, 0.9)
        away = ((found.points[:, None] - found.points) ** 2).sum(axis=2)
        np.fill_diagonal(away, np.inf)
        self.assertGreater((who[away.argmin(axis=1)] == who).mean(), 0.97)
        again = neighbourhood_of(rows, 4, Engine(1))
        np.testing.assert_array_equal(found.points, again.points)

    def test_the_rest_stand_amid_those_they_are_alike(self):
        rows, who = blobs(3000)
        with mock.patch.object(neighbourhood, "MOST_ROWS", 600):
            found = neighbourhood_of(rows, 4, Engine(2))
        self.assertFalse(found.exact)
        self.assertEqual(len(found.laid_out), 600)
        laid = found.points[found.laid_out]
        away = ((found.points[:, None] - laid) ** 2).sum(axis=2)
        self.assertGreater((who[found.laid_out][away.argmin(axis=1)] == who).mean(), 0.97)

    def test_gower_and_few_rows(self):
        rows, _ = gower_rows(np.random.default_rng(2), 200)
        self.assertGreater(neighbourhood_of(rows, 1).trustworthiness, 0.85)
        for n in (1, 2, 3, 5):
            points = neighbourhood_of(rows.take(np.arange(n)), 1).points
            self.assertEqual(points.shape, (n, 2))
            self.assertTrue(np.isfinite(points).all())
        alike = neighbourhood_of(rows_of(np.ones((50, 2))), 1).points
        self.assertTrue(np.isfinite(alike).all())

    def test_it_can_be_stopped(self):
        def progress(stage, done, of):
            if stage == "laying out" and done:
                raise Stopped

        with self.assertRaises(Stopped):
            neighbourhood_of(blobs(200)[0], 1, Engine(1), progress)


class Trust(unittest.TestCase):
    def test_from_the_definition(self):
        rng = np.random.default_rng(5)
        rows, points = rows_of(rng.normal(size=(60, 4))), rng.normal(size=(60, 2))
        away = brute_force(rows, centres_of(rows.numbers.T))
        seen = ((points[:, None] - points) ** 2).sum(axis=2)
        n, look, penalty = 60, 12, 0
        for i in range(n):
            others = [j for j in range(n) if j != i]
            rank = {j: r for r, j in enumerate(sorted(others, key=lambda j: away[i, j]), 1)}
            for j in sorted(others, key=lambda j: seen[i, j])[:look]:
                penalty += max(rank[j] - look, 0)
        wanted = 1 - 2 * penalty / (n * look * (2 * n - 3 * look - 1))
        self.assertAlmostEqual(trustworthiness(rows, points, 1), wanted)
        self.assertEqual(trustworthiness(rows_of(points), points, 1), 1.0)


if __name__ == "__main__":
    unittest.main()
