"""One pass over the lines of a block of customers, for one window or a series of them."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.measures.kernels.figures import (
    lay_out_visits,
    sum_up,
    tell_everyone,
    trend_of,
    write_figures,
)
from sortija.core.measures.kernels.gathered import carry_on, write_out
from sortija.core.measures.kernels.lines import read_lines
from sortija.core.measures.kernels.ordered import SMALL, middle, middle_of_few, slide
from sortija.core.measures.kernels.slots import (
    EVERYONE,
    GATHER,
    LINES_CHANGE,
    SUM_EARLY,
    SUM_MONEY,
    SUM_PURCHASES,
    TREND,
)

__all__ = ["against_everyone", "derive_block"]


@numba.njit(nogil=True, cache=True)
def derive_block(
    start: Any, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any, department: Any,
    channel: Any, site: Any, bits: Any, cost: Any, rates: Any, joined: Any,
    first_customer: int, last_customer: int, mask: int, offer: int, first_days: Any, as_ofs: Any,
    spans: Any, season: Any, at: Any, columns: Any, shares: Any,
    unit: float, values: Any, totals: Any, first_ever: Any, everyone: Any,
    rhythms: Any,
) -> None:  # fmt: skip
    """Fill the outputs of customers ``first_customer`` to ``last_customer`` (exclusive).

    Parameters
    ----------
    first_days, as_ofs : (W,) int64, both rising; see :class:`derive.Spans`
    spans, season : (days, 3) and (days,), from the first day of all
    at : seven slots where the sums by department, departments' lines, channel, site, season and
        weekday begin, and where all end
    columns : numbers of the columns that are wanted; the others are left as they are
    shares : slots that get a column as a share of gross sales
    values : (W, C, n) float64
        ``silence`` holds the customer's own median gap, ``trend`` its own ratio: both want
        figures of everyone.
    totals : (W, n) int64 money; ``first_ever``: (n,) int64, −1 before the call
    everyone : (W, E) int64, 0 before the call; see EVERYONE
    rhythms : (W, 2·days) int64, 0 before the call
        How many customers have which median gap, in half days.
    """
    longest = 0
    for c in range(first_customer, last_customer):
        longest = max(longest, start[c + 1] - start[c])
    windows, begin, end = len(as_ofs), first_days[0], as_ofs[-1]
    bought_on = np.zeros(longest + 1, np.int64)
    nets = np.zeros(longest + 1, np.int64)
    visit_days = np.zeros(longest + 1, np.int64)
    gaps = np.zeros(longest + 1, np.int64)
    baskets = np.zeros(longest + 1, np.int64)
    ordered = np.zeros(longest + 1, np.int64)
    gap_sums = np.zeros(longest + 1, np.int64)
    gap_squares = np.zeros(longest + 1, np.int64)
    place_of = np.zeros(longest + 2, np.int64)
    sums = np.zeros((windows + 1, at[6]), np.int64)
    touched = np.zeros(windows + 1, np.uint8)
    mine = np.zeros(at[6], np.int64)
    was = np.zeros(len(EVERYONE), np.int64)
    terms = np.zeros(at[1] - at[0])
    most = np.log(float(max(at[1] - at[0], 1)))
    # A stride of a power of two would crowd the rows into few sets of the nearest cache.
    rows = np.empty((windows, values.shape[1], GATHER + 8))
    # As wide as what they choose between, so that choosing becomes vector instructions.
    changed = np.zeros((windows, GATHER), np.int64)
    turned = np.zeros((windows, GATHER), np.int64)
    cash = np.zeros((windows, GATHER), np.int64)
    since = np.zeros(GATHER)
    for gathered in range(first_customer, last_customer, GATHER):
        upto = min(gathered + GATHER, last_customer)
        changed[:] = 0
        turned[:] = 0
        for c in range(gathered, upto):
            if start[c] == start[c + 1]:
                continue
            purchases, ever = read_lines(
                start[c], start[c + 1], day, receipt, quantity, money, kind, department, channel,
                site, bits, cost, rates, mask, offer, end, begin, spans, season, at,
                sums, touched, bought_on, nets,
            )  # fmt: skip
            first_ever[c] = ever
            j = c - gathered
            since[j] = joined[c] if len(joined) and not np.isnan(joined[c]) else float(ever)
            lay_out_visits(purchases, bought_on, visit_days, gaps, gap_sums, gap_squares, place_of)
            for k in range(len(mine)):
                mine[k] = 0
            for k in range(len(was)):
                was[k] = 0
            for k in range(len(terms)):
                terms[k] = 0.0
            p0, p1, b0, b1, o0, o1, rhythm = 0, 0, 0, 0, 0, 0, -1
            for w in range(windows):
                change = touched[w]
                if change == 0:
                    continue
                touched[w] = 0
                turned[w, j] = 1
                if change & LINES_CHANGE:
                    sum_up(mine, sums, w, at[0], at[1], terms)
                    changed[w, j] = 1
                    cash[w, j] = mine[SUM_MONEY]
                    while p0 < purchases and bought_on[p0] < first_days[w]:
                        p0 += 1
                    p1 = max(p1, p0)
                    while p1 < purchases and bought_on[p1] < as_ofs[w]:
                        p1 += 1
                    d0 = place_of[p0]
                    d1 = place_of[p1 - 1] + 1 if p1 > p0 else d0
                    g1 = max(d0, d1 - 1)
                    days, basket, rest = d1 - d0, np.nan, np.nan
                    if p1 - p0 > SMALL:
                        slide(nets, b0, b1, p0, p1, baskets)
                        b0, b1 = p0, p1
                        basket = middle(baskets, p1 - p0)
                    elif p1 > p0:
                        basket = middle_of_few(nets, p0, p1)
                    if g1 - d0 > SMALL:
                        slide(gaps, o0, o1, d0, g1, ordered)
                        o0, o1 = d0, g1
                        rest = middle(ordered, g1 - d0)
                    elif days >= 3:
                        rest = middle_of_few(gaps, d0, g1)
                    if rhythm >= 0:
                        rhythms[w, rhythm] -= 1
                    rhythm = int(2 * rest) if days >= 3 else -1
                    if rhythm >= 0:
                        rhythms[w, rhythm] += 1
                    if mine[SUM_PURCHASES] > 0:
                        write_figures(
                            mine, at, unit, visit_days[d1 - 1], days, basket,
                            gap_sums[g1] - gap_sums[d0], gap_squares[g1] - gap_squares[d0], rest,
                            shares, terms, most, rows, w, j,
                        )  # fmt: skip
                    else:
                        for k in range(rows.shape[1]):
                            rows[w, k, j] = np.nan
                else:
                    mine[SUM_EARLY] += sums[w, SUM_EARLY]
                    sums[w, SUM_EARLY] = 0
                rows[w, TREND, j] = trend_of(mine)
                tell_everyone(mine, was, everyone, w)
            touched[windows] = 0
            for k in range(len(mine)):
                sums[windows, k] = 0
        for w in range(windows):
            many = upto - gathered
            carry_on(rows, cash, columns, changed, turned, w, many)
            write_out(
                rows, cash, columns, since, first_days[w], as_ofs[w], w, gathered, many,
                values, totals,
            )  # fmt: skip
    for w in range(1, windows):
        everyone[w] += everyone[w - 1]
        rhythms[w] += rhythms[w - 1]


@numba.njit(nogil=True, cache=True)
def against_everyone(
    own: Any, recency: Any, trend: Any, base: float, shortest: float, everyone: float
) -> None:
    """Turn each customer's own median gap into the silence, and take off everyone's trend."""
    for c in range(len(own)):
        gap = base if np.isnan(own[c]) else own[c]
        own[c] = recency[c] / max(gap, shortest)
        trend[c] -= everyone
