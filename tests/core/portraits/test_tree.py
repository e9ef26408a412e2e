"""The tree against exhaustive search, its cuts, and where it stops."""

import itertools
import unittest
from decimal import Decimal

import numpy as np

from sortija.core.engine import Engine
from sortija.core.portraits.bins import binned
from sortija.core.portraits.cuts import shortest_between
from sortija.core.portraits.tree import grow, least_leaf
from sortija.core.table import Column
from tests.core.portraits.support import random_table


def purity(groups, k, yes):
    """Σ counts² / rows over both sides, in plain Python."""
    total = 0.0
    for side in (yes, ~yes):
        counts = [int((groups[side] == g).sum()) for g in range(k)]
        total += sum(c * c for c in counts) / sum(counts)
    return total


def with_missing(yes, known):
    """Rows without a value go with the side of more rows that have one."""
    return np.where(known, yes, (yes & known).sum() >= (~yes & known).sum())


def every_split(column):
    """Every way to part a column's rows in two; of levels, the first is on the first side."""
    values = column.values
    if column.kind == "category":
        known, there = values > 0, sorted(set(values[values > 0].tolist()))
        for size in range(1, len(there)):
            for some in itertools.combinations(there, size):
                if there[0] not in some:
                    continue
                yield with_missing(np.isin(values, some), known)
        return
    known = ~np.isnan(values)
    for cut in sorted(set(values[known].tolist()))[1:]:
        yield with_missing(values < cut, known)


def best_of_all(columns, groups, k, least):
    """The greatest purity of any split with enough rows on both sides; 0 without one."""
    return max(
        (
            purity(groups, k, yes)
            for column in columns for yes in every_split(column)
            if least <= yes.sum() <= len(groups) - least
        ),
        default=0.0,
    )  # fmt: skip


class Exhaustive(unittest.TestCase):
    def test_the_first_question_of_200_tables(self):
        asked = {"number": 0, "category": 0, None: 0}
        for seed in range(200):
            columns, groups, k = random_table(np.random.default_rng(seed))
            least = 1 + seed % 12
            tree = grow(columns, groups, k, depth=1, least=least)
            question = tree.nodes[0].question
            wanted = best_of_all(columns, groups, k, least)
            whole = sum(int((groups == g).sum()) ** 2 for g in range(k)) / len(groups)
            with self.subTest(seed=seed):
                if wanted <= whole + 1e-9:
                    self.assertIsNone(question)
                    asked[None] += 1
                    continue
                yes = question.true_of(columns[question.column].values)
                self.assertAlmostEqual(purity(groups, k, yes), wanted, places=9)
                self.assertGreaterEqual(min(yes.sum(), (~yes).sum()), least)
                asked[columns[question.column].kind] += 1
        self.assertGreater(min(asked["number"], asked["category"]), 30, asked)

    def test_many_levels_of_two_groups_lose_nothing_by_their_order(self):
        for seed in range(20):
            rng = np.random.default_rng([seed, 2])
            levels = tuple(f"l{n}" for n in range(10))
            codes = rng.integers(1, 11, 400).astype(np.int32)
            groups = (rng.random(400) < rng.random(10)[codes - 1]).astype(np.int64)
            column = Column("c", "category", codes, "", levels)
            question = grow([column], groups, 2, depth=1, least=20).nodes[0].question
            self.assertTrue(question.in_order)
            wanted = best_of_all([column], groups, 2, 20)
            self.assertAlmostEqual(purity(groups, 2, question.true_of(codes)), wanted, places=9)


