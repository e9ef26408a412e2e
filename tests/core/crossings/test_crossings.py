"""Crossings counted by hand, border moves and reasons from their definitions."""

import unittest

import numpy as np

from sortija.core.crossings.explanations import effect_size, explain
from sortija.core.crossings.matrix import border_moves, cross, margin_towards
from sortija.core.groups.assignment import Placement
from sortija.core.groups.lloyd import nearest_centres
from sortija.core.groups.recipe import Prepared
from sortija.core.groups.seeding import centres_at
from tests.core.groups.support import brute_force, centres_of, gower_rows, rows_of


def placement(state, k=2):
    state = np.array(state, np.int32)
    nothing = np.full(len(state), np.nan)
    return Placement(k, state, nothing, np.full(len(state), -1, np.int32), nothing)


class Matrix(unittest.TestCase):
    def test_by_hand(self):
        before = placement([0, 0, 1, 2, 3, 3])
        after = placement([0, 1, 3, 0, 3, 1])
        money = np.array([10, 20, 30, 0, 0, 0]), np.array([11, 5, 0, 7, 0, 9])
        border = np.array([0, 1, 0, 0, 0, 0], bool)
        got = cross(before, after, *money, border)
        self.assertEqual(got.customers.sum(), 6)
        self.assertEqual(got.customers[0].tolist(), [1, 1, 0, 0, 0])
        self.assertEqual(got.customers[1, 3], 1)  # left
        self.assertEqual(got.customers[2, 0], 1)  # new
        self.assertEqual(got.customers[3, 1], 1)  # came back
        self.assertEqual((got.money_before[1, 3], got.money_after[3, 1]), (30, 9))
        self.assertEqual((got.border.sum(), got.border[0, 1]), (1, 1))
        np.testing.assert_array_equal(
            got.customers.sum(axis=1), np.bincount(before.state, minlength=5)
        )

    def test_other_yardsticks_are_refused(self):
        money = np.zeros(2, int)
        with self.assertRaises(ValueError):
            cross(placement([0, 1]), placement([0, 1], k=3), money, money, np.zeros(2, bool))


class Borders(unittest.TestCase):
    centres = centres_of([[0.0], [10.0], [20.0]])

    def rows(self, *values):
        return rows_of([[v] for v in values])

    def state(self, rows):
        return placement(brute_force(rows, self.centres).argmin(axis=1), k=3)

    def test_margin_towards_a_given_centre(self):
        rows = self.rows(4.0, 0.0)
        got = margin_towards(rows, self.centres, np.array([0, 0]), np.array([1, 2]))
        np.testing.assert_allclose(got, [(36 - 16) / 100, 1.0], atol=1e-6)

    def test_a_hair_on_both_sides(self):
        before, after = self.rows(4.5, 1.0, 4.5, 5.0), self.rows(5.5, 5.5, 9.0, 15.5)
        got = border_moves(self.state(before), self.state(after), before, after, self.centres)
        self.assertEqual(got.tolist(), [True, False, False, False])


class Reasons(unittest.TestCase):
    def test_parts_sum_to_the_change_of_distance(self):
        rng = np.random.default_rng(4)
        codes = rng.integers(1, 4, (2, 40, 2))
        before = rows_of(rng.normal(size=(40, 3)), codes[0], [0.6, 1.1])
        after = rows_of(rng.normal(size=(40, 3)), codes[1], [0.6, 1.1])
        centres = centres_of(rng.normal(size=(4, 3)), rng.integers(1, 4, (4, 2)))
        got = explain(before, after, centres, 1, 3)
        change = brute_force(after, centres) - brute_force(before, centres)
        wanted = (change[:, 3] - change[:, 1]).sum()
        self.assertAlmostEqual(got.total, wanted, places=6)
        self.assertAlmostEqual(got.parts.sum(), got.total, delta=1e-9 * abs(got.total) + 1e-9)
        self.assertAlmostEqual(got.shares.sum(), 1.0)

    def test_parts_of_gowers_distance(self):
        before, _ = gower_rows(np.random.default_rng(1), 30)
        after = before.take(np.random.default_rng(2).permutation(30))
        after = Prepared(before.preparation, after.numbers, after.codes, before.rows)
        centres = centres_at(before, np.array([3, 11]))

        def away(rows, group):
            gaps = np.abs(rows.numbers - centres.numbers[group][:, None]).sum(axis=0)
            differ = (rows.codes != centres.modes[group][:, None]) * rows.gammas[:, None]
            return (gaps + differ.sum(axis=0)).sum()

        got = explain(before, after, centres, 0, 1)
        wanted = away(after, 1) - away(after, 0) - away(before, 1) + away(before, 0)
        self.assertAlmostEqual(got.total, wanted, places=5)

    def test_margins_by_gowers_distance_are_those_of_placing(self):
        rows, _ = gower_rows(np.random.default_rng(3), 50)
        centres = centres_at(rows, np.array([3, 11, 20]))
        placed = nearest_centres(rows, centres)
        found = margin_towards(rows, centres, placed.labels, placed.rival)
        np.testing.assert_allclose(found, placed.margin, atol=1e-5)

    def test_only_what_changed_explains(self):
        before, after = rows_of([[0.0, 3.0]]), rows_of([[8.0, 3.0]])
        got = explain(before, after, centres_of([[0.0, 3.0], [10.0, 3.0]]), 0, 1)
        np.testing.assert_allclose(got.shares, [1.0, 0.0])
        with self.assertRaises(ValueError):
            explain(before, rows_of([[0.0, 1.0]] * 2), centres_of([[0.0, 0], [1, 1]]), 0, 1)

    def test_effect_size(self):
        first, second = np.array([4.0, 6.0, np.nan]), np.array([1.0, 2.0, 3.0])
        pooled = np.sqrt((1 * 2.0 + 2 * 1.0) / 3)
        self.assertAlmostEqual(effect_size(first, second), (5 - 2) / pooled)
        self.assertTrue(np.isnan(effect_size(first[:1], second)))
        self.assertTrue(np.isnan(effect_size(np.ones(3), np.ones(3))))


if __name__ == "__main__":
    unittest.main()
