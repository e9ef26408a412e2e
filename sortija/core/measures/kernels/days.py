"""Passes over the lines that tell of days only."""

from __future__ import annotations

from typing import Any

import numba

__all__ = ["DAYS", "day_money", "visits_block"]

#: Days since 1970-01-01 that sums by day reach to, which is 2189.
DAYS = 80_000


@numba.njit(nogil=True, cache=True)
def day_money(day: Any, bits: Any, money: Any, mask: int, first: int, last: int, out: Any) -> None:
    """Lines and money of ``first`` to ``last`` that count, by day: (DAYS, 2) int64, added to."""
    for i in range(first, last):
        if (bits[i] & mask) == 0 and 0 <= day[i] < len(out):
            out[day[i], 0] += 1
            out[day[i], 1] += money[i]


@numba.njit(nogil=True, cache=True)
def visits_block(
    start: Any, day: Any, quantity: Any, kind: Any, bits: Any, mask: int,
    first_day: int, as_of: int, first_customer: int, last_customer: int, out: Any,
) -> None:  # fmt: skip
    """Days with a purchase from ``first_day`` and before ``as_of``: (n, 3) int64 how many, the
    first, the last."""
    for c in range(first_customer, last_customer):
        for i in range(start[c], start[c + 1]):
            if day[i] < first_day or day[i] >= as_of or (bits[i] & mask) != 0:
                continue
            if kind[i] == 0 and quantity[i] > 0:
                if out[c, 0] == 0:
                    out[c, 1] = day[i]
                if out[c, 0] == 0 or out[c, 2] != day[i]:
                    out[c, 0] += 1
                    out[c, 2] = day[i]
