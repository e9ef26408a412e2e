"""The lines of one customer, summed up as changes from window to window."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.ledger.lines import NO_COST
from sortija.core.measures.kernels.slots import (
    EARLY_CHANGES,
    LINES_CHANGE,
    SUM_EARLY,
    SUM_GROSS,
    SUM_LINES,
    SUM_MARGIN,
    SUM_MONEY,
    SUM_NET,
    SUM_OFFER,
    SUM_PURCHASES,
    SUM_RETURNED,
    SUM_UNPRICED,
    SUM_WEEKEND,
)

__all__ = ["read_lines"]

SUNDAY = 6


@numba.njit(nogil=True, cache=True)
def _add(sums: Any, slot: int, lo: int, hi: int, value: int) -> None:
    """Add to the windows ``lo`` to ``hi``: told as changes, summed up afterwards."""
    sums[lo, slot] += value
    sums[hi + 1, slot] -= value


@numba.njit(nogil=True, cache=True)
def read_lines(
    first: int, last: int, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any,
    department: Any, channel: Any, site: Any, bits: Any, cost: Any, rates: Any, mask: int,
    offer: int, end: int, begin: int, spans: Any, season: Any, at: Any,
    sums: Any, touched: Any, bought_on: Any, nets: Any,
) -> tuple[int, int]:  # fmt: skip
    """Lines of one customer into ``sums`` (as changes) and the days and nets of purchases.

    ``touched`` notes the windows where sums change: LINES_CHANGE, EARLY_CHANGES. Returns the
    number of purchases on or after ``begin``, and the day of the first one ever.
    """
    purchases, first_ever = 0, -1
    has_cost = len(cost) > 0
    told = has_cost or len(rates) > 0
    departments, channels, sites = at[1] - at[0], at[3] - at[2], at[4] - at[3]
    i = first
    while i < last:
        today = day[i]
        if today >= end:
            break
        # One receipt: its lines stand together, all on one day.
        lo, hi = 1, 0
        if today >= begin:
            lo, hi = spans[today - begin, 0], spans[today - begin, 1]
        inside = lo <= hi
        number = receipt[i]
        net, gross, on_offer, lines, returned, purchase = 0, 0, 0, 0, 0, False
        while i < last and receipt[i] == number and day[i] == today:
            if bits[i] & mask:
                i += 1
                continue
            value, d = money[i], department[i]
            lines += 1
            returned += kind[i] == 1
            net += value
            if told and inside:
                if has_cost and cost[i] != NO_COST:
                    _add(sums, SUM_MARGIN, lo, hi, value - cost[i])
                else:
                    rate = rates[d] if d < len(rates) - 1 else rates[-1]
                    if np.isnan(rate):
                        _add(sums, SUM_UNPRICED, lo, hi, 1)
                    else:
                        _add(sums, SUM_MARGIN, lo, hi, int(np.rint(value * rate)))
            if kind[i] == 0 and quantity[i] > 0:
                purchase = True
                gross += value
                if bits[i] & offer:
                    on_offer += value
                if inside:
                    if 0 <= d < departments:
                        _add(sums, at[0] + d, lo, hi, value)
                        _add(sums, at[1] + d, lo, hi, 1)
                    if 0 <= channel[i] < channels:
                        _add(sums, at[2] + channel[i], lo, hi, value)
                    if 0 <= site[i] < sites:
                        _add(sums, at[3] + site[i], lo, hi, value)
            i += 1
        if purchase:
            if first_ever < 0:
                first_ever = today
            if today >= begin:
                bought_on[purchases] = today
                nets[purchases] = net
                purchases += 1
        if not inside or lines == 0:
            continue
        touched[lo] |= LINES_CHANGE
        touched[hi + 1] |= LINES_CHANGE
        _add(sums, SUM_LINES, lo, hi, lines)
        _add(sums, SUM_MONEY, lo, hi, net)
        if returned:
            _add(sums, SUM_RETURNED, lo, hi, returned)
        if not purchase:
            continue
        _add(sums, SUM_PURCHASES, lo, hi, 1)
        _add(sums, SUM_GROSS, lo, hi, gross)
        _add(sums, SUM_NET, lo, hi, net)
        early = max(lo, spans[today - begin, 2])
        if early <= hi:
            touched[early] |= EARLY_CHANGES
            _add(sums, SUM_EARLY, early, hi, gross)
        weekday = (today + 3) % 7  # 1970-01-01 was a Thursday
        if weekday >= SUNDAY - 1:
            _add(sums, SUM_WEEKEND, lo, hi, gross)
        if on_offer:
            _add(sums, SUM_OFFER, lo, hi, on_offer)
        if at[5] > at[4]:
            _add(sums, at[4] + season[today - begin], lo, hi, gross)
            _add(sums, at[5] + weekday, lo, hi, gross)
    return purchases, first_ever
