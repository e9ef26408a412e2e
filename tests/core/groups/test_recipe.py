"""Preparation frozen in a recipe: weights of categories, dropped columns, placing later dates."""

import json
import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.assignment import place
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group as fit_group
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Recipe, RecipeError, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.core.groups.support import mixed_table

RECIPE = Recipe({"x": Steps(), "y": Steps()}, ("c",), relevance=False)


class Weights(unittest.TestCase):
    def test_gamma_from_its_definition(self):
        table, group = mixed_table()
        [category] = prepare(table, RECIPE).preparation.categories
        shares = np.bincount(group) / len(group)
        self.assertAlmostEqual(category.gamma, 1 / (1 - (shares**2).sum()), places=5)
        heavier = Recipe(RECIPE.numeric, ("c",), {"c": 2.0}, balance=0.5, relevance=False)
        [same] = prepare(table, heavier).preparation.categories
        self.assertAlmostEqual(same.gamma, category.gamma, places=6)

    def test_a_rare_level_does_not_make_a_category_heavy(self):
        n = 1000
        rare = Column(
            "c", "category", np.where(np.arange(n) < 5, 2, 1).astype(np.int32), "", ("a", "b")
        )
        table = Table((Column("x", "number", np.arange(n, dtype=float)), rare))
        [category] = prepare(
            table, Recipe({"x": Steps()}, ("c",), relevance=False)
        ).preparation.categories
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
            fit = fit_group(prepare(table, recipe), 4, recipe, engine)
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
        x, y = np.full(50, np.nan), np.full(50, np.nan)
        x[:5], y[4:9] = np.arange(5.0), np.arange(5.0)
        gone = Table((Column("x", "number", x), Column("y", "number", y)))
        with self.assertRaisesRegex(RecipeError, "Only 1 of the customers have a value"):
            prepare(gone, Recipe({"x": Steps(), "y": Steps()}))

    def test_what_a_method_cannot_take(self):
        table, _ = mixed_table()
        both = {"numeric": {"x": Steps()}, "categories": ("c",)}
        wide = Column("w", "category", np.arange(1, 601, dtype=np.int32), "",
                      tuple(f"v{n}" for n in range(600)))  # fmt: skip
        endless = Column("e", "number", np.where(np.arange(600) < 3, np.inf, 1.0))
        table = Table((*table, wide, endless))
        for recipe, words in (
            (Recipe(**both, method="k-means"), "k-means takes numbers only; c is a category"),
            (Recipe(**both, method="k-modes"), "k-modes takes categories only; x is a number"),
            (Recipe(**both, method="k-magic"), "no method called k-magic"),
            (Recipe(**both, weights={"x": -1.0}), "x cannot weigh -1.0"),
            (Recipe(**both, weights={"x": np.nan}), "x cannot weigh nan"),
            (Recipe(**both, weights={"y": 2.0}), "y has a weight, but is not among"),
            (Recipe(**both, weights={"x": 0.0, "c": 0.0}), "Nothing that was picked varies"),
            (Recipe(**both, balance=-1.0), "The balance cannot be -1.0"),
            (Recipe({"x": Steps()}, ("w",)), "w has 600 values, more than 250"),
            (Recipe({"e": Steps()}), "e is infinite for 3 customers"),
        ):
            with self.assertRaisesRegex(RecipeError, words):
                prepare(table, recipe)
        self.assertEqual(
            prepare(table, Recipe(**both, method="k-means", balance=0)).preparation.names, ("x",)
        )

    def test_rare_levels_are_pooled_and_stay_so(self):
        n = 1000
        codes = np.r_[np.repeat([1, 2], 480), np.arange(3, 43)].astype(np.int32)
        levels = tuple(f"v{n}" for n in range(1, 43))
        table = Table((
            Column("x", "number", np.arange(n, dtype=float)),
            Column("c", "category", codes, "", levels),
        ))  # fmt: skip
        rows = prepare(table, Recipe({"x": Steps()}, ("c",), pool=0.01, relevance=False))
        [category] = rows.preparation.categories
        self.assertEqual((category.levels, len(category.pooled)), (("v1", "v2"), 40))
        self.assertEqual(np.bincount(rows.codes[0]).tolist(), [0, 480, 480, 40])
        shares = np.array([0.48, 0.48, 0.04])
        self.assertAlmostEqual(category.gamma, 1 / (1 - (shares**2).sum()), places=5)
        again = Preparation.from_json(json.loads(json.dumps(rows.preparation.as_json())))
        self.assertEqual(again.rows(table).codes.tolist(), rows.codes.tolist())
        self.assertEqual([category.label(c) for c in range(4)], ["missing", "v1", "v2", "other"])

    def test_constants_are_dropped_and_said_so(self):
        table, _ = mixed_table()
        flat = Column("flat", "number", np.full(len(table), 2.0))
        recipe = Recipe({"x": Steps(), "flat": Steps()})
        self.assertEqual(prepare(Table((*table, flat)), recipe).preparation.dropped, ("flat",))


class Placing(unittest.TestCase):
    def setUp(self):
        self.table, _ = mixed_table()
        self.rows = prepare(self.table, RECIPE)
        self.fit = fit_group(self.rows, 3, RECIPE, Engine(1))
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
