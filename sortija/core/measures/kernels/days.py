"""Passes over the lines that tell of days only."""

from __future__ import annotations

from typing import Any

import numba

from sortija.core.ledger.counting import Lines, counts, is_sale

__all__ = ["DAYS", "day_money", "visits_block"]

#: Days since 1970-01-01 that sums by day reach to, which is 2189.
DAYS = 80_000


@numba.njit(nogil=True, cache=True)
def day_money(lines: Lines, mask: int, first: int, last: int, out: Any) -> None:
    """Lines and money of ``first`` to ``last`` that count, by day: (DAYS, 2) int64, added to."""
    for i in range(first, last):
        if counts(lines.bits[i], mask) and 0 <= lines.day[i] < len(out):
            out[lines.day[i], 0] += 1
            out[lines.day[i], 1] += lines.money[i]


@numba.njit(nogil=True, cache=True)
def visits_block(
    lines: Lines, mask: int, first_day: int, as_of: int, first_customer: int, last_customer: int,
    out: Any,
) -> None:  # fmt: skip
    """Days with a purchase from ``first_day`` and before ``as_of``: (n, 3) int64 how many, the
    first, the last."""
    for c in range(first_customer, last_customer):
        for i in range(lines.start[c], lines.start[c + 1]):
            day = lines.day[i]
            if day < first_day or day >= as_of or not counts(lines.bits[i], mask):
                continue
            if is_sale(lines.kind[i], lines.quantity[i]):
                if out[c, 0] == 0:
                    out[c, 1] = day
                if out[c, 0] == 0 or out[c, 2] != day:
                    out[c, 0] += 1
                    out[c, 2] = day