class Cuts(unittest.TestCase):
    def test_the_shortest_number_that_parts_the_rows_alike(self):
        self.assertEqual(shortest_between(97.3, 98.2), 98)
        self.assertEqual(shortest_between(0.1249, 0.1251), 0.125)
        self.assertEqual(shortest_between(-3.2, -1.7), -2)
        self.assertEqual(shortest_between(-0.4, 0.2), 0)
        self.assertEqual(shortest_between(1e6, 1e6 + 1), 1e6 + 1)
        rng = np.random.default_rng(3)
        for _ in range(2000):
            low, high = np.sort(rng.normal(size=2) * 10.0 ** rng.integers(-6, 9))
            found = shortest_between(low, high)
            self.assertTrue(low < found <= high, (low, found, high))
            for digits in range(1, len(Decimal(repr(float(found))).normalize().as_tuple().digits)):
                shorter = float(f"{found:.{digits}g}")
                self.assertFalse(low < shorter <= high, (low, found, high, shorter))

    def test_bins_of_any_values(self):
        rng = np.random.default_rng(7)
        for turn in range(200):
            n = int(rng.integers(1, 3000))
            x = (
                rng.normal(size=n) * 10.0 ** rng.integers(-9, 9), rng.lognormal(0, 6, n),
                np.round(rng.normal(size=n) * 3), rng.integers(0, 2, n) * 1e300,
            )[turn % 4]  # fmt: skip
            x = np.where(rng.random(n) < 0.1, np.nan, x)
            found = binned(Column("x", "number", x))
            there = ~np.isnan(x)
            np.testing.assert_array_equal(found.codes == 0, ~there)
            for code in np.unique(found.codes[there]):
                inside = x[found.codes == code]
                self.assertEqual((inside.min(), inside.max()),
                                 (found.low[code - 1], found.high[code - 1]))  # fmt: skip
            filled = found.low < np.inf
            edges = np.ravel(np.column_stack([found.low[filled], found.high[filled]]))
            self.assertTrue((np.diff(edges) >= 0).all())
            self.assertLessEqual(found.bins, 256)

    def test_more_values_than_bins_are_cut_near_the_best_place(self):
        rng = np.random.default_rng(4)
        x = rng.lognormal(size=30_000)
        groups = (x > 2.0).astype(np.int64)
        tree = grow([Column("x", "number", x)], groups, 2, depth=1)
        self.assertAlmostEqual(tree.nodes[0].question.cut, 2.0, delta=0.05)


class Growing(unittest.TestCase):
    def test_leaves_depth_and_rows_that_reach_them(self):
        columns, groups, k = random_table(np.random.default_rng(11), n=900)
        for depth in (1, 2, 3, 4):
            tree = grow(columns, groups, k, depth)
            reached = tree.reached(columns)
            self.assertEqual(set(reached.tolist()), set(tree.leaves))
            for leaf in tree.leaves:
                own = groups[reached == leaf]
                np.testing.assert_array_equal(
                    np.bincount(own, minlength=k), tree.nodes[leaf].counts
                )
                self.assertGreaterEqual(len(own), least_leaf(900))
                self.assertLessEqual(len(tree.path(leaf)), depth)

    def test_the_same_on_any_number_of_threads(self):
        columns, groups, k = random_table(np.random.default_rng(12), n=3000)
        engine = Engine(3)
        self.addCleanup(engine.release)
        one, many = grow(columns, groups, k, 4), grow(columns, groups, k, 4, engine=engine)
        self.assertEqual([n.question for n in one.nodes], [n.question for n in many.nodes])

    def test_missing_values_go_with_the_larger_side(self):
        x = np.concatenate([np.full(30, 1.0), np.full(50, 9.0), np.full(20, np.nan)])
        groups = np.repeat([0, 1, 0], [30, 50, 20])
        tree = grow([Column("x", "number", x)], groups, 2, depth=1)
        self.assertFalse(tree.nodes[0].question.missing)
        self.assertEqual([tree.nodes[n].counts.tolist() for n in (1, 2)], [[30, 0], [20, 50]])

    def test_nothing_to_ask(self):
        constant = Column("x", "number", np.ones(100))
        gone = Column("y", "number", np.full(100, np.nan))
        empty = Column("c", "category", np.zeros(100, np.int32), "", ("a", "b"))
        tree = grow([constant, gone, empty], np.arange(100) % 2, 2)
        self.assertIsNone(tree.nodes[0].question)
        few = grow([Column("x", "number", np.arange(10.0))], np.arange(10) // 5, 2)
        self.assertEqual(len(few.nodes), 1)  # no leaf of twenty
