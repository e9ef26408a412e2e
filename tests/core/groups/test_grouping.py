"""Every method through its one door: against exhaustion, by its properties, at its limits."""

import json
import unittest
from itertools import product
from unittest import mock

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups import grouping
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group, grouper, refusal
from sortija.core.groups.lloyd import Fit, lloyd, nearest_centres
from sortija.core.groups.micro import micro_groups
from sortija.core.groups.recipe import METHODS, Recipe, RecipeError, prepare
from sortija.core.groups.seeding import dense_centres
from sortija.core.measures.preparation import Steps
from sortija.core.progress import Stopped
from sortija.core.table import Column, Table
from tests.core.groups.support import brute_force, centres_of, mixed_table, rows_of


def least_cost(rows, k):
    """The optimum over all ways to put the rows in at most k groups."""
    m = len(rows)
    x, codes, gammas = rows.numbers.T.astype(float), rows.codes.T, rows.gammas.astype(float)
    cost = {0: 0.0}
    for chosen in range(1, 1 << m):
        mine = [i for i in range(m) if chosen >> i & 1]
        total = ((x[mine] - x[mine].mean(axis=0)) ** 2).sum() if x.shape[1] else 0.0
        for a, gamma in enumerate(gammas):
            total += gamma * (len(mine) - np.bincount(codes[mine, a]).max())
        cost[chosen] = total
    best = cost.copy()
    for _ in range(k - 1):
        better = best.copy()
        for chosen in range(1, 1 << m):
            part = chosen
            while part:  # every part of the chosen as one more group
                better[chosen] = min(better[chosen], cost[part] + best[chosen ^ part])
                part = (part - 1) & chosen
        best = better
    return best[(1 << m) - 1]


class AgainstExhaustion(unittest.TestCase):
    def test_never_below_the_optimum_and_mostly_at_it(self):
        equal, tried = 0, 200
        for seed in range(tried):
            rng = np.random.default_rng(seed)
            m, k, q = int(rng.integers(5, 8)), int(rng.integers(2, 4)), seed % 2
            rows = rows_of(rng.normal(size=(m, 2)), rng.integers(1, 4, (m, q)), [0.9] * q)
            recipe = Recipe({}, ("c0",) * q, starts=50, seed=seed)
            fit, best = group(rows, k, recipe), least_cost(rows, k)
            self.assertGreaterEqual(fit.cost, best - 1e-5)
            equal += fit.cost < best + 1e-5
            # A fixed point of its own update.
            again = lloyd(rows, fit.centres)
            np.testing.assert_array_equal(again.labels, fit.labels)
            self.assertAlmostEqual(again.cost, fit.cost, places=6)
        self.assertGreaterEqual(equal, 0.9 * tried)

    def test_an_instance_of_nine(self):
        rows = rows_of([[0.0], [0.1], [0.3], [5.0], [5.2], [5.3], [9.0], [9.4], [9.5]])
        wanted = least_cost(rows, 3)
        self.assertAlmostEqual(group(rows, 3, Recipe({}, starts=50)).cost, wanted, places=5)


