"""Looks at the lines that count: who is new, what a basket comes to, days without data, balance."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, chunk_bounds, readonly
from sortija.core.ledger.log import Log

__all__ = ["Balance", "Gap", "Visits", "balance", "gaps", "spent_between", "visits"]


@dataclass(frozen=True)
class Visits:
    """Purchases as the measures see them: receipts with a kept sale of positive quantity.

    ``first``: (customers,) day of each customer's first purchase, −1 without one; ``day`` and
    ``net``: (purchases,) day and money at the study's scale.
    """

    first: NDArray[np.int32]
    day: NDArray[np.int32]
    net: NDArray[np.int64]


@numba.njit(nogil=True, cache=True)
def _visits(
    start: Any, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any, bits: Any, mask: int,
    begin: int, end: int, place: int, first: Any, visit_day: Any, net: Any,
) -> int:  # fmt: skip
    found = place
    for c in range(begin, end):
        first[c] = -1
        i = start[c]
        while i < start[c + 1]:
            j, total, purchase = i, 0, False
            while j < start[c + 1] and receipt[j] == receipt[i] and day[j] == day[i]:
                if (bits[j] & mask) == 0:
                    purchase = purchase or (kind[j] == 0 and quantity[j] > 0)
                    total += money[j]
                j += 1
            if purchase:
                if first[c] < 0:
                    first[c] = day[i]
                visit_day[found], net[found] = day[i], total
                found += 1
            i = j
    return found - place


def visits(log: Log, mask: int, engine: Engine | None = None) -> Visits:
    """Every purchase of a customer; ``mask``: the bits of the rules that are on."""
    engine = engine or Engine(1)
    blocks = chunk_bounds(log.customers)
    first = np.empty(log.customers, np.int32)
    # A block has no more purchases than lines.
    starts = [int(log.start[begin]) for begin, _ in blocks]
    lines = int(log.start[-2])
    visit_day, net = np.empty(lines, np.int32), np.empty(lines, np.int64)

    def block(number: int) -> int:
        return int(_visits(
            log.start, log.day, log.receipt, log.quantity, log.money, log.kind, log.bits, mask,
            *blocks[number], starts[number], first, visit_day, net,
        ))  # fmt: skip

    counts = engine.map(block, range(len(blocks)))
    kept = [slice(start, start + count) for start, count in zip(starts, counts, strict=True)]
    if not kept:
        return Visits(first, visit_day[:0], net[:0])
    return Visits(
        first, np.concatenate([visit_day[part] for part in kept]),
        np.concatenate([net[part] for part in kept]),
    )  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _spent(
    start: Any, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any, bits: Any, mask: int,
    low: float, high: float, out: Any,
) -> None:  # fmt: skip
    for c in range(len(out)):
        i = start[c]
        while i < start[c + 1]:
            j, total, purchase = i, 0, False
            while j < start[c + 1] and receipt[j] == receipt[i] and day[j] == day[i]:
                if (bits[j] & mask) == 0:
                    purchase = purchase or (kind[j] == 0 and quantity[j] > 0)
                    total += money[j]
                j += 1
            if purchase and low <= total < high:
                out[c] = True
            i = j


def spent_between(log: Log, mask: int, low: float, high: float) -> NDArray[np.bool_]:
    """Customers with any purchase that comes to ``low`` or more and less than ``high``."""
    out = np.zeros(log.customers, np.bool_)
    _spent(
        log.start, log.day, log.receipt, log.quantity, log.money, log.kind, log.bits, mask, low,
        high, out,
    )  # fmt: skip
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
    start: Any, day: Any, quantity: Any, money: Any, kind: Any, bits: Any, mask: int, first: int,
    as_of: int, begin: int, end: int, out: Any,
) -> None:  # fmt: skip
    customers = len(start) - 2
    for c in range(begin, end):
        total, lines, purchase = 0, 0, False
        for i in range(start[c], start[c + 1]):
            if (bits[i] & mask) == 0 and day[i] >= first and day[i] < as_of:
                total += money[i]
                lines += 1
                purchase = purchase or (kind[i] == 0 and quantity[i] > 0)
        if c == customers:
            out[2] += total
        elif purchase:
            out[0] += total
            out[3] += 1
        elif lines:
            out[1] += total
            out[4] += 1


def balance(log: Log, mask: int, first: int, as_of: int, engine: Engine | None = None) -> Balance:
    """What the lines of a window come to, and whose they are.

    Parameters
    ----------
    mask : bits of the rules that are on
    first, as_of : days since 1970-01-01; the first is in the window, the second is not
    """
    engine = engine or Engine(1)

    def block(bounds: tuple[int, int]) -> NDArray[np.int64]:
        out = np.zeros(5, np.int64)
        _balance(
            readonly(log.start), log.day, log.quantity, log.money, log.kind, log.bits, mask, first,
            as_of, *bounds, out,
        )  # fmt: skip
        return out

    # The last of all stands for the lines without a customer.
    out = sum(engine.map(block, chunk_bounds(log.customers + 1)), np.zeros(5, np.int64))
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
