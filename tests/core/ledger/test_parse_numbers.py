"""Cells read as numbers, dates and keys."""

import unittest
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.parse_numbers import (
    BAD,
    EMPTY,
    GOOD,
    decimals_in,
    hash_cells,
    read_decimals,
)

EPOCH = date(1970, 1, 1)


def numbers(*cells, scale=2, comma=False):
    values, state = read_decimals(pa.array(cells, pa.string()), scale, comma)
    return [int(v) if s == GOOD else {EMPTY: "empty", BAD: "bad"}[int(s)]
            for v, s in zip(values, state, strict=True)]  # fmt: skip


class Decimals(unittest.TestCase):
    def test_plain_and_signed(self):
        self.assertEqual(numbers("12.50", "-3", "+4.1", " 7 ", "5-"), [1250, -300, 410, 700, -500])

    def test_rounding_is_half_away_from_zero(self):
        self.assertEqual(numbers("0.005", "-0.005", "1.2349", "2.995"), [1, -1, 123, 300])

    def test_marks_of_both_kinds(self):
        self.assertEqual(numbers("1,234.56", "1.234,56", "1'234.5"), [123456, 123456, 123450])
        self.assertEqual(numbers("1.234.567"), [123456700])

    def test_lone_comma(self):
        self.assertEqual(numbers("12,5", "1,234"), [1250, 123400])
        self.assertEqual(numbers("1,234", scale=3, comma=True), [1234])

    def test_currency_and_brackets(self):
        self.assertEqual(numbers("£9.99", "(4.50)", "$1", "3.20 €"), [999, -450, 100, 320])

    def test_what_is_no_number(self):
        self.assertEqual(numbers("", "  ", "n/a", "12a", "-", "9" * 18, "."),
                         ["empty", "empty", "bad", "bad", "bad", "bad", "bad"])  # fmt: skip

    def test_true_minus_and_codes_of_currencies(self):
        self.assertEqual(numbers("−5.00", "–3", "12.50 EUR", "GBP 7", "-2 USD", "(3 EUR)"),
                         [-500, -300, 1250, 700, -200, -300])  # fmt: skip

    def test_a_range_or_a_code_is_no_number(self):
        for cell in ("18-24", "18–24", "65+5", "(5)(6)", "()", "12EUR", "ABC 12X", "EUR", "1(2)"):
            self.assertEqual(numbers(cell), ["bad"], cell)
        self.assertEqual(numbers("65+"), [6500])

    def test_most_decimals(self):
        self.assertEqual(decimals_in(pa.array(["1", "2.5", "3.125", ""])), 3)
        self.assertEqual(decimals_in(pa.array(["1,234", "10"])), 0)
        self.assertEqual(decimals_in(pa.array(["1.234,5", "see 1.23456", "EUR 1.25"])), 2)
        self.assertEqual(decimals_in(pa.array(["1,234,567", "1.234,125"]), comma=True), 3)

    def test_no_amount_leaves_64_bits_at_any_scale(self):
        for digits in range(1, 30):
            for scale in range(5):
                (read,) = numbers("9" * digits, scale=scale)
                wanted = int("9" * digits) * 10**scale if digits <= 14 else "bad"
                self.assertEqual(read, wanted, (digits, scale))
        self.assertEqual(numbers("12345678901234.5678", scale=4), [123456789012345678])

    @given(st.decimals(-(10**9), 10**9, places=4), st.integers(0, 4))
    def test_as_decimal_says(self, value, scale):
        step = Decimal(1).scaleb(-scale)
        wanted = int(value.quantize(step, rounding=ROUND_HALF_UP).scaleb(scale))
        self.assertEqual(numbers(f"{value:f}", scale=scale, comma=False), [wanted])

    def test_sliced_columns_keep_their_place(self):
        whole = pa.array(["1", "2", "3", "4"])
        values, _ = read_decimals(whole.slice(2, 2), 0)
        self.assertEqual(values.tolist(), [3, 4])


class Keys(unittest.TestCase):
    def test_equal_cells_equal_keys(self):
        first = hash_cells(pa.array(["R1", "R2", "R1", " R1 "]))
        self.assertEqual(first[0], first[2])
        self.assertEqual(first[0], first[3])
        self.assertNotEqual(first[0], first[1])

    def test_order_of_columns_matters(self):
        a, b = pa.array(["12"]), pa.array(["3"])
        self.assertNotEqual(hash_cells(b, hash_cells(a))[0], hash_cells(a, hash_cells(b))[0])
        self.assertNotEqual(
            hash_cells(b, hash_cells(a))[0],
            hash_cells(pa.array(["23"]), hash_cells(pa.array(["1"])))[0],
        )

    def test_no_collision_among_many(self):
        keys = hash_cells(pa.array([f"R{i:07d}" for i in range(300_000)]))
        self.assertEqual(len(np.unique(keys)), 300_000)


if __name__ == "__main__":
    unittest.main()
