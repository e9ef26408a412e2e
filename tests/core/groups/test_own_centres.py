"""Centres of one's own, limited passes, one group for everyone, sums of squares."""

import unittest

import numpy as np

from sortija.core.groups.grouping import group
from sortija.core.groups.own_centres import centres_from, in_own_units
from sortija.core.groups.recipe import Recipe, RecipeError, prepare
from sortija.core.groups.spread import spread_of
from sortija.core.groups.stability import jaccard_stability
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table


def shop(n=240, seed=2):
    """Spend in three heaps, and a plan that goes with none of them."""
    rng = np.random.default_rng(seed)
    spend = np.exp(rng.normal(np.repeat([2.0, 4.0, 6.0], n // 3), 0.3))
    plan = rng.integers(1, 3, n).astype(np.int32)
    return Table((
        Column("spend", "number", spend), Column("visits", "number", rng.poisson(5, n) + 1.0),
        Column("plan", "category", plan, "", ("card", "none")),
    ))  # fmt: skip


def plain_lloyd(values, centres, passes):
    """The same by hand: means of the nearest, until nothing moves or the passes are over."""
    for _ in range(passes):
        labels = ((values[:, None] - centres[None]) ** 2).sum(axis=2).argmin(axis=1)
        last = centres
        centres = np.array([values[labels == g].mean(axis=0) for g in range(len(centres))])
    return labels, last


NUMBERS = {"spend": Steps(transform="log"), "visits": Steps()}
BEGIN = ({"spend": 5.0, "visits": 4.0}, {"spend": 40.0, "visits": 8.0})


class OwnCentres(unittest.TestCase):
    def test_they_are_prepared_as_the_rows_are_and_come_back_in_their_units(self):
        table = shop()
        recipe = Recipe(dict(NUMBERS), ("plan",), {"spend": 2.0})
        rows = prepare(table, recipe)
        some = [3, 100, 230]
        values = table["spend"].values[some], table["visits"].values[some]
        plans = [("card", "none")[int(code) - 1] for code in table["plan"].values[some]]
        written = [
            {"spend": float(s), "visits": float(v), "plan": p}
            for s, v, p in zip(*values, plans, strict=True)
        ]
        made = centres_from(rows.preparation, written)
        np.testing.assert_array_equal(made.numbers, rows.numbers[:, some].T)
        np.testing.assert_array_equal(made.modes, rows.codes[:, some].T)
        np.testing.assert_allclose(in_own_units(rows.preparation, made).T, values, rtol=1e-5)

    def test_passes_go_from_them_as_by_hand(self):
        for passes in (1, 2, 300):
            recipe = Recipe(dict(NUMBERS), method="k-means", centres=BEGIN, passes=passes)
            rows = prepare(shop(), recipe)
            fit = group(rows, 2, recipe)
            start = centres_from(rows.preparation, BEGIN).numbers.astype(float)
            labels, centres = plain_lloyd(rows.numbers.T.astype(float), start, min(passes, 40))
            order = np.argsort(-np.bincount(labels), kind="stable")
            np.testing.assert_array_equal(np.argsort(order)[labels], fit.labels)
            np.testing.assert_allclose(centres[order], fit.centres.numbers, atol=1e-5)
            self.assertEqual(fit.settled, passes == 300)

    def test_other_numbers_of_groups_and_resamplings_begin_with_seeds(self):
        bad = tuple({"spend": spend, "visits": 3.0} for spend in (5.0, 6.0, 7.0))
        own = Recipe(dict(NUMBERS), method="k-means", centres=bad, passes=2)
        rows = prepare(shop(), own)
        forced, seeded = group(rows, 3, own), group(rows, 3, own.seeded)
        self.assertGreater(forced.cost, 1.05 * seeded.cost)
        self.assertEqual(group(rows, 2, own).cost, group(rows, 2, own.seeded).cost)
        # What is found without them says whether groups come back: these hardly do.
        self.assertLess(jaccard_stability(rows, forced.labels, 3, own).min(), 0.9)

    def test_what_cannot_be_a_centre_is_said(self):
        recipe = Recipe(dict(NUMBERS), ("plan",))
        preparation = prepare(shop(), recipe).preparation
        for centre, words in (
            ({"spend": 1.0, "plan": "card"}, "Centre 1 has no number in visits"),
            ({"spend": float("nan"), "visits": 1.0, "plan": "card"}, "no number in spend"),
            ({"spend": 1.0, "visits": 1.0}, "has no value in plan"),
            ({"spend": 1.0, "visits": 1.0, "plan": "gold"}, "nobody has gold in plan"),
        ):
            with self.assertRaisesRegex(RecipeError, words):
                centres_from(preparation, [centre])
        with self.assertRaisesRegex(RecipeError, "begins with no centres"):
            prepare(shop(), Recipe(dict(NUMBERS), method="hierarchical", centres=BEGIN))
        far = Recipe(dict(NUMBERS), method="k-means", centres=(BEGIN[0],) * 2, passes=1)
        with self.assertRaisesRegex(RecipeError, "Nobody is nearest to 1 of your 2 centres"):
            group(prepare(shop(), far), 2, far)
        with self.assertRaisesRegex(RecipeError, "0 passes"):
            prepare(shop(), Recipe(dict(NUMBERS), passes=0))

    def test_a_recipe_without_them_reads_as_it_always_did(self):
        self.assertNotIn("centres", Recipe(dict(NUMBERS)).as_json())
        self.assertNotIn("passes", Recipe(dict(NUMBERS)).as_json())
        recipe = Recipe(dict(NUMBERS), centres=BEGIN, passes=7)
        self.assertEqual(Recipe.from_json(recipe.as_json()), recipe)


class OneGroup(unittest.TestCase):
    def test_everyone_is_a_row_of_the_sweep_and_no_suggestion(self):
        recipe = Recipe(dict(NUMBERS), method="k-means")
        rows = prepare(shop(), recipe)
        one, two = sweep(rows, [1, 2], recipe, settled=True)
        total = ((rows.numbers.astype(float).T - rows.numbers.mean(axis=1)) ** 2).sum()
        self.assertAlmostEqual(one.fit.cost / total, 1.0, places=5)
        self.assertTrue(np.isnan(one.silhouette))
        self.assertGreater(one.fit.cost, two.fit.cost)
        told = suggest([1, 2], [np.nan, 0.5], [1.0, 0.9], [1.0, 0.4])
        self.assertEqual(told, suggest([2], [0.5], [0.9], [0.4]))
        self.assertIsNone(suggest([1], [np.nan], [1.0], [1.0]).k)


class Squares(unittest.TestCase):
    def test_within_and_between_add_up_to_everyones(self):
        recipe = Recipe(dict(NUMBERS), ("plan",), starts=3)
        rows = prepare(shop(), recipe)
        fit = group(rows, 4, recipe)
        found = spread_of(rows, fit.labels, fit.centres)
        self.assertAlmostEqual(found.within.sum() / fit.cost, 1.0, places=5)
        for place, column in enumerate(rows.numbers.astype(float)):
            means = [column[fit.labels == g].mean() for g in range(4)]
            between = sum(
                count * (mean - column.mean()) ** 2
                for count, mean in zip(fit.counts, means, strict=True)
            )
            self.assertAlmostEqual(found.between[place] / between, 1.0, places=4)
        codes = rows.codes[0]
        for g in range(4):
            mine = codes[fit.labels == g]
            share = np.bincount(mine).max() / len(mine)
            self.assertAlmostEqual(found.agree[g, 0], share)


if __name__ == "__main__":
    unittest.main()
