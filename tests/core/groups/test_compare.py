"""Comparing groupings against worked cases, brute force over pairs, and information by hand."""

import unittest
from itertools import combinations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.groups.compare import (
    adjusted_rand,
    best_matching,
    carry_over,
    compare,
    cross_table,
    nested_in_words,
    rand_in_words,
    variation_of_information,
)

LABELS = st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), min_size=2, max_size=30)


def split(pairs):
    both = np.array(pairs)
    return both[:, 0], both[:, 1]


class AdjustedRand(unittest.TestCase):
    def test_worked_case(self):
        # Hubert & Arabie's formula on a 3 × 3 table, worked by hand.
        first = np.repeat([0, 0, 1, 1, 2, 2], [1, 1, 2, 1, 4, 1])
        second = np.repeat([0, 1, 1, 2, 2, 0], [1, 1, 2, 1, 4, 1])
        table = cross_table(first, second, 3, 3)
        self.assertEqual(table.tolist(), [[1, 1, 0], [0, 2, 1], [1, 0, 4]])
        together, rows, columns, every = 0 + 1 + 6, 1 + 3 + 10, 1 + 3 + 10, 45
        wanted = (together - rows * columns / every) / (
            (rows + columns) / 2 - rows * columns / every
        )
        self.assertAlmostEqual(adjusted_rand(first, second), wanted)

    @given(LABELS)
    def test_from_pairs_one_by_one(self, pairs):
        first, second = split(pairs)
        both = a = b = 0
        every = list(combinations(range(len(first)), 2))
        for i, j in every:
            same, also = first[i] == first[j], second[i] == second[j]
            both, a, b = both + (same and also), a + same, b + also
        expected = a * b / len(every)
        if (a + b) / 2 != expected:
            wanted = (both - expected) / ((a + b) / 2 - expected)
            self.assertAlmostEqual(adjusted_rand(first, second), wanted)

    def test_ends(self):
        rng = np.random.default_rng(1)
        a = rng.integers(0, 4, 5000)
        self.assertEqual(adjusted_rand(a, (a + 1) % 4), 1.0)
        self.assertLess(abs(adjusted_rand(a, rng.integers(0, 4, 5000))), 0.01)

    def test_customers_without_a_group_count_in_neither(self):
        a, b = np.array([0, 0, 1, 1, -1, 1]), np.array([1, 1, 0, 0, 0, -1])
        self.assertEqual(adjusted_rand(a, b), 1.0)
        self.assertEqual(variation_of_information(a, b), 0.0)
        self.assertEqual(adjusted_rand(np.array([-1]), np.array([0])), 1.0)

    def test_a_finer_grouping_is_said_to_divide_the_coarser(self):
        finer = np.array([[50, 2], [40, 0], [1, 60], [0, 30]])
        words = nested_in_words(finer)
        self.assertTrue(words.startswith("the first divides the groups of the second further: 98%"))
        self.assertTrue(nested_in_words(finer.T).startswith("the second divides"))
        self.assertEqual(nested_in_words(np.array([[30, 30], [30, 30], [30, 30]])), "")
        self.assertEqual(nested_in_words(np.eye(3, dtype=int)), "")
        self.assertEqual(nested_in_words(np.zeros((3, 2), int)), "")

    def test_words_follow_the_figure(self):
        said = [rand_in_words(v) for v in (1.0, 0.92, 0.85, 0.7, 0.4, 0.0, -0.2)]
        self.assertEqual(len(set(said[:6])), 6)
        self.assertEqual(said[5], said[6])


class Information(unittest.TestCase):
    def test_by_hand(self):
        # Halves against halves of the halves: one bit is lost one way.
        a, b = np.repeat([0, 1], 4), np.repeat([0, 1, 2, 3], 2)
        self.assertAlmostEqual(variation_of_information(a, b), np.log(2))
        # Independent: both entropies are left.
        a, b = np.tile([0, 1], 8), np.repeat([0, 1, 2, 3], 4)
        self.assertAlmostEqual(variation_of_information(a, b), np.log(2) + np.log(4))

    @given(LABELS)
    def test_from_the_definition(self, pairs):
        first, second = split(pairs)
        n, total = len(first), 0.0
        for a in set(first):
            for b in set(second):
                both = ((first == a) & (second == b)).mean()
                if both:
                    p, q = (first == a).mean(), (second == b).mean()
                    total -= both * (np.log(both / p) + np.log(both / q))
        found = variation_of_information(first, second)
        self.assertAlmostEqual(found, max(total, 0))
        self.assertAlmostEqual(found, variation_of_information(second, first))
        self.assertLessEqual(found, 2 * np.log(n) + 1e-9)


class SideBySide(unittest.TestCase):
    def test_matching(self):
        self.assertEqual(best_matching(np.array([[1, 9], [8, 7]])).tolist(), [1, 0])
        self.assertEqual(best_matching(np.array([[5], [9]])).tolist(), [-1, 0])

    def test_who_differs(self):
        first = np.array([0, 0, 0, 1, 1, 1, -1, 2])
        second = np.array([1, 1, 0, 0, 0, 0, 1, -1])
        found = compare(first, second, 3, 2)
        self.assertEqual(found.table.tolist(), [[1, 2], [3, 0], [0, 0]])
        self.assertEqual(found.matching.tolist(), [1, 0, -1])
        self.assertEqual(np.flatnonzero(found.differ).tolist(), [2])
        self.assertEqual((found.only_first, found.only_second), (1, 1))
        self.assertAlmostEqual(found.agree, 5 / 6)
        with self.assertRaisesRegex(ValueError, "8 and 3 customers"):
            compare(first, second[:3], 3, 2)

    def test_identities_are_carried_over_and_new_and_vanished_ones_are_none(self):
        table = np.array([[0, 90, 5], [80, 0, 0], [4, 6, 7]])
        self.assertEqual(carry_over(table).tolist(), [1, 0, 2])
        # The third old group falls apart, and a new one comes from everywhere.
        table = np.array([[100, 0, 30], [0, 100, 30], [20, 20, 5]])
        self.assertEqual(carry_over(table).tolist(), [0, 1, -1])
        # An old group that splits lives on in its larger part only.
        self.assertEqual(carry_over(np.array([[70, 30]])).tolist(), [0, -1])


if __name__ == "__main__":
    unittest.main()
