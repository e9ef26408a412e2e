"""Categories count by what they have to do with the other columns."""

import json
import unittest

import numpy as np
from scipy.stats import f_oneway

from sortija.core.groups.cautions import equals_column
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group
from sortija.core.groups.recipe import Preparation, Recipe, prepare
from sortija.core.groups.relevance import LEAST, MOST, epsilon, relevance_of
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.core.groups.support import rows_of

N = 3000


def table_of(numbers, categories):
    columns = [Column(f"x{i}", "number", v) for i, v in enumerate(numbers)]
    for i, codes in enumerate(categories):
        levels = tuple(str(n) for n in range(codes.max() + 1))
        columns.append(Column(f"c{i}", "category", (codes + 1).astype(np.int32), "", levels))
    return Table(tuple(columns))


def found(numbers, categories, label, k=4, **how):
    """Adjusted Rand of the groups with what was drawn."""
    table = table_of(numbers, categories)
    names = [c.name for c in table]
    recipe = Recipe({n: Steps() for n in names if n[0] == "x"},
                    tuple(n for n in names if n[0] == "c"), **how)  # fmt: skip
    return adjusted_rand(group(prepare(table, recipe), k, recipe).labels, label)


def blobs(rng, d, apart):
    label = rng.integers(0, 4, N)
    middle = apart * rng.normal(size=(4, d))
    return label, [middle[label, j] + rng.normal(size=N) for j in range(d)]


def of(rng, label, purity, levels=4):
    return np.where(rng.random(N) < purity, label % levels, rng.integers(0, levels, N))


class Weighing(unittest.TestCase):
    def mean(self, world, **how):
        return float(np.mean([found(*world(np.random.default_rng(s)), **how) for s in range(4)]))

    def test_an_irrelevant_category_costs_next_to_nothing(self):
        def beside(rng, d=3, apart=1.5, levels=(2,)):
            label, numbers = blobs(rng, d, apart)
            return numbers, [rng.integers(0, n, N) for n in levels], label

        for d, apart, levels in ((3, 1.5, (2,)), (6, 1.2, (2,)), (4, 1.3, (2, 3, 4))):

            def world(rng, d=d, apart=apart, levels=levels):
                return beside(rng, d, apart, levels)

            def without(rng, world=world):
                numbers, _, label = world(rng)
                return numbers, [], label

            alone = self.mean(without, method="k-means")
            self.assertGreater(self.mean(world), alone - 0.03, levels)
            if d < 6:
                self.assertLess(self.mean(world, relevance=False), alone - 0.05, levels)

    def test_groups_of_two_categories_beside_noise_are_found(self):
        def world(rng):
            label = rng.integers(0, 4, N)
            numbers = [rng.normal(size=N) for _ in range(4)]
            return numbers, [of(rng, label, 0.9), of(rng, label, 0.9)], label

        self.assertGreater(self.mean(world), 0.75)
        self.assertLess(self.mean(world, relevance=False), 0.4)

    def test_strength_factor_and_reason(self):
        rng = np.random.default_rng(1)
        label, numbers = blobs(rng, 2, 2.0)
        named = [(f"x{i}", v) for i, v in enumerate(numbers)]
        tells, noise = of(rng, label, 0.8), rng.integers(0, 2, N)
        first, second = relevance_of(["plan", "garden"], [tells, noise], named)
        self.assertEqual(first.factor, min(first.strength / 0.3, MOST))
        self.assertIn(first.to, ("x0", "x1"))
        self.assertEqual(second.factor, LEAST)
        self.assertEqual(
            second.words("Garden"), "Garden relates to nothing else here: it counts 5%."
        )
        self.assertIn("plan goes with x", first.words("plan"))

    def test_two_that_restate_each_other_count_as_one(self):
        rng = np.random.default_rng(2)
        label, numbers = blobs(rng, 2, 2.0)
        named = [(f"x{i}", v) for i, v in enumerate(numbers)]
        plan = of(rng, label, 0.5)
        again = (plan + 1) % 4  # the same under other names
        (alone,) = relevance_of(["plan"], [plan], named)
        first, second = relevance_of(["plan", "tariff"], [plan, again], named)
        self.assertAlmostEqual(first.strength, alone.strength)  # judged without the other
        self.assertAlmostEqual(first.factor, alone.factor / 2)
        self.assertEqual((first.same, second.same), (("tariff",), ("plan",)))
        self.assertIn("together they count as one", first.words("plan"))

    def test_nothing_to_go_by(self):
        (alone,) = relevance_of(["plan"], [np.arange(100) % 3], [])
        self.assertEqual((alone.factor, alone.to), (1.0, ""))
        rows = prepare(table_of([], [np.arange(100) % 3]), Recipe({}, ("c0",), method="k-modes"))
        text = json.dumps(rows.preparation.as_json(), allow_nan=False)
        again = Preparation.from_json(json.loads(text))
        self.assertEqual(again.categories[0].relevance.factor, 1.0)

    def test_epsilon_against_the_analysis_of_variance(self):
        rng = np.random.default_rng(3)
        codes, values = rng.integers(0, 5, 400), rng.normal(size=400)
        values[codes == 1] += 1
        f = f_oneway(*(values[codes == c] for c in range(5))).statistic
        squared = 4 * f / (4 * f + 395)
        self.assertAlmostEqual(epsilon(codes, values) ** 2, squared - (1 - squared) * 4 / 399)
        noise = [epsilon(rng.integers(0, 5, 400), rng.normal(size=400)) for _ in range(200)]
        self.assertLess(np.mean(np.square(noise)), 0.01)

    def test_gower_keeps_its_weights(self):
        rng = np.random.default_rng(4)
        table = table_of([rng.normal(size=200)], [rng.integers(0, 2, 200)])
        recipe = Recipe({"x0": Steps()}, ("c0",), method="k-medoids")
        self.assertIsNone(prepare(table, recipe).preparation.categories[0].relevance)


class Equal(unittest.TestCase):
    def test_groups_that_are_one_column(self):
        rng = np.random.default_rng(5)
        codes = rng.integers(1, 4, (900, 1))
        numbers = rng.normal(size=(900, 2))
        numbers[:, 1] += 8 * (rng.random(900) < 0.4)
        rows = rows_of(numbers, codes, [1.0])
        by_plan = (codes[:, 0] - 1).astype(np.int32)
        by_plan[:20] = 0
        self.assertEqual(equals_column(rows, by_plan, 3)[0], "c0")
        self.assertIsNone(equals_column(rows, rng.integers(0, 3, 900).astype(np.int32), 3))
        # Half of the customers each: one is right half of the time without knowing anything.
        self.assertIsNone(equals_column(rows, (rng.random(900) < 0.05).astype(np.int32), 2))

    def test_a_number_that_alone_makes_the_groups(self):
        rng = np.random.default_rng(6)
        table = table_of(
            [rng.normal(size=900), 9 * (rng.random(900) < 0.4) + rng.normal(size=900)], []
        )
        recipe = Recipe({"x0": Steps(), "x1": Steps()}, method="k-means")
        rows = prepare(table, recipe)
        name, share = equals_column(rows, group(rows, 2, recipe).labels, 2)
        self.assertEqual(name, "x1")
        self.assertGreater(share, 0.95)


if __name__ == "__main__":
    unittest.main()
