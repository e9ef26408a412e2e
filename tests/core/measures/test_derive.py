"""Measures against a plain-Python calculation on random logs."""

import math
import statistics
import unittest
from collections import defaultdict
from dataclasses import replace
from datetime import date, timedelta
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.calendar import EPOCH, day_number, months_before
from sortija.core.engine import Engine
from sortija.core.ledger.lines import NO_COST
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.window import Window

LAST = date(2026, 6, 30)
CUSTOMERS = 4
LINE = st.tuples(
    st.integers(-1, CUSTOMERS - 1),  # customer
    st.integers(-500, 20),  # day against the last
    st.integers(0, 2),  # receipt of the day
    st.sampled_from([-2, -1, 1, 2, 3]),  # pieces
    st.integers(1, 900),  # pence each
    st.sampled_from([0, 0, 0, 8, 64]),  # bits
    st.integers(-1, 2),  # department
)


def log_of(lines):
    customer, day, receipt, pieces, price, bits, department = (
        np.array(column) for column in zip(*lines, strict=True)
    )
    day = (day + day_number(LAST)).astype(np.int32)
    number = (receipt * 100_000 + day).astype(np.uint64)
    kind = np.where(pieces < 0, 1, 0).astype(np.int8)
    order, start = order_lines(customer.astype(np.int32), day, number, CUSTOMERS)
    small = np.zeros(len(lines), np.int16)
    return Log(
        start, day[order], number[order], (pieces * 1000)[order], (pieces * price)[order],
        kind[order], department.astype(np.int16)[order], small, small, bits.astype(np.int32)[order],
    )  # fmt: skip


def variation(gaps):
    return statistics.pstdev(gaps) / statistics.fmean(gaps) if len(gaps) > 1 else math.nan


def by_hand(lines, mask, first):
    """One dictionary a customer, straight from the definitions."""
    as_of = day_number(LAST) + 1
    out = {}
    for who in range(CUSTOMERS):
        mine = [row for row in lines if row[0] == who and not row[5] & mask and row[1] < 1]
        mine = [(day_number(LAST) + d, r, p, p * price, dep) for _, d, r, p, price, _, dep in mine]
        inside = [row for row in mine if row[0] >= first]
        receipts = defaultdict(list)
        for row in inside:
            receipts[row[0], row[1]].append(row)
        purchases = {k: v for k, v in receipts.items() if any(row[2] > 0 for row in v)}
        ever = [row[0] for row in mine if row[2] > 0]
        if not purchases:
            out[who] = None
            continue
        days = sorted({k[0] for k in purchases})
        gaps = [b - a for a, b in pairwise(days)]
        baskets = [sum(row[3] for row in v) for v in purchases.values()]
        gross = sum(row[3] for row in inside if row[2] > 0)
        departments = defaultdict(int)
        for row in inside:
            if row[2] > 0 and row[4] >= 0:
                departments[row[4]] += row[3]
        out[who] = {
            "recency": as_of - days[-1],
            "frequency": len(purchases),
            "monetary": sum(row[3] for row in inside) / 100,
            "basket_mean": statistics.fmean(baskets) / 100,
            "basket_median": statistics.median(baskets) / 100,
            "tenure": as_of - min(ever),
            "gap_mean": statistics.fmean(gaps) if gaps else math.nan,
            "gap_cv": variation(gaps),
            "breadth": len(departments),
            "returned": sum(row[2] < 0 for row in inside) / len(inside),
            "share_department_b": departments[1] / gross,
            "weekend": sum(
                row[3] for row in inside
                if row[2] > 0 and (EPOCH + timedelta(days=row[0])).weekday() >= 5
            ) / gross,
            "share_season_spring": sum(
                row[3] for row in inside
                if row[2] > 0 and (EPOCH + timedelta(days=row[0])).month in (3, 4, 5)
            ) / gross,
        }  # fmt: skip
    return out


class AgainstPlainPython(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.lists(LINE, min_size=1, max_size=60), st.sampled_from([3, 12]), st.booleans())
    def test_every_measure(self, lines, months, returns_aside):
        mask = 8 | (64 if returns_aside else 0)
        window = Window(LAST, months)
        derived = derive(log_of(lines), window, mask, 2, Names(("a", "b", "c")))
        wanted = by_hand(lines, mask, window.first_day(0))
        for who, figures in wanted.items():
            self.assertEqual(bool(derived.present[who]), figures is not None)
            for name, value in (figures or {}).items():
                got = float(derived.table[name].values[who])
                if math.isnan(value):
                    self.assertTrue(math.isnan(got), name)
                else:
                    self.assertAlmostEqual(got, value, 9, name)
        for column in derived.table:
            missing = np.isnan(column.values)
            np.testing.assert_array_equal(missing, column.reasons != 0)
            np.testing.assert_array_equal(column.reasons == 1, ~derived.present)

    @settings(max_examples=100, deadline=None)
    @given(st.lists(LINE, min_size=1, max_size=60))
    def test_the_ledger_reconciles(self, lines):
        balance = derive(log_of(lines), Window(LAST, 6), 8, 2).reconciliation
        self.assertTrue(balance.balances)
        first = Window(LAST, 6).first_day(0) - day_number(LAST)
        total = sum(row[3] * row[4] for row in lines if not row[5] & 8 and first <= row[1] < 1)
        self.assertEqual(balance.ledger, total)

    def test_nothing_dated_on_or_after_the_end_is_used(self):
        early = [(0, -30, 0, 1, 500, 0, 0), (0, -3, 0, 1, 500, 0, 0)]
        late = [*early, (0, 1, 0, 1, 900, 0, 0), (1, 5, 0, 1, 900, 0, 0)]
        for name in ("recency", "monetary", "tenure", "frequency"):
            a = derive(log_of(early), Window(LAST), 0, 2).table[name].values
            b = derive(log_of(late), Window(LAST), 0, 2).table[name].values
            np.testing.assert_array_equal(a, b)
        self.assertFalse(derive(log_of(late), Window(LAST), 0, 2).known[1])

    def test_same_bits_on_any_number_of_threads(self):
        rng = np.random.default_rng(5)
        lines = 400_000
        customer = rng.integers(0, 150_000, lines).astype(np.int32)
        day = (day_number(LAST) - rng.integers(0, 900, lines)).astype(np.int32)
        receipt = rng.integers(0, 3, lines).astype(np.uint64)
        order, start = order_lines(customer, day, receipt, 150_000)
        small = rng.integers(0, 3, lines).astype(np.int16)
        log = Log(start, day[order], receipt[order], np.full(lines, 1000),
                  rng.integers(1, 9000, lines), np.zeros(lines, np.int8), small, small, small,
                  np.zeros(lines, np.int32))  # fmt: skip
        one, *others = (
            derive(log, Window(LAST), 0, 2, Names(("a", "b", "c")), engine=Engine(threads))
            for threads in (1, 2, 8)
        )
        for other in others:
            for column in one.table:
                np.testing.assert_array_equal(column.values, other.table[column.name].values)


