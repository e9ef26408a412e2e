"""The lines of one customer, summed up as changes from window to window."""

from __future__ import annotations

from typing import Any, NamedTuple

import numba
import numpy as np

from sortija.core.ledger.counting import Kind, Lines, counts, is_sale
from sortija.core.ledger.lines import NO_COST
from sortija.core.measures.kernels.slots import (
    EARLY_CHANGES,
    LINES_CHANGE,
    Sum,
    Wanted,
    Windows,
)

__all__ = ["Customer", "read_lines"]

SUNDAY = 6


@numba.njit(nogil=True, cache=True)
def _add(sums: Any, slot: int, lo: int, hi: int, value: int) -> None:
    """Add to the windows ``lo`` to ``hi``: told as changes, summed up afterwards."""
    sums[lo, slot] += value
    sums[hi + 1, slot] -= value


class Customer(NamedTuple):
    """What the lines of one customer come to; used again for the next.

    ``sums``: (W + 1, S) int64 changes from window to window; ``touched``: (W + 1,) which windows
    change, LINES_CHANGE and EARLY_CHANGES; ``bought_on``, ``came_to``: day and money of every
    purchase.
    """

    sums: Any
    touched: Any
    bought_on: Any
    came_to: Any


@numba.njit(nogil=True, cache=True)
def read_lines(
    lines: Lines, first: int, last: int, wanted: Wanted, windows: Windows, customer: Customer
) -> tuple[int, int]:
    """Lines ``first`` to ``last`` of one customer into ``customer``.

    Returns the number of purchases from the first window's first day on, and the day of the
    first one ever.
    """
    sums, touched, at, rates = customer.sums, customer.touched, wanted.at, wanted.rates
    begin, end = windows.first_days[0], windows.as_ofs[-1]
    purchases, first_ever = 0, -1
    has_cost = len(lines.cost) > 0
    told = has_cost or len(rates) > 0
    departments = at.department_lines - at.departments
    channels, sites = at.sites - at.channels, at.seasons - at.sites
    i = first
    while i < last:
        today = lines.day[i]
        if today >= end:
            break
        # One receipt: its lines stand together, all on one day.
        lo, hi = 1, 0
        if today >= begin:
            lo, hi = windows.of_day[today - begin, 0], windows.of_day[today - begin, 1]
        inside = lo <= hi
        number = lines.receipt[i]
        money, gross, on_offer, many, returned, purchase = 0, 0, 0, 0, 0, False
        while i < last and lines.receipt[i] == number and lines.day[i] == today:
            if not counts(lines.bits[i], wanted.mask):
                i += 1
                continue
            value, d = lines.money[i], lines.department[i]
            many += 1
            returned += lines.kind[i] == Kind.RETURN
            money += value
            if told and inside:
                if has_cost and lines.cost[i] != NO_COST:
                    _add(sums, Sum.MARGIN, lo, hi, value - lines.cost[i])
                else:
                    rate = rates[d] if d < len(rates) - 1 else rates[-1]
                    if np.isnan(rate):
                        _add(sums, Sum.UNPRICED_LINES, lo, hi, 1)
                    else:
                        _add(sums, Sum.MARGIN, lo, hi, int(np.rint(value * rate)))
            if is_sale(lines.kind[i], lines.quantity[i]):
                purchase = True
                gross += value
                if lines.bits[i] & wanted.offer:
                    on_offer += value
                if inside:
                    if 0 <= d < departments:
                        _add(sums, at.departments + d, lo, hi, value)
                        _add(sums, at.department_lines + d, lo, hi, 1)
                    if 0 <= lines.channel[i] < channels:
                        _add(sums, at.channels + lines.channel[i], lo, hi, value)
                    if 0 <= lines.site[i] < sites:
                        _add(sums, at.sites + lines.site[i], lo, hi, value)
            i += 1
        if purchase:
            if first_ever < 0:
                first_ever = today
            if today >= begin:
                customer.bought_on[purchases] = today
                customer.came_to[purchases] = money
                purchases += 1
        if not inside or many == 0:
            continue
        touched[lo] |= LINES_CHANGE
        touched[hi + 1] |= LINES_CHANGE
        _add(sums, Sum.LINES, lo, hi, many)
        _add(sums, Sum.MONEY, lo, hi, money)
        if returned:
            _add(sums, Sum.RETURNED_LINES, lo, hi, returned)
        if not purchase:
            continue
        _add(sums, Sum.PURCHASES, lo, hi, 1)
        _add(sums, Sum.GROSS, lo, hi, gross)
        _add(sums, Sum.MONEY_OF_PURCHASES, lo, hi, money)
        early = max(lo, windows.of_day[today - begin, 2])
        if early <= hi:
            touched[early] |= EARLY_CHANGES
            _add(sums, Sum.EARLY_GROSS, early, hi, gross)
        weekday = (today + 3) % 7  # 1970-01-01 was a Thursday
        if weekday >= SUNDAY - 1:
            _add(sums, Sum.WEEKEND_GROSS, lo, hi, gross)
        if on_offer:
            _add(sums, Sum.OFFER_GROSS, lo, hi, on_offer)
        if at.weekdays > at.seasons:
            _add(sums, at.seasons + windows.season[today - begin], lo, hi, gross)
            _add(sums, at.weekdays + weekday, lo, hi, gross)
    return purchases, first_ever
