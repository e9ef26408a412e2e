"""Receipts summed up: the same measures to the bit, from fewer lines."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import date

import numpy as np

from sortija.core.ledger.counting import Kind
from sortija.core.ledger.first_purchases import first_purchases
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.condensed import asks_for_receipts_only, condensed, lines_within
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.window import Window

YEAR = Window(date(2026, 6, 30))
MASK = 0b11


def _log(n: int = 4000, seed: int = 1) -> Log:
    """Receipts of one to five lines, some with returns, some of returns alone, some set aside."""
    rng = np.random.default_rng(seed)
    many = rng.integers(1, 6, n)
    customer = np.repeat(rng.integers(0, 150, n), many).astype(np.int32)
    day = np.repeat(rng.integers(YEAR.as_of - 500, YEAR.as_of + 30, n), many).astype(np.int32)
    receipt = np.repeat(np.arange(1, n + 1), many).astype(np.uint64)
    lines = len(day)
    kind = rng.choice([Kind.SALE, Kind.SALE, Kind.SALE, Kind.RETURN], lines).astype(np.int8)
    money = np.where(kind == Kind.SALE, 1, -1) * rng.integers(0, 900, lines)
    quantity = rng.choice([0, 1000, 2000], lines)
    bits = rng.choice([0, 0, 0, 0, 1, 2, 4], lines).astype(np.int32)
    order, start = order_lines(customer, day, receipt, 150)
    none = np.full(lines, -1, np.int16)
    return Log(start, day[order], receipt[order], quantity[order], money[order], kind[order],
               none, none, none, bits[order])  # fmt: skip


class Condensed(unittest.TestCase):
    def test_the_same_measures_to_the_bit(self) -> None:
        log = _log()
        within = lines_within(log.arrays(), np.arange(150), YEAR.first_day(0) - 30, YEAR.as_of)
        lines = condensed(within, MASK)
        self.assertLess(len(lines.day), len(log) / 2)
        since = first_purchases(log.arrays(), MASK).astype(float)  # before the window, for some
        arrays = {name: getattr(lines, name) for name in lines._fields if name != "cost"}
        short = replace(log, **arrays)
        whole, summed = (derive(each, YEAR, MASK, 2, Names(), since).table for each in (log, short))
        asked = [name for name in whole.names if asks_for_receipts_only({name})]
        self.assertGreaterEqual(len(asked), 20)
        for name in asked:
            with self.subTest(name):
                np.testing.assert_array_equal(whole[name].values, summed[name].values)

    def test_some_customers_on_some_days(self) -> None:
        log = _log()
        who = np.array([7, 3, 149])
        first, end = YEAR.first_day(0), YEAR.first_day(0) + 90
        lines = lines_within(log.arrays(), who, first, end)
        for place, c in enumerate(who):
            mine = slice(log.start[c], log.start[c + 1])
            there = (log.day[mine] >= first) & (log.day[mine] < end)
            here = slice(lines.start[place], lines.start[place + 1])
            np.testing.assert_array_equal(lines.money[here], log.money[mine][there])
            np.testing.assert_array_equal(lines.day[here], log.day[mine][there])
        self.assertEqual(lines.start[-1], len(lines.day))

    def test_what_was_bought_is_not_in_a_receipt(self) -> None:
        for name in ("returned", "margin", "on_offer", "breadth", "share_department_tea"):
            self.assertFalse(asks_for_receipts_only({"recency", name}), name)