class Definitions(unittest.TestCase):
    def test_a_purchase_on_the_last_day_is_one_day_ago(self):
        derived = derive(log_of([(0, 0, 0, 1, 100, 0, 0)]), Window(LAST), 0, 2)
        self.assertEqual(derived.table["recency"].values[0], 1)

    def test_silence(self):
        steady = [(0, -d, 0, 1, 100, 0, 0) for d in (10, 40, 70, 100)]
        once = [(1, -49, 0, 1, 100, 0, 0)]
        silence = derive(log_of(steady + once), Window(LAST), 0, 2).table["silence"].values
        self.assertAlmostEqual(silence[0], 11 / 30)
        self.assertAlmostEqual(silence[1], 50 / 30)  # the base's usual gap
        daily = [(0, -d, 0, 1, 100, 0, 0) for d in (27, 28, 29)]
        self.assertAlmostEqual(
            derive(log_of(daily), Window(LAST), 0, 2).table["silence"].values[0], 28 / 14
        )

    def test_margin_by_cost_by_rate_or_not_at_all(self):
        lines = [(0, -9, 0, 1, 1000, 0, 0), (0, -8, 0, 1, 600, 0, 1), (1, -7, 0, 1, 1000, 0, 2),
                 (2, -6, 0, 1, 500, 0, 0)]  # fmt: skip
        log = log_of(lines)
        self.assertNotIn("margin", derive(log, Window(LAST), 0, 2, Names(("a", "b", "c"))).table)
        rates = Names(("a", "b", "c"), rates=(0.5, math.nan, 0.25, math.nan))
        table = derive(log, Window(LAST), 0, 2, rates).table
        np.testing.assert_array_equal(table["margin"].values, [np.nan, 2.5, 2.5, np.nan])
        self.assertEqual(table["margin"].reasons.tolist(), [3, 0, 0, 1])
        costs = replace(log, cost=np.array([400, 700, NO_COST, NO_COST]))
        table = derive(costs, Window(LAST), 0, 2, rates).table
        np.testing.assert_array_equal(table["margin"].values, [6 - 1, 2.5, 2.5, np.nan])

    def test_trend_is_against_everyone(self):
        growing = [(0, -d, 0, 1, 100, 0, 0) for d in (400, 200, 10, 20, 30)]
        steady = [(1, -d, 0, 1, 100, 0, 0) for d in (400, 300, 250, 30, 20)]
        trend = derive(log_of(growing + steady), Window(LAST), 0, 2).table["trend"]
        everyone = math.log((500 + 50) / (300 + 50))
        self.assertAlmostEqual(trend.values[0], math.log((300 + 50) / (100 + 50)) - everyone)
        self.assertAlmostEqual(trend.values[1], math.log((200 + 50) / (200 + 50)) - everyone)
        short = [(2, -d, 0, 1, 100, 0, 0) for d in (90, 60, 30)]
        table = derive(log_of(growing + short), Window(LAST), 0, 2).table
        self.assertEqual(table["trend"].reasons[2], 2)

    def test_joining_dates(self):
        joined = np.array([day_number(LAST) - 99, np.nan, day_number(LAST) + 5.0, np.nan])
        lines = [(who, -10, 0, 1, 100, 0, 0) for who in range(3)]
        derived = derive(log_of(lines), Window(LAST), 0, 2, joined=joined)
        self.assertEqual(derived.table["tenure"].values[:2].tolist(), [100, 11])
        self.assertEqual(derived.table["tenure"].reasons[2], 4)

    def test_months_are_clamped_to_their_end(self):
        self.assertEqual(months_before(date(2026, 3, 31), 1), date(2026, 2, 28))
        self.assertEqual(months_before(date(2024, 2, 29), 12), date(2023, 2, 28))
        self.assertEqual(Window(date(2026, 6, 30), 12).first_day(0), day_number(date(2025, 7, 1)))
        self.assertEqual(Window(date(2026, 2, 28), 12).first_day(0), day_number(date(2025, 3, 1)))


if __name__ == "__main__":
    unittest.main()
