"""Cells read as numbers, dates and keys."""

import unittest
from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.cells import (
    BAD,
    EMPTY,
    GOOD,
    decimals_in,
    hash_cells,
    read_decimals,
    read_moments,
)
from sortija.core.ledger.zones import zone_of

EPOCH = date(1970, 1, 1)


def numbers(*cells, scale=2, comma=False):
    values, state = read_decimals(pa.array(cells, pa.string()), scale, comma)
    return [int(v) if s == GOOD else {EMPTY: "empty", BAD: "bad"}[int(s)]
            for v, s in zip(values, state, strict=True)]  # fmt: skip


def moments(*cells, month_first=False, zone=None):
    days, seconds, state = read_moments(pa.array(cells, pa.string()), month_first, zone)
    return [
        (EPOCH + timedelta(days=int(d)), int(s)) if k == GOOD else {EMPTY: "empty", BAD: "bad"}[k]
        for d, s, k in zip(days, seconds, state, strict=True)
    ]


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

    def test_most_decimals(self):
        self.assertEqual(decimals_in(pa.array(["1", "2.5", "3.125", ""])), 3)
        self.assertEqual(decimals_in(pa.array(["1,234", "10"])), 0)

    @given(st.decimals(-(10**9), 10**9, places=4), st.integers(0, 4))
    def test_as_decimal_says(self, value, scale):
        step = Decimal(1).scaleb(-scale)
        wanted = int(value.quantize(step, rounding=ROUND_HALF_UP).scaleb(scale))
        self.assertEqual(numbers(f"{value:f}", scale=scale, comma=False), [wanted])

    def test_sliced_columns_keep_their_place(self):
        whole = pa.array(["1", "2", "3", "4"])
        values, _ = read_decimals(whole.slice(2, 2), 0)
        self.assertEqual(values.tolist(), [3, 4])


class Moments(unittest.TestCase):
    def test_orders(self):
        wanted = (date(2026, 3, 14), 0)
        self.assertEqual(
            moments("2026-03-14", "14/03/2026", "14.3.26", "20260314", "2026/3/14"), [wanted] * 5
        )
        self.assertEqual(moments("03/14/2026", month_first=True), [wanted])

    def test_times(self):
        self.assertEqual(
            moments("2026-03-14T10:22:31", "14/03/2026 10:22", "14/03/2026 1:05 pm",
                    "14/03/2026 12:05 am", "2026-03-14 10:22:31.250"),
            [(date(2026, 3, 14), s) for s in (37351, 37320, 47100, 300, 37351)],
        )  # fmt: skip

    def test_months_by_name(self):
        self.assertEqual(
            moments("14 Mar 2026", "Mar 14, 2026", "14th March 2026", "Sat 14-MAR-26",
                    "2026 mar 14", "March 14, 2026 1:05 PM"),
            [(date(2026, 3, 14), s) for s in (0, 0, 0, 0, 0, 47100)],
        )  # fmt: skip
        self.assertEqual(moments("14 Mai 2026", "14 Mar Apr", "March 2026"), ["bad"] * 3)

    def test_compact(self):
        self.assertEqual(
            moments("20260314102231", "20260314T102231", "20260314 1022"),
            [(date(2026, 3, 14), s) for s in (37351, 37351, 37320)],
        )

    def test_offsets_are_told_in_the_zone_and_others_stay(self):
        london = zone_of("Europe/London")
        self.assertEqual(
            moments("2026-07-14T23:30:00Z", "2026-07-14 23:30", "2026-01-14T23:30:00+00:00",
                    "2026-07-15T01:30:00.5+0200", "14/07/2026 18:30:00 -05:00", zone=london),
            [(date(2026, 7, 15), 1800), (date(2026, 7, 14), 84600), (date(2026, 1, 14), 84600),
             (date(2026, 7, 15), 1800), (date(2026, 7, 15), 1800)],
        )  # fmt: skip
        self.assertEqual(moments("2026-07-14T23:30:00Z"), [(date(2026, 7, 14), 84600)])
        self.assertEqual(moments("2026-07-14 10:00+1", "2026-07-14 10:00+01:0"), ["bad", "bad"])

    def test_what_is_no_date(self):
        self.assertEqual(
            moments("31/02/2025", "2025-13-01", "29/02/2025", "noon", "", "2025", "12:30",
                    "2025-01-01 25:00"),
            ["bad", "bad", "bad", "bad", "empty", "bad", "bad", "bad"],
        )  # fmt: skip

    @given(st.datetimes(datetime(1950, 1, 1), datetime(2150, 1, 1)))
    def test_every_day_of_the_calendar(self, moment):
        seconds = moment.hour * 3600 + moment.minute * 60 + moment.second
        for text in (f"{moment:%Y-%m-%d %H:%M:%S}", f"{moment:%d.%m.%Y %H:%M:%S}"):
            self.assertEqual(moments(text), [(moment.date(), seconds)])


class Zones(unittest.TestCase):
    @given(
        st.integers(631_152_000, 4_000_000_000),
        st.sampled_from(
            ["Europe/London", "America/New_York", "Asia/Kolkata", "Australia/Lord_Howe", "UTC"]
        ),
    )
    def test_as_the_library_says(self, second, name):
        told = datetime.fromtimestamp(second, ZoneInfo(name)).replace(tzinfo=UTC)
        local = zone_of(name).local(np.array([second]))
        self.assertEqual(int(local[0]), int(told.timestamp()))

    def test_the_hour_that_comes_twice_and_the_one_that_is_left_out(self):
        self.assertEqual(
            moments("2026-10-25T00:30:00Z", "2026-10-25T01:30:00Z", "2026-03-29T00:59:59Z",
                    "2026-03-29T01:00:00Z", zone=zone_of("Europe/London")),
            [(date(2026, 10, 25), 5400), (date(2026, 10, 25), 5400), (date(2026, 3, 29), 3599),
             (date(2026, 3, 29), 7200)],
        )  # fmt: skip

    def test_no_such_zone(self):
        with self.assertRaisesRegex(ValueError, "no time zone called Middle/Earth"):
            zone_of("Middle/Earth")


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
