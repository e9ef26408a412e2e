"""Frozen groupings as files: the same bits back, the schema kept, and sentences for the rest."""

import json
import unittest

import numpy as np
from jsonschema import Draft202012Validator

from sortija.core.formats.recipes import RecipeFileError, read_recipe, schema, write_recipe
from sortija.core.groups.assignment import centres_in_own_units, freeze
from sortija.core.groups.grouping import group
from sortija.core.groups.lloyd import nearest_centres
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps, apply, fit, restore
from sortija.core.table import Column, Table

__all__ = ["frozen_case", "shop"]


def shop(seed=1, n=400, missing=True):
    """Measures and traits with all that a table can have: gaps, skew, rare levels."""
    rng = np.random.default_rng(seed)
    kind = rng.integers(0, 3, n)
    money = rng.gamma(2, 40, n) * (kind + 1) - 5
    gap = np.where(missing & (rng.random(n) < 0.1), np.nan, rng.gamma(3, 9, n))
    plan = np.where(rng.random(n) < 0.1 * missing, 0, kind + 1).astype(np.int32)
    town = np.where(rng.random(n) < 0.03, rng.integers(3, 9, n), rng.integers(1, 3, n))
    return Table((
        Column("recency", "number", np.round(rng.random(n) * 90 + 60 * (kind == 2))),
        Column("money", "number", money),
        Column("gap", "number", gap),
        Column("plan", "category", plan, "", ("card", "plus", "none")),
        Column("town", "category", town.astype(np.int32), "", tuple("abcdefgh")),
    ))  # fmt: skip


def frozen_case(**more):
    recipe = Recipe(
        {
            "recency": Steps(scale="range"),
            "money": Steps(transform="log", cap=0.02),
            "gap": Steps(fill="median", transform="root", scale="robust"),
        },
        ("plan", "town"), {"money": 2.0}, balance=0.8, pool=0.05, starts=4, **more,
    )  # fmt: skip
    table = shop()
    rows = prepare(table, recipe)
    return table, rows, freeze(rows, group(rows, 4, recipe), recipe)


class Files(unittest.TestCase):
    def test_what_is_read_places_to_the_bit_as_what_was_written(self):
        for more in ({}, {"method": "k-medoids"}, {"method": "hierarchical"}):
            table, rows, frozen = frozen_case(**more)
            again = read_recipe(write_recipe(frozen))
            self.assertEqual(again.recipe, frozen.recipe)
            told = frozen.preparation.as_json()
            for category in told["categories"]:  # why it weighs what it does is left out
                self.assertEqual(category[4] is None, bool(more.get("method") == "k-medoids"))
                category[4] = None
            self.assertEqual(again.preparation.as_json(), told)
            for other in (table, shop(2)):
                one, two = frozen.place(other), again.place(other)
                np.testing.assert_array_equal(one.segment, two.segment)
                np.testing.assert_array_equal(one.distance, two.distance)
                np.testing.assert_array_equal(one.margin, two.margin)
            placed = nearest_centres(rows, again.centres)
            np.testing.assert_array_equal(frozen.place(table).segment[rows.rows], placed.labels + 1)

    def test_neighbours_and_ranks_are_frozen_too(self):
        recipe = Recipe(
            {"recency": Steps(), "gap": Steps(fill="neighbours", scale="rank")}, ("plan",), starts=2
        )
        table = shop()
        rows = prepare(table, recipe)
        frozen = freeze(rows, group(rows, 3, recipe), recipe)
        again = read_recipe(write_recipe(frozen))
        np.testing.assert_array_equal(frozen.place(table).segment, again.place(table).segment)
        self.assertTrue((again.place(table).segment > 0).all())

    def test_they_follow_the_published_schema(self):
        Draft202012Validator.check_schema(schema())
        text = write_recipe(frozen_case()[2])
        self.assertEqual(list(Draft202012Validator(schema()).iter_errors(json.loads(text))), [])
        self.assertNotIn("NaN", text)

    def test_what_is_no_recipe_is_told_with_its_place(self):
        good = json.loads(write_recipe(frozen_case()[2]))

        def changed(**more):
            return json.dumps({**good, **more})

        recipe, parts, segments = good["recipe"], good["preparation"], good["segments"]
        few = [{**segments[0], "numbers": [1.0]}, *segments[1:]]
        worded = {**parts, "numeric": [{**parts["numeric"][0], "spread": "wide"}]}
        for text, words in (
            ("{", "line 1 is no JSON"),
            ("[]", "no grouping recipe"),
            (json.dumps({"format": "else"}), "no grouping recipe"),
            (changed(version=9), "version 9, and this Sortija reads version 1"),
            (changed(more=1), "at its top: Additional properties"),
            (changed(recipe={**recipe, "method": "magic"}), "at recipe/method: 'magic' is not one"),
            (changed(preparation=worded), "at preparation/numeric/0/spread: 'wide'"),
            (changed(segments=few), "at segments/0: it has too many or too few values"),
            (changed(segments=[]), "at segments: "),
        ):
            with self.assertRaisesRegex(RecipeFileError, words):
                read_recipe(text)


class OwnUnits(unittest.TestCase):
    def test_restoring_undoes_preparing(self):
        rng = np.random.default_rng(3)
        values = np.r_[rng.gamma(2, 40, 500), -30.0]
        for how in ("none", "log", "root"):
            for scale in ("z", "range", "robust", "none", "rank"):
                fitted = fit(Column("x", "number", values), Steps(transform=how, scale=scale))
                back = restore(apply(values, fitted), fitted)
                np.testing.assert_allclose(np.sort(back)[5:-5], np.sort(values)[5:-5], rtol=0.05)
                if scale != "rank":
                    np.testing.assert_allclose(back, values, rtol=1e-9, atol=1e-9)

    def test_centres_are_told_in_the_columns_units(self):
        table, _, frozen = frozen_case()
        placed = frozen.place(table)
        for number, centre in enumerate(centres_in_own_units(frozen), 1):
            mine = placed.segment == number
            values = np.asarray(table["recency"].values)[mine]
            self.assertAlmostEqual(centre["recency"], values.mean(), delta=0.01)
            counts = np.bincount(np.asarray(table["plan"].values)[mine], minlength=4)
            wanted = ("missing", "card", "plus", "none")[int(counts.argmax())]
            self.assertEqual(centre["plan"], wanted)


if __name__ == "__main__":
    unittest.main()
