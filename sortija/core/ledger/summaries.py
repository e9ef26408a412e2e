"""Looks at the lines that count: who is new, what a basket comes to, days without data, balance."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.ledger.counting import Lines, counts, is_sale, parts_of, receipt_at
from sortija.core.ledger.log import Log

__all__ = ["Balance", "Gap", "Visits", "balance", "gaps", "spent_between", "visits"]


@dataclass(frozen=True)
class Visits:
    """Purchases of customers; see :mod:`counting`.

    ``first``: (customers,) day of each customer's first purchase, −1 without one; ``day`` and
    ``money``: (purchases,) day, and money at the study's scale.
    """

    first: NDArray[np.int32]
    day: NDArray[np.int32]
    money: NDArray[np.int64]


@numba.njit(nogil=True, cache=True)
def _visits(
    lines: Lines, mask: int, begin: int, end: int, place: int, first: Any, day: Any, money: Any
) -> int:
    found = place
    for c in range(begin, end):
        first[c] = -1
        line = lines.start[c]
        while line < lines.start[c + 1]:
            after, comes_to, purchase = receipt_at(lines, line, lines.start[c + 1], mask)
            if purchase:
                if first[c] < 0:
                    first[c] = lines.day[line]
                day[found], money[found] = lines.day[line], comes_to
                found += 1
            line = after
    return found - place


def visits(log: Log, mask: int, engine: Engine | None = None) -> Visits:
    """Every purchase of a customer; ``mask``: the bits of the rules that are on."""
    engine = engine or Engine(1)
    blocks = chunk_bounds(log.customers)
    first = np.empty(log.customers, np.int32)
    # A block has no more purchases than lines.
    starts = [int(log.start[begin]) for begin, _ in blocks]
    most, lines = int(log.start[-2]), log.arrays()
    day, money = np.empty(most, np.int32), np.empty(most, np.int64)

    def block(number: int) -> int:
        return int(_visits(lines, mask, *blocks[number], starts[number], first, day, money))

    def touched(number: int) -> Parts:
        begin, end = blocks[number]
        mine = slice(starts[number], int(log.start[end]))
        return Parts(
            parts_of(lines, begin, end), [(first, slice(begin, end)), (day, mine), (money, mine)]
        )

    found = engine.map(block, range(len(blocks)), touched)
    kept = [slice(start, start + count) for start, count in zip(starts, found, strict=True)]
    if not kept:
        return Visits(first, day[:0], money[:0])
    return Visits(
        first, np.concatenate([day[part] for part in kept]),
        np.concatenate([money[part] for part in kept]),
    )  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _spent(lines: Lines, mask: int, low: float, high: float, out: Any) -> None:
    for c in range(len(out)):
        line = lines.start[c]
        while line < lines.start[c + 1]:
            line, money, purchase = receipt_at(lines, line, lines.start[c + 1], mask)
            if purchase and low <= money < high:
                out[c] = True


def spent_between(log: Log, mask: int, low: float, high: float) -> NDArray[np.bool_]:
    """Customers with any purchase that comes to ``low`` or more and less than ``high``.

    >>> from sortija.core.ledger.log import Log
    >>> one = np.ones(2, np.int64)
    >>> log = Log(np.array([0, 1, 2, 2]), one.astype(np.int32), one.astype(np.uint64), 1000 * one,
    ...           np.array([500, 2500]), 0 * one.astype(np.int8), one.astype(np.int16),
    ...           one.astype(np.int16), one.astype(np.int16), 0 * one.astype(np.int32))
    >>> spent_between(log, 0, 1000, 3000).tolist()
    [False, True]
    """
    out = np.zeros(log.customers, np.bool_)
    _spent(log.arrays(), mask, low, high, out)
    return out


@dataclass(frozen=True)
class Balance:
    """Where a window's counted money lies; at the study's scale, customers by number.

    ``ledger`` = ``with_purchase`` + ``without_purchase`` + ``without_customer``.
    """

    ledger: int
    with_purchase: int
    without_purchase: int
    without_customer: int
    customers: int
    customers_without: int


@numba.njit(nogil=True, cache=True)
def _balance(
    lines: Lines, mask: int, first: int, as_of: int, begin: int, end: int, out: Any
) -> None:
    customers = len(lines.start) - 2
    for c in range(begin, end):
        money, many, purchase = 0, 0, False
        for i in range(lines.start[c], lines.start[c + 1]):
            if counts(lines.bits[i], mask) and first <= lines.day[i] < as_of:
                money += lines.money[i]
                many += 1
                purchase |= is_sale(lines.kind[i], lines.quantity[i])
        if c == customers:
            out[2] += money
        elif purchase:
            out[0] += money
            out[3] += 1
        elif many:
            out[1] += money
            out[4] += 1


def balance(log: Log, mask: int, first: int, as_of: int, engine: Engine | None = None) -> Balance:
    """What the lines of a window come to, and whose they are.

    Parameters
    ----------
    mask : bits of the rules that are on
    first, as_of : days since 1970-01-01; the first is in the window, the second is not
    """
    engine, lines = engine or Engine(1), log.arrays()

    def block(bounds: tuple[int, int]) -> NDArray[np.int64]:
        out = np.zeros(5, np.int64)
        _balance(lines, mask, first, as_of, *bounds, out)
        return out

    # The last of all stands for the lines without a customer.
    blocks = chunk_bounds(log.customers + 1)
    found = engine.map(block, blocks, lambda bounds: Parts(parts_of(lines, *bounds)))
    out = sum(found, np.zeros(5, np.int64))
    kept, others, nobody, customers, without = out.tolist()
    return Balance(kept + others + nobody, kept, others, nobody, customers, without)


@dataclass(frozen=True)
class Gap:
    """Days in a row without a line, where lines came before and after."""

    first: int
    last: int


def gaps(days: NDArray[np.int64]) -> list[Gap]:
    """Stretches without data that are not this log's habit.

    A shop that is closed on Sundays misses one day a week: a stretch is told when it is longer
    than nineteen in twenty of the log's own pauses, and of two days at least.

    Parameters
    ----------
    days : distinct days with any line, since 1970-01-01, in order

    >>> days = np.r_[np.arange(100), np.arange(110, 200)]
    >>> gaps(days)
    [Gap(first=100, last=109)]
    """
    pause = np.diff(days) - 1
    if not len(pause):
        return []
    usual = max(1.0, float(np.quantile(pause, 0.95)))
    return [
        Gap(int(days[place]) + 1, int(days[place + 1]) - 1)
        for place in np.flatnonzero(pause > usual)
    ]