class Methods(unittest.TestCase):
    def setUp(self):
        self.table, self.truth = mixed_table(700)
        self.engine = Engine(2)
        self.addCleanup(self.engine.release)

    def recipe(self, method, **more):
        numeric = {} if method == "k-modes" else {"x": Steps(), "y": Steps()}
        categories = () if method == "k-means" else ("c",)
        return Recipe(numeric, categories, method=method, starts=4, **more)

    def test_all_find_three_clear_groups_and_place_them_again(self):
        for method in METHODS:
            recipe = self.recipe(method)
            rows = prepare(self.table, recipe)
            fit = group(rows, 3, recipe, self.engine)
            self.assertGreater(adjusted_rand(fit.labels, self.truth), 0.9, method)
            self.assertEqual(fit.counts.tolist(), sorted(fit.counts.tolist(), reverse=True))
            np.testing.assert_array_equal(np.bincount(fit.labels), fit.counts)
            placed = nearest_centres(rows, fit.centres, self.engine)
            np.testing.assert_array_equal(placed.labels, fit.labels)
            self.assertAlmostEqual(fit.cost, placed.distance.sum(dtype=float), delta=1e-2)
            self.assertLess(fit.moved, 0.05)
            self.assertEqual(refusal(fit, recipe), "")

    def test_same_groups_on_any_number_of_threads(self):
        for method, linkage in product(METHODS, ("ward", "average")):
            if method != "hierarchical" and linkage != "ward":
                continue
            recipe = self.recipe(method, linkage=linkage)
            rows = prepare(self.table, recipe)
            fits = []
            for threads in (1, 2, 8):
                engine = Engine(threads)
                fits.append(group(rows, 4, recipe, engine) if method != "k-modes"
                            else group(rows, 3, recipe, engine))  # fmt: skip
                engine.release()
            for other in fits[1:]:
                self.assertEqual(fits[0].cost, other.cost)
                np.testing.assert_array_equal(fits[0].labels, other.labels)

    def test_a_recipe_that_was_written_down_gives_the_same_groups(self):
        for method in METHODS:
            recipe = self.recipe(method, weights={"c": 1.5} if method != "k-means" else {})
            again = Recipe.from_json(json.loads(json.dumps(recipe.as_json())))
            self.assertEqual(again, recipe)
            one, two = (
                group(prepare(self.table, each), 3, each, self.engine) for each in (recipe, again)
            )
            np.testing.assert_array_equal(one.labels, two.labels)
            self.assertEqual(one.cost, two.cost)

    def test_beginning_at_dense_rows(self):
        recipe = self.recipe("k-prototypes", seeding="dense")
        fit = group(prepare(self.table, recipe), 3, recipe, self.engine)
        self.assertGreater(adjusted_rand(fit.labels, self.truth), 0.9)
        rng = np.random.default_rng(1)
        rows = rows_of(np.r_[rng.normal(0, 1, (60, 2)), rng.normal(20, 1, (60, 2)), [[90.0, 90]]])
        starts = dense_centres(rows, 2, rng).numbers
        # The first begins amid a crowd, not at the lonely row.
        self.assertLess(np.abs(starts[0]).max(), 25)
        with self.assertRaisesRegex(ValueError, "cannot make 3"):
            dense_centres(rows_of([[1.0], [2.0]]), 3, rng)

    def test_ordinary_linkages_may_be_refused_for_adopting(self):
        rng = np.random.default_rng(2)
        around = rng.random(400) * 2 * np.pi
        ring = np.stack([np.cos(around), np.sin(around)], axis=1) * 8 + rng.normal(0, 0.2, (400, 2))
        rows = rows_of(np.r_[ring, rng.normal(3.5, 0.4, (200, 2))])
        recipe = Recipe({}, method="hierarchical", linkage="single")
        fit = group(rows, 2, recipe)
        self.assertGreater(fit.moved, 0.05)
        self.assertIn("would change their group", refusal(fit, recipe))
        wards = Recipe({}, method="hierarchical")
        self.assertEqual(refusal(group(rows, 2, wards), wards), "")

    def test_it_can_be_stopped(self):
        def progress(stage, done, of):
            raise Stopped

        for method in METHODS:
            recipe = self.recipe(method)
            with self.assertRaises(Stopped):
                group(prepare(self.table, recipe), 3, recipe, self.engine, progress)


class Many(unittest.TestCase):
    def test_micro_groups_stand_for_many_rows(self):
        rng = np.random.default_rng(7)
        who = rng.integers(0, 4, 40_000)
        middle = rng.normal(0, 6, (4, 5))
        codes = np.where(rng.random((40_000, 1)) < 0.9, who[:, None] + 1, 1)
        rows = rows_of(middle[who] + rng.normal(size=(40_000, 5)), codes, [1.2])
        engine = Engine(2)
        micro = micro_groups(rows, 1, engine)
        self.assertEqual(micro.weights.sum(), 40_000)
        self.assertTrue(900 < len(micro.weights) < 1100)
        np.testing.assert_array_equal(np.bincount(micro.labels), micro.weights)
        some = micro.labels == 17
        np.testing.assert_allclose(
            micro.points[:5, 17], rows.numbers[:, some].mean(axis=1, dtype=float), atol=1e-6
        )
        shares = np.bincount(rows.codes[0, some], minlength=5)[1:] / some.sum()
        np.testing.assert_allclose(micro.points[5:, 17], shares * np.sqrt(0.6), atol=1e-6)
        recipe = Recipe({}, ("c0",), method="hierarchical")
        make = grouper(rows, recipe, engine)
        self.assertGreater(adjusted_rand(make(4).labels, who), 0.95)
        self.assertEqual(make.tree.sizes[-1], 40_000)
        other = grouper(rows, recipe, Engine(1))
        np.testing.assert_array_equal(make(6).labels, other(6).labels)
        engine.release()
        average = Recipe({}, ("c0",), method="hierarchical", linkage="average")
        with self.assertRaisesRegex(RecipeError, "at most 12,000 customers, and there are 40,000"):
            group(rows, 3, average)

    def test_starts_on_a_draw_are_polished_on_everyone(self):
        rng = np.random.default_rng(9)
        rows = rows_of(rng.normal(size=(3000, 4)))
        with mock.patch.object(grouping, "SAMPLE", 500):
            recipe = Recipe({}, method="k-means")
            polished = grouper(rows, recipe)(6, settled=False)
            settled = group(rows, 6, recipe)
        self.assertFalse(polished.settled)
        self.assertTrue(settled.settled)
        self.assertLessEqual(settled.cost, polished.cost)
        self.assertEqual(len(polished.labels), 3000)


