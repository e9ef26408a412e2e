"""Preparation frozen in a recipe: weights of categories, dropped columns, placing later dates."""

import json
import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.engines import Centres
from sortija.core.groups.placing import place
from sortija.core.groups.recipe import Preparation, Recipe, RecipeError, prepare
from sortija.core.groups.sweep import fit_k
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.core.groups.support import mixed_table

RECIPE = Recipe({"x": Steps(), "y": Steps()}, ("c",))


class Weights(unittest.TestCase):
    def test_gamma_from_its_definition(self):
        table, group = mixed_table()
        [category] = prepare(table, RECIPE).preparation.categories
        shares = np.bincount(group) / len(group)
        self.assertAlmostEqual(category.gamma, 1 / (1 - (shares**2).sum()), places=5)
        heavier = Recipe(RECIPE.numeric, ("c",), {"c": 2.0}, balance=0.5)
        [same] = prepare(table, heavier).preparation.categories
        self.assertAlmostEqual(same.gamma, category.gamma, places=6)

    def test_a_rare_level_does_not_make_a_category_heavy(self):
        n = 1000
        rare = Column(
            "c", "category", np.where(np.arange(n) < 5, 2, 1).astype(np.int32), "", ("a", "b")
        )
        table = Table((Column("x", "number", np.arange(n, dtype=float)), rare))
        [category] = prepare(table, Recipe({"x": Steps()}, ("c",))).preparation.categories
        self.assertAlmostEqual(category.gamma, 1 / 0.25, places=5)

    def test_weights_scale_numbers(self):
        table, _ = mixed_table()
        rows = prepare(table, Recipe({"x": Steps(), "y": Steps()}, weights={"x": 4.0}))
        np.testing.assert_allclose(rows.numbers.var(axis=1), [4, 1], rtol=1e-4)

    def test_an_irrelevant_category_hardly_disturbs(self):
        rng = np.random.default_rng(3)
        group = rng.integers(0, 4, 2000)
        centres = rng.normal(0, 2.2, (4, 6))
        numbers = [
            Column(f"x{j}", "number", centres[group, j] + rng.normal(0, 1, 2000)) for j in range(6)
        ]
        noise = Column(
            "noise", "category", rng.integers(1, 4, 2000).astype(np.int32), "", ("a", "b", "c")
        )
        table = Table((*numbers, noise))
        steps = {f"x{j}": Steps() for j in range(6)}
        engine = Engine(2)
        score = []
        for names in ((), ("noise",)):
            recipe = Recipe(steps, names)
            fit = fit_k(prepare(table, recipe), 4, recipe, engine)
            score.append(adjusted_rand(fit.labels, group))
        engine.release()
        self.assertGreater(score[0], 0.8)
        self.assertLessEqual(score[0] - score[1], 0.05)


class Refusals(unittest.TestCase):
    def test_what_cannot_be_followed(self):
        table, _ = mixed_table()
        for recipe, words in (
            (Recipe({"z": Steps()}), "no column called z"),
            (Recipe({"c": Steps()}), "c is a category"),
            (Recipe({"x": Steps()}, ("y",)), "y is a number"),
        ):
            with self.assertRaisesRegex(RecipeError, words):
                prepare(table, recipe)
        alike = Table((Column("x", "number", np.full(50, 3.0)),))
        with self.assertRaisesRegex(RecipeError, "Nothing that was picked varies"):
            prepare(alike, Recipe({"x": Steps()}))
        gone = Table((Column("x", "number", np.r_[np.full(45, np.nan), np.arange(5.0)]),))
        with self.assertRaisesRegex(RecipeError, "Only 5 customers"):
            prepare(gone, Recipe({"x": Steps()}))

    def test_constants_are_dropped_and_said_so(self):
        table, _ = mixed_table()
        flat = Column("flat", "number", np.full(len(table), 2.0))
        recipe = Recipe({"x": Steps(), "flat": Steps()})
        self.assertEqual(prepare(Table((*table, flat)), recipe).preparation.dropped, ("flat",))


class Placing(unittest.TestCase):
    def setUp(self):
        self.table, _ = mixed_table()
        self.rows = prepare(self.table, RECIPE)
        self.fit = fit_k(self.rows, 3, RECIPE, Engine(1))
        self.all = np.ones(len(self.table), bool)

    def test_the_same_rows_get_the_same_groups_through_json(self):
        text = json.dumps([self.rows.preparation.as_json(), self.fit.centres.as_json()])
        preparation, centres = json.loads(text)
        placed = place(
            self.table, Preparation.from_json(preparation), Centres.from_json(centres), self.all,
            self.all,
        )  # fmt: skip
        np.testing.assert_array_equal(placed.state, self.fit.labels)
        self.assertTrue((placed.margin >= 0).all())
        self.assertEqual(json.loads(json.dumps(RECIPE.as_json())), RECIPE.as_json())
        self.assertEqual(Recipe.from_json(RECIPE.as_json()), RECIPE)

    def test_states_of_those_without_a_segment(self):
        values = self.table["x"].values.copy()
        values[:3] = np.nan
        table = Table((Column("x", "number", values), self.table["y"], self.table["c"]))
        present, bought = self.all.copy(), self.all.copy()
        present[:2] = False
        bought[0] = False
        placed = place(table, self.rows.preparation, self.fit.centres, present, bought)
        self.assertEqual(placed.state[:4].tolist(), [3, 4, 5, self.fit.labels[3]])
        self.assertTrue(np.isnan(placed.margin[:3]).all())
        self.assertEqual(len(placed.state), len(self.table))

    def test_an_unseen_level_mismatches_every_mode(self):
        new = Column("c", "category", np.ones(len(self.table), np.int32), "", ("never seen",))
        table = Table((self.table["x"], self.table["y"], new))
        codes = self.rows.preparation.rows(table).codes
        self.assertTrue((codes == 255).all())
        placed = place(table, self.rows.preparation, self.fit.centres, self.all, self.all)
        self.assertTrue((placed.state < 3).all())

    def test_placing_does_not_refit(self):
        shifted = Table(
            (
                Column("x", "number", self.table["x"].values + 4.0),
                self.table["y"],
                self.table["c"],
            )
        )
        placed = place(shifted, self.rows.preparation, self.fit.centres, self.all, self.all)
        self.assertNotEqual(
            np.bincount(placed.state, minlength=3).tolist(), self.fit.counts.tolist()
        )


if __name__ == "__main__":
    unittest.main()
