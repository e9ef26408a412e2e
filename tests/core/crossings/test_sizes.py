"""Sizes against published figures and by hand, and in worlds where nobody changes."""

import unittest

import numpy as np
from scipy import special

from sortija.core.crossings.sizes import lopsided, sizes_changed

#: Unaided distance vision of the right eye (rows) and the left of 7,477 people (Stuart 1955).
VISION = np.array([
    [1520, 266, 124, 66],
    [234, 1512, 432, 78],
    [117, 362, 1772, 205],
    [36, 82, 179, 492],
])  # fmt: skip
DAYS = 365


def worlds(rng, count, customers=800, apart=DAYS, slower=0.0):
    """Moves between four segments by visits and days since the last one, in two windows of a year
    that begin ``apart`` days after each other; ``slower``: share whose rate falls to a third."""
    for _ in range(count):
        rates = rng.gamma(2.0, 0.012, customers)
        changed = rng.random(customers) < slower
        length = DAYS + apart
        visits = rng.random((customers, length)) < rates[:, None]
        late = np.arange(length) >= max(apart, length - DAYS)
        visits &= ~(changed[:, None] & late & (rng.random((customers, length)) > 1 / 3))
        states = []
        for begin in (0, apart):
            part = visits[:, begin : begin + DAYS]
            many = part.sum(axis=1)
            since = part[:, ::-1].argmax(axis=1)
            states.append(np.where(many == 0, -1, 2 * (many >= 8) + (since >= 40)))
        there = (states[0] >= 0) & (states[1] >= 0)
        yield np.bincount(4 * states[0][there] + states[1][there], minlength=16).reshape(4, 4)


class SizesChanged(unittest.TestCase):
    def test_published(self):
        found = sizes_changed(VISION)
        self.assertAlmostEqual(found.chi_squared, 11.957, places=3)
        self.assertEqual(found.df, 3)
        self.assertAlmostEqual(found.p, 0.0075, places=4)

    def test_without_the_last_segment_it_is_the_same(self):
        """As Stuart wrote it, with an inverse instead of a pseudo-inverse."""
        rng = np.random.default_rng(1)
        for _ in range(20):
            table = rng.integers(0, 30, (5, 5))
            change = (table.sum(axis=1) - table.sum(axis=0))[:4]
            spread = -(table + table.T)[:4, :4].astype(float)
            for i in range(4):
                spread[i, i] = table[i].sum() + table[:, i].sum() - 2 * table[i, i]
            found = sizes_changed(table)
            self.assertAlmostEqual(found.chi_squared, change @ np.linalg.solve(spread, change))
            self.assertAlmostEqual(found.p, special.chdtrc(4, found.chi_squared))

    def test_segments_without_movers_say_nothing(self):
        larger = np.zeros((6, 6), int)
        larger[np.ix_([0, 2, 3, 5], [0, 2, 3, 5])] = VISION
        larger[1, 1] = 900
        self.assertEqual(sizes_changed(larger), sizes_changed(VISION))
        # Two pairs that exchange nothing between them have a degree of freedom each.
        apart = np.zeros((4, 4), int)
        apart[0, 1], apart[1, 0], apart[2, 3], apart[3, 2] = 20, 5, 9, 9
        found = sizes_changed(apart)
        self.assertEqual(found.df, 2)
        self.assertAlmostEqual(found.chi_squared, 9.0)
        self.assertIsNone(sizes_changed(np.diag([5, 6, 7])))

    def test_where_nobody_changes_sizes_do_not(self):
        rng = np.random.default_rng(2)
        told = [sizes_changed(moves).p < 0.05 for moves in worlds(rng, 300, customers=500)]
        self.assertTrue(0.02 <= np.mean(told) <= 0.085, np.mean(told))

    def test_where_one_in_ten_slows_down_it_is_told(self):
        rng = np.random.default_rng(3)
        told = [
            sizes_changed(moves).p < 0.05 for moves in worlds(rng, 20, customers=2000, slower=0.1)
        ]
        self.assertGreaterEqual(np.mean(told), 0.9)


class GoneOneWay(unittest.TestCase):
    def test_by_hand(self):
        found = lopsided(VISION)
        self.assertEqual(len(found), 6)
        first = found[0]
        self.assertEqual((first.one, first.other, first.there, first.back), (0, 3, 66, 36))
        self.assertAlmostEqual(first.z, 30 / 102**0.5)
        raw = sorted(2 * special.ndtr(-each.z) for each in found)
        self.assertAlmostEqual(first.p, 6 * raw[0])
        for each in found:
            self.assertGreaterEqual(each.there, each.back)

    def test_few_moves_have_no_direction(self):
        table = np.array([[0, 9, 8], [0, 0, 2], [1, 9, 0]])
        self.assertEqual([(r.one, r.other) for r in lopsided(table)], [(2, 1)])

    def test_where_nobody_changes_no_way_is_told(self):
        rng = np.random.default_rng(4)
        told = [
            any(row.p < 0.05 for row in lopsided(moves))
            for moves in worlds(rng, 300, customers=500)
        ]
        self.assertLessEqual(np.mean(told), 0.08)

    def test_windows_that_overlap_mislead(self):
        """Why they are refused: of customers who never change, many go one way only."""
        rng = np.random.default_rng(5)
        told = [any(row.p < 0.05 for row in lopsided(m)) for m in worlds(rng, 30, apart=91)]
        self.assertGreater(np.mean(told), 0.3)


if __name__ == "__main__":
    unittest.main()