class Limits(unittest.TestCase):
    """Degenerate tables give a clear result or a clear error."""

    def each(self, numeric, categories=()):
        for method in METHODS:
            recipe = Recipe(
                {} if method == "k-modes" else {n: Steps() for n in numeric},
                () if method == "k-means" else tuple(categories),
                method=method, starts=2,
            )  # fmt: skip
            if recipe.numeric or recipe.categories:
                yield method, recipe

    def test_one_column(self):
        table = Table((Column("x", "number", np.r_[np.zeros(20), np.full(30, 9.0)]),))
        for _, recipe in self.each(["x"]):
            fit = group(prepare(table, recipe), 2, recipe)
            self.assertEqual((fit.counts.tolist(), round(fit.cost, 6)), ([30, 20], 0.0))

    def test_alike_rows_and_more_groups_than_kinds(self):
        codes = np.repeat([1, 2], 25).astype(np.int32)
        table = Table((
            Column("x", "number", np.repeat([1.0, 2.0], 25)),
            Column("c", "category", codes, "", ("a", "b")),
        ))  # fmt: skip
        for method, recipe in self.each(["x"], ["c"]):
            rows = prepare(table, recipe)
            with self.assertRaisesRegex(
                RecipeError, "Only 2 groups of customers differ", msg=method
            ):
                group(rows, 4, recipe)
            self.assertEqual(group(rows, 2, recipe).counts.tolist(), [25, 25])

    def test_fewer_rows_than_groups(self):
        table = Table((Column("x", "number", np.array([1.0, 2.0, 4.0])),))
        for method, recipe in self.each(["x"]):
            rows = prepare(table, recipe)
            with self.assertRaisesRegex(
                RecipeError, "3 customers cannot make 4 groups", msg=method
            ):
                group(rows, 4, recipe)
            with self.assertRaisesRegex(RecipeError, "at least 1 group", msg=method):
                group(rows, 0, recipe)
            self.assertEqual(group(rows, 3, recipe).counts.tolist(), [1, 1, 1])
            self.assertEqual(group(rows, 1, recipe).counts.tolist(), [3])

    def test_all_categories_unique(self):
        n = 120
        codes = np.arange(1, n + 1, dtype=np.int32)
        table = Table((
            Column("x", "number", np.repeat([0.0, 5.0], n // 2)),
            Column("c", "category", codes, "", tuple(f"v{i}" for i in range(n))),
        ))  # fmt: skip
        recipe = Recipe({"x": Steps()}, ("c",))
        fit = group(prepare(table, recipe), 2, recipe)
        self.assertEqual(fit.counts.tolist(), [60, 60])

    def test_ten_thousand_levels(self):
        n = 10_000
        codes = np.arange(1, n + 1, dtype=np.int32)
        column = Column("c", "category", codes, "", tuple(f"v{i}" for i in range(n)))
        table = Table((Column("x", "number", np.arange(n) % 7.0), column))
        with self.assertRaisesRegex(RecipeError, "c has 10,000 values.*pool its rare values"):
            prepare(table, Recipe({"x": Steps()}, ("c",)))
        pooled = prepare(table, Recipe({"x": Steps()}, ("c",), pool=0.01))
        self.assertEqual(pooled.preparation.dropped, ("c",))

    def test_a_million_equal_rows(self):
        table = Table((Column("x", "number", np.full(1_000_000, 3.0)),))
        with self.assertRaisesRegex(RecipeError, "Nothing that was picked varies"):
            prepare(table, Recipe({"x": Steps()}))
        rows = rows_of(np.full((1_000_000, 1), 3.0))
        with self.assertRaisesRegex(RecipeError, "Only 1 groups of customers differ"):
            group(rows, 2, Recipe({}, starts=2), Engine(2))
        fit = group(rows, 1, Recipe({}, starts=2), Engine(2))
        self.assertEqual((fit.counts.tolist(), fit.cost), ([1_000_000], 0.0))

    def test_the_result_is_plain(self):
        fit = group(rows_of([[0.0], [1.0]]), 2, Recipe({}))
        self.assertIsInstance(fit, Fit)
        own = brute_force(rows_of([[0.0], [1.0]]), centres_of(fit.centres.numbers))
        self.assertEqual(own.min(axis=1).tolist(), [0.0, 0.0])


if __name__ == "__main__":
    unittest.main()
