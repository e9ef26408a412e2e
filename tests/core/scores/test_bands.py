"""Bands from their formula in exact fractions; ties never split."""

import unittest
from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.scores.bands import (
    Cuts,
    band,
    band_by_cuts,
    band_by_width,
    close_gaps,
    codes,
    cuts_of,
    field,
    totals,
)

VALUES = st.lists(st.one_of(st.just(float("nan")), st.integers(0, 12).map(float)), max_size=60)


def by_formula(values, asked, higher):
    """min(B, ⌊B·(r − ½)/n⌋ + 1) with mid-ranks, one value after the other."""
    there = [v for v in values if v == v]
    out = []
    for value in values:
        if value != value:
            out.append(0)
            continue
        worse = sum(v < value if higher else v > value for v in there)
        same = there.count(value)
        rank = worse + Fraction(same + 1, 2)
        out.append(min(asked, int(asked * (rank - Fraction(1, 2)) / len(there)) + 1))
    return out


class Bands(unittest.TestCase):
    @given(VALUES, st.integers(2, 10), st.booleans())
    def test_formula(self, values, asked, higher):
        got = band(np.array(values, float), asked, higher)
        self.assertEqual(got.bands.tolist(), by_formula(values, asked, higher))
        self.assertEqual(got.sizes.sum(), sum(v == v for v in values))
        for value in set(values):
            self.assertEqual(
                len({b for b, v in zip(got.bands, values, strict=True) if v == value}),
                value == value,
            )

    def test_direction_and_cuts(self):
        days = np.array([1.0, 10, 20, 30, 40, 50, 60, 70, 80, 90])
        got = band(days, 5, higher_is_better=False)
        self.assertEqual(got.bands[0], 5)
        self.assertEqual(got.cuts[4].tolist(), [1, 10])
        self.assertEqual(got.cuts[0].tolist(), [80, 90])
        self.assertFalse(got.lopsided)

    def test_ties_leave_bands_empty_and_say_so(self):
        got = band(np.array([1.0] * 60 + [2.0] * 20 + [3.0] * 20), 5, True)
        self.assertEqual(got.sizes.tolist(), [0, 60, 0, 20, 20])
        self.assertEqual((got.empty, got.lopsided), (2, True))

    def test_limits(self):
        for asked in (1, 11):
            with self.assertRaises(ValueError):
                band(np.array([1.0]), asked, True)
        self.assertEqual(band(np.array([np.nan]), 5, True).sizes.tolist(), [0] * 5)


class Cutting(unittest.TestCase):
    @given(VALUES, st.integers(2, 10), st.booleans())
    def test_frozen_cuts_give_the_same_bands_again(self, values, asked, higher):
        values = np.array(values, float)
        found = band(values, asked, higher)
        again = band_by_cuts(values, cuts_of(found, higher))
        self.assertEqual(again.bands.tolist(), found.bands.tolist())
        self.assertEqual(again.sizes.tolist(), found.sizes.tolist())
        np.testing.assert_array_equal(again.cuts, found.cuts)

    def test_a_bound_belongs_to_the_better_band(self):
        values = np.array([1.0, 2, 3, 4, np.nan])
        self.assertEqual(band_by_cuts(values, Cuts((2.0, 4.0), True)).bands.tolist(),
                         [1, 2, 2, 3, 0])  # fmt: skip
        # Less is better: bounds are of −value.
        self.assertEqual(band_by_cuts(values, Cuts((-3.0, -2.0), False)).bands.tolist(),
                         [3, 3, 2, 1, 0])  # fmt: skip
        for bounds in ((2.0, 1.0), (float("nan"),), (), tuple(range(10))):
            with self.assertRaises(ValueError):
                band_by_cuts(values, Cuts(bounds, True))

    def test_equal_widths(self):
        values = np.array([0.0, 1, 2.5, 5, 9, 10, np.nan])
        self.assertEqual(band_by_width(values, 4, True).bands.tolist(), [1, 1, 2, 3, 4, 4, 0])
        self.assertEqual(band_by_width(values, 4, False).bands.tolist(), [4, 4, 4, 3, 1, 1, 0])
        self.assertEqual(band_by_width(np.full(3, np.nan), 4, True).sizes.tolist(), [0] * 4)
        self.assertEqual(band_by_width(np.full(3, 7.0), 3, True).bands.tolist(), [3, 3, 3])

    def test_closing_gaps(self):
        found = band(np.array([1.0] * 8 + [5.0, 9.0]), 5, True)
        self.assertEqual(found.sizes.tolist(), [0, 0, 8, 0, 2])
        closed = close_gaps(found)
        self.assertEqual((closed.asked, closed.sizes.tolist()), (2, [8, 2]))
        self.assertEqual(closed.bands.tolist(), [1] * 8 + [2, 2])
        self.assertEqual(closed.cuts.tolist(), [[1, 1], [5, 9]])
        alike = band(np.full(4, 1.0), 5, True)
        self.assertIs(close_gaps(alike), alike)


class Together(unittest.TestCase):
    def setUp(self):
        self.first = band(np.array([1.0, 2, 3, 4, np.nan]), 2, True)
        self.second = band(np.array([1.0, 1, 9, 9, 9]), 2, True)

    def test_codes_and_totals(self):
        self.assertEqual(codes([self.first, self.second]).tolist(), ["11", "11", "22", "22", ""])
        total = totals([self.first, self.second], [1.0, 10.0])
        self.assertEqual(total[:4].tolist(), [11, 11, 22, 22])
        self.assertTrue(np.isnan(total[4]))

    def test_field(self):
        money = np.array([5, 6, 7, 8, 9])
        got = field(self.first, self.second, money)
        self.assertEqual(got.customers.tolist(), [[2, 0], [0, 2]])
        self.assertEqual(got.money.tolist(), [[11, 0], [0, 15]])
        some = field(self.first, self.second, money, np.array([1, 0, 1, 0, 1], bool))
        self.assertEqual(some.customers.sum(), 2)


if __name__ == "__main__":
    unittest.main()
