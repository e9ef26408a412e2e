"""Propose: what it groups by, what it weighs, and what it says of its own doubts."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.lloyd import Centres, Fit
from sortija.core.groups.propose import inputs_for, propose_groups, telling_weights
from sortija.core.groups.recipe import Recipe, RecipeError, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.progress import Stopped
from sortija.core.table import Column, Table


def shop(n=700, seed=1, noise=5):
    """Four kinds in two measures, a share and a trait, amid measures that say nothing."""
    rng = np.random.default_rng(seed)
    kind = rng.integers(0, 4, n)
    visits = np.exp(rng.normal(kind * 1.0, 0.25))
    columns = [
        Column("visits", "number", visits, "purchases"),
        Column("twin", "number", visits * 3 + rng.normal(0, 0.01, n), "days"),
        Column(
            "share", "number", np.clip(rng.normal(0.2 + 0.5 * (kind == 2), 0.08, n), 0, 1), "share"
        ),
        Column("rare", "number", np.where(rng.random(n) < 0.3, np.nan, rng.normal(size=n)), "days"),
    ]
    columns += [Column(f"noise{j}", "number", rng.normal(size=n)) for j in range(noise)]
    plan = np.where(rng.random(n) < 0.995, kind % 2, 1 - kind % 2) + 1
    columns.append(Column("plan", "category", plan.astype(np.int32), "", ("card", "plus")))
    return Table(tuple(columns)), kind


class Preparing(unittest.TestCase):
    def test_what_is_left_out_and_why(self):
        table, _ = shop()
        numbers = [c.name for c in table if c.kind == "number"]
        found = inputs_for(table, numbers, ["plan"], parts=["share"])
        self.assertEqual(found.left_out[0], ("twin", "it says the same as visits"))
        self.assertEqual(found.left_out[1][0], "rare")
        self.assertIn("% of the customers have no value", found.left_out[1][1])
        self.assertEqual(found.numeric["share"].transform, "root")
        self.assertEqual(found.numeric["visits"].transform, "log")
        self.assertEqual(found.categories, ("plan",))

    def test_only_chosen_customers_count(self):
        table, _ = shop()
        rows = ~np.isnan(table["rare"].values)
        self.assertIn("rare", inputs_for(table, ["rare"], [], rows).numeric)


class Weighing(unittest.TestCase):
    def test_shares_between_groups_by_hand(self):
        x = np.array([0.0, 0, 2, 2, 9, 9])
        codes = np.array([1, 1, 1, 2, 2, 2], np.int32)
        table = Table((Column("x", "number", x), Column("c", "category", codes, "", ("a", "b"))))
        recipe = Recipe({"x": Steps()}, ("c",), starts=5)
        rows = prepare(table, recipe)
        labels = np.repeat([0, 1, 2], 2).astype(np.int32)
        fit = Fit(Centres(np.zeros((3, 1)), np.zeros((3, 1))), labels, np.full(3, 2), 0.0, 1, True)
        # All of x lies between the groups; of the Gini index 1/2 the middle group keeps 1/6.
        told = {"x": 1.0, "c": (0.5 - 1 / 6) / 0.5}
        roots = {name: np.sqrt(value) for name, value in told.items()}
        mean = sum(roots.values()) / 2
        for name, weight in telling_weights(rows, [fit]).items():
            self.assertAlmostEqual(weight, roots[name] / mean, places=5)


class Proposing(unittest.TestCase):
    def setUp(self):
        self.engine = Engine(2)
        self.addCleanup(self.engine.release)

    def proposals(self, table, numbers, categories=(), **more):
        inputs = inputs_for(table, numbers, categories)
        return propose_groups(table, inputs, ks=range(2, 7), engine=self.engine, **more)

    def test_three_that_differ_in_kind(self):
        table, kind = shop()
        numbers = [c.name for c in table if c.kind == "number"]
        found = list(self.proposals(table, numbers, ["plan"]))
        self.assertEqual([p.kind for p in found], ["what tells apart", "all alike", "a tree"])
        best, plain, tree = found
        self.assertEqual(best.candidate.k, 4)
        score = [adjusted_rand(p.candidate.fit.labels, kind[p.rows.rows]) for p in found]
        self.assertGreater(score[0], 0.9)
        self.assertGreater(score[0], score[1])
        weights = best.recipe.weights
        self.assertTrue(all(weights["visits"] > weights[f"noise{j}"] for j in range(5)))
        self.assertEqual((plain.recipe.weights, tree.recipe.method), ({}, "hierarchical"))
        self.assertTrue(any("Most is told by" in words for words in best.reasons))
        self.assertTrue(best.candidate.fit.settled)

    def test_doubts_are_told(self):
        rng = np.random.default_rng(2)
        table = Table(tuple(Column(n, "number", rng.random(600)) for n in "ab"))
        found = next(self.proposals(table, ["a", "b"]))
        self.assertTrue(any("No clear grouping" in words for words in found.doubts), found.doubts)
        gaps = np.r_[np.full(30, np.nan), rng.random(570)]
        table = Table((Column("a", "number", gaps), table["b"]))
        found = next(self.proposals(table, ["a", "b"]))
        self.assertTrue(any("30 customers lack a measure" in words for words in found.doubts))

    def test_categories_alone_and_numbers_alone(self):
        table, _ = shop()
        for numbers, categories, method in (([], ["plan"], "k-modes"), (["visits"], [], "k-means")):
            inputs = inputs_for(table, numbers, categories)
            found = next(propose_groups(table, inputs, ks=[2, 3, 4], engine=self.engine))
            self.assertEqual(found.recipe.method, method)
        # Two levels make two groups; more were not to be had, and nothing broke.
        inputs = inputs_for(table, [], ["plan"])
        found = next(propose_groups(table, inputs, ks=[2, 3, 4], engine=self.engine))
        self.assertEqual([c.k for c in found.tried], [2])

    def test_it_ends_when_the_time_is_up_or_somebody_stops_it(self):
        table, _ = shop(300)
        found = list(self.proposals(table, ["visits", "share"], enough=lambda: True))
        self.assertEqual(len(found), 1)

        def progress(stage, done, of):
            raise Stopped

        with self.assertRaises(Stopped):
            next(self.proposals(table, ["visits"], progress=progress))
        with self.assertRaisesRegex(RecipeError, "Nothing that was picked varies"):
            next(self.proposals(Table((Column("x", "number", np.ones(50)),)), ["x"]))


if __name__ == "__main__":
    unittest.main()
