"""Fewer lines for the same measures: of some customers and days, and summed up by receipt."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.ledger.counting import Kind, Lines, counts, is_sale

__all__ = ["asks_for_receipts_only", "condensed", "lines_within"]

#: Measures that are the same to the bit of summed-up receipts.
_BY_RECEIPT = frozenset({
    "recency", "frequency", "visit_days", "monetary", "basket_mean", "basket_median", "tenure",
    "silence", "gap_mean", "gap_cv", "trend", "weekend",
})  # fmt: skip
_SHARES = ("share_season_", "share_weekday_")
_ONE = 1000


def asks_for_receipts_only(names: AbstractSet[str]) -> bool:
    """Whether all of these measures can be derived from summed-up receipts.

    >>> asks_for_receipts_only({"recency", "monetary"}), asks_for_receipts_only({"breadth"})
    (True, False)
    """
    return all(name in _BY_RECEIPT or name.startswith(_SHARES) for name in names)


def lines_within(lines: Lines, who: NDArray[np.int64], first_day: int, as_of: int) -> Lines:
    """The lines of some customers from ``first_day`` up to before ``as_of``, the customers
    numbered anew in the order of ``who``."""
    start = np.zeros(len(who) + 2, np.int64)
    first = np.empty(len(who), np.int64)
    _find(lines.start, lines.day, who, first_day, as_of, start, first)
    line = np.repeat(first - start[: len(who)], np.diff(start[:-1])) + np.arange(start[-1])
    return Lines(readonly(start), *(readonly(a[line] if len(a) else a) for a in lines[1:]))


@numba.njit(nogil=True, cache=True)
def _find(
    begins: Any, day: Any, who: Any, first_day: int, as_of: int, start: Any, first: Any
) -> None:
    at = 0
    for place in range(len(who)):
        start[place] = at
        line, end = begins[who[place]], begins[who[place] + 1]
        while line < end and day[line] < first_day:
            line += 1
        first[place] = line
        while line < end and day[line] < as_of:
            line += 1
        at += line - first[place]
    start[len(who) :] = at


def condensed(lines: Lines, mask: int) -> Lines:
    """A line for each receipt with what was sold, and one more where what came back makes a
    difference. Lines that do not count are gone.

    Parameters
    ----------
    lines : each customer's in order of day and receipt
    mask : bits of the rules that are on
    """
    room = int(_count(lines, mask))
    start = np.zeros(len(lines.start), np.int64)
    day, receipt = np.empty(room, np.int32), np.empty(room, np.uint64)
    money, kind = np.empty(room, np.int64), np.empty(room, np.int8)
    _condense(lines, mask, start, day, receipt, money, kind)
    none = readonly(np.full(room, -1, np.int16))
    return Lines(
        readonly(start), readonly(day), readonly(receipt), readonly(np.full(room, _ONE, np.int64)),
        readonly(money), readonly(kind), none, none, none, readonly(np.zeros(room, np.int32)),
        readonly(np.zeros(0, np.int64)),
    )  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _next(lines: Lines, line: int, end: int, mask: int) -> Any:
    """The receipt at ``line``: the line after it, its money, what was sold, and whether anything
    of it counts and it is a purchase."""
    number, day = lines.receipt[line], lines.day[line]
    money, sold, any_counts, purchase = 0, 0, False, False
    while line < end and lines.receipt[line] == number and lines.day[line] == day:
        if counts(lines.bits[line], mask):
            any_counts = True
            money += lines.money[line]
            if is_sale(lines.kind[line], lines.quantity[line]):
                purchase = True
                sold += lines.money[line]
        line += 1
    return line, money, sold, any_counts, purchase


@numba.njit(nogil=True, cache=True)
def _count(lines: Lines, mask: int) -> int:
    out = 0
    for c in range(len(lines.start) - 2):
        line, end = lines.start[c], lines.start[c + 1]
        while line < end:
            line, money, sold, any_counts, purchase = _next(lines, line, end, mask)
            if any_counts:
                out += 1 + (purchase and money != sold)
    return out


@numba.njit(nogil=True, cache=True)
def _condense(
    lines: Lines, mask: int, start: Any, day: Any, receipt: Any, money: Any, kind: Any
) -> None:
    at = 0
    customers = len(lines.start) - 2
    for c in range(customers):
        start[c] = at
        line, end = lines.start[c], lines.start[c + 1]
        while line < end:
            today, number = lines.day[line], lines.receipt[line]
            line, net, sold, any_counts, purchase = _next(lines, line, end, mask)
            if not any_counts:
                continue
            if purchase:
                day[at], receipt[at], money[at], kind[at] = today, number, sold, Kind.SALE
                at += 1
            if not purchase or net != sold:
                day[at], receipt[at], kind[at] = today, number, Kind.RETURN
                money[at] = net - sold if purchase else net
                at += 1
    start[customers:] = at
