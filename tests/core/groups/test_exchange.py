"""Ten starts of mixed rows come to what many more find; tiny tables to the very best."""

import itertools
import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.grouping import group
from sortija.core.groups.lloyd import exchanged, lloyd
from sortija.core.groups.recipe import Recipe
from sortija.core.groups.seeding import seed_centres
from tests.core.groups.support import brute_force, rows_of

RECIPE = Recipe({}, ("c0",))


def mixed(seed, n):
    """Rows of up to 7 groups that numbers and categories tell of, more or less; and a k."""
    rng = np.random.default_rng(seed)
    d, q, g = int(rng.integers(1, 6)), int(rng.integers(1, 5)), int(rng.integers(2, 8))
    label = rng.integers(0, g, n)
    numbers = (rng.normal(size=(g, d)) * rng.uniform(0.5, 3))[label] + rng.normal(size=(n, d))
    numbers = (numbers - numbers.mean(axis=0)) / numbers.std(axis=0)
    levels, codes = rng.integers(2, 7, q), np.empty((n, q), int)
    for j, most in enumerate(levels):
        own = rng.random(n) < rng.uniform(0, 0.9)
        codes[:, j] = np.where(own, 1 + (label * (j + 1)) % most, rng.integers(1, most + 1, n))
    uneven = [1 - ((np.bincount(c) / n) ** 2).sum() for c in codes.T]
    return rows_of(numbers, codes, [1 / max(u, 0.25) for u in uneven]), int(rng.integers(2, 9))


def optimum(rows, k):
    """The least cost of all ways to put few rows into k groups."""
    best, m = np.inf, len(rows)
    for labels in itertools.product(range(k), repeat=m):
        if list(dict.fromkeys(labels)) != list(range(k)):
            continue  # each way once, no group empty
        cost, at = 0.0, np.array(labels)
        for g in range(k):
            mine = at == g
            x = rows.numbers[:, mine].astype(float)
            cost += ((x - x.mean(axis=1, keepdims=True)) ** 2).sum()
            for codes, gamma in zip(rows.codes, rows.gammas, strict=True):
                cost += gamma * (mine.sum() - np.bincount(codes[mine]).max())
        best = min(best, cost)
    return best


class Changes(unittest.TestCase):
    def test_tiny_tables_reach_the_optimum(self):
        for seed in range(12):
            rng = np.random.default_rng([seed, 5])
            n = 7 + seed % 3
            rows = rows_of(rng.normal(size=(n, 2)), rng.integers(1, 4, (n, 2)), [1.5, 1.2])
            k = 2 + seed % 2
            self.assertAlmostEqual(group(rows, k, RECIPE).cost, optimum(rows, k), 4, seed)

    def test_ten_starts_are_as_good_as_many(self):
        engine = Engine(2)
        self.addCleanup(engine.release)
        for seed in range(50):
            rows, k = mixed(seed, 600)

            def start(number, rows=rows, k=k, seed=seed):
                return lloyd(rows, seed_centres(rows, k, np.random.default_rng([seed, number])))

            many = min(fit.cost for fit in engine.map(start, range(60)))
            self.assertLess(group(rows, k, RECIPE, engine).cost, 1.005 * many, seed)

    def test_a_change_never_costs_and_leaves_a_settled_grouping(self):
        for seed in range(6):
            rows, k = mixed(seed + 100, 400)
            rng = np.random.default_rng(seed)
            before = lloyd(rows, seed_centres(rows, k, rng))
            after = exchanged(rows, before, 30, rng)
            self.assertLessEqual(after.cost, before.cost)
            cost = brute_force(rows, after.centres)
            np.testing.assert_array_equal(after.labels, cost.argmin(axis=1))
            self.assertAlmostEqual(after.cost / cost.min(axis=1).sum(), 1, 5)
            np.testing.assert_array_equal(after.counts, np.bincount(after.labels, minlength=k))
            again = lloyd(rows, after.centres)
            self.assertAlmostEqual(again.cost / after.cost, 1, 9)

    def test_the_same_on_any_number_of_threads(self):
        rows, k = mixed(7, 6000)
        found = []
        for threads in (1, 2, 8):
            engine = Engine(threads)
            self.addCleanup(engine.release)
            found.append(group(rows, k, RECIPE, engine).labels)
        np.testing.assert_array_equal(found[0], found[1])
        np.testing.assert_array_equal(found[0], found[2])


if __name__ == "__main__":
    unittest.main()
