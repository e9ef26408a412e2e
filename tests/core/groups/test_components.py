"""Components against a plain decomposition, mixed ones by their properties, scaling by gaps."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.components import components_of, scale_centres
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from tests.core.groups.support import centres_of, mixed_table, rows_of


class Principal(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(1)
        self.x = rng.normal(size=(500, 4)) @ rng.normal(size=(4, 4)) + 3
        self.rows = rows_of(self.x)

    def test_against_a_decomposition_of_the_centred_table(self):
        found = components_of(self.rows)
        centred = self.rows.numbers.T.astype(float)
        centred -= centred.mean(axis=0)
        _, singular, axes = np.linalg.svd(centred, full_matrices=False)
        np.testing.assert_allclose(found.explained, singular**2 / (singular**2).sum(), rtol=1e-5)
        np.testing.assert_allclose(np.abs(found.axes @ axes.T), np.eye(4), atol=1e-4)
        scores = found.scores(self.rows)
        np.testing.assert_allclose(np.abs(scores), np.abs(centred @ axes.T), atol=1e-3)
        self.assertEqual(components_of(self.rows, 2).axes.shape, (2, 4))

    def test_loadings_are_correlations(self):
        found = components_of(self.rows, 3)
        scores = found.scores(self.rows)
        for j, loading in enumerate(found.loadings):
            wanted = [np.corrcoef(self.x[:, j], scores[:, c])[0, 1] for c in range(3)]
            np.testing.assert_allclose(loading.along, wanted, atol=1e-4)

    def test_signs_and_threads(self):
        found, other = components_of(self.rows, engine=Engine(2)), components_of(self.rows)
        lead = np.abs(found.axes).argmax(axis=1)
        self.assertTrue((found.axes[np.arange(4), lead] > 0).all())
        np.testing.assert_allclose(found.axes, other.axes)

    def test_fewer_dimensions_than_columns(self):
        x = np.random.default_rng(2).normal(size=(60, 1))
        found = components_of(rows_of(np.c_[x, 2 * x, 0 * x]))
        self.assertEqual(len(found.axes), 1)
        self.assertAlmostEqual(found.explained[0], 1.0)


class Mixed(unittest.TestCase):
    def setUp(self):
        table, self.group = mixed_table(800)
        self.rows = prepare(table, Recipe({"x": Steps(), "y": Steps()}, ("c",), {"y": 2.0}))
        self.found = components_of(self.rows)

    def test_the_whole_variance_is_one_a_number_and_levels_less_one_a_category(self):
        # Pagès 2004: a z-score has variance 1 (times its weight), l levels l − 1.
        columns = self.found.scores(self.rows)
        self.assertAlmostEqual(columns.var(axis=0).sum(), 1 + 2 + 2, places=3)
        self.assertAlmostEqual(self.found.explained.sum(), 1.0, places=5)

    def test_a_level_stands_where_its_rows_are(self):
        scores = self.found.scores(self.rows)
        names = [(loading.name, loading.level) for loading in self.found.loadings]
        self.assertEqual(names, [("x", ""), ("y", ""), ("c", "a"), ("c", "b"), ("c", "d")])
        for code, loading in enumerate(self.found.loadings[2:], 1):
            mine = scores[self.rows.codes[0] == code].mean(axis=0)
            np.testing.assert_allclose(loading.along, mine, atol=1e-6)

    def test_groups_stand_apart_on_two_components(self):
        scores = self.found.scores(self.rows)[:, :2]
        middles = np.array([scores[self.group == g].mean(axis=0) for g in range(3)])
        near = ((scores[:, None] - middles) ** 2).sum(axis=2).argmin(axis=1)
        self.assertGreater((near == self.group).mean(), 0.97)


class Scaling(unittest.TestCase):
    def test_distances_in_a_plane_are_kept(self):
        rng = np.random.default_rng(3)
        flat = rng.normal(size=(6, 2)) @ rng.normal(size=(2, 5))
        found = scale_centres(centres_of(flat), np.zeros(0, np.float32), False)
        gaps = np.sqrt(((found.points[:, None] - found.points) ** 2).sum(axis=2))
        np.testing.assert_allclose(gaps, found.distance, atol=1e-4)
        self.assertAlmostEqual(found.explained, 1.0, places=5)

    def test_what_two_dimensions_cannot_keep_is_said(self):
        found = scale_centres(centres_of(np.eye(5)), np.zeros(0, np.float32), False)
        self.assertAlmostEqual(found.explained, 0.5)

    def test_one_and_coinciding_centres(self):
        for numbers in ([[1.0]], [[1.0], [1.0]]):
            found = scale_centres(centres_of(numbers), np.zeros(0, np.float32), False)
            np.testing.assert_allclose(found.points, 0, atol=1e-9)


if __name__ == "__main__":
    unittest.main()
