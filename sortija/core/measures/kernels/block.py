"""One pass over the lines of a block of customers, for one window or a series of them."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.ledger.counting import Lines
from sortija.core.measures.kernels.figures import (
    InWindow,
    Visits,
    lay_out_visits,
    sum_up,
    tell_everyone,
    trend_of,
    write_figures,
)
from sortija.core.measures.kernels.gathered import Gathered, carry_on, write_out
from sortija.core.measures.kernels.lines import Customer, read_lines
from sortija.core.measures.kernels.ordered import SMALL, middle, middle_of_few, slide
from sortija.core.measures.kernels.slots import (
    GATHER,
    LINES_CHANGE,
    SUMS_OF_EVERYONE,
    Figure,
    Results,
    Sum,
    Wanted,
    Windows,
)

__all__ = ["against_everyone", "derive_block"]


@numba.njit(nogil=True, cache=True)
def derive_block(
    lines: Lines, first_customer: int, last_customer: int, windows: Windows, wanted: Wanted,
    results: Results,
) -> None:  # fmt: skip
    """Fill the results of customers ``first_customer`` to ``last_customer`` (exclusive)."""
    start, at = lines.start, wanted.at
    first_days, as_ofs = windows.first_days, windows.as_ofs
    longest = 0
    for c in range(first_customer, last_customer):
        longest = max(longest, start[c + 1] - start[c])
    many_windows = len(as_ofs)
    customer = Customer(
        np.zeros((many_windows + 1, at.end), np.int64), np.zeros(many_windows + 1, np.uint8),
        np.zeros(longest + 1, np.int64), np.zeros(longest + 1, np.int64),
    )  # fmt: skip
    visits = Visits(
        np.zeros(longest + 1, np.int64), np.zeros(longest + 1, np.int64),
        np.zeros(longest + 1, np.int64), np.zeros(longest + 1, np.int64),
        np.zeros(longest + 2, np.int64),
    )  # fmt: skip
    baskets = np.zeros(longest + 1, np.int64)
    ordered = np.zeros(longest + 1, np.int64)
    mine = np.zeros(at.end, np.int64)
    was = np.zeros(SUMS_OF_EVERYONE, np.int64)
    terms = np.zeros(at.department_lines - at.departments)
    gathered = Gathered(
        # A stride of a power of two would crowd the rows into few sets of the nearest cache.
        np.empty((many_windows, results.values.shape[1], GATHER + 8)),
        # As wide as what they choose between, so that choosing becomes vector instructions.
        np.zeros((many_windows, GATHER), np.int64), np.zeros((many_windows, GATHER), np.int64),
        np.zeros((many_windows, GATHER), np.int64), np.zeros(GATHER),
    )  # fmt: skip
    sums, touched, bought_on = customer.sums, customer.touched, customer.bought_on
    rows, rhythms = gathered.rows, results.rhythms
    for begin in range(first_customer, last_customer, GATHER):
        upto = min(begin + GATHER, last_customer)
        gathered.changed[:] = 0
        gathered.turned[:] = 0
        for c in range(begin, upto):
            if start[c] == start[c + 1]:
                continue
            purchases, ever = read_lines(lines, start[c], start[c + 1], wanted, windows, customer)
            results.first_ever[c] = ever
            j, joined = c - begin, wanted.joined
            gathered.since[j] = (
                joined[c] if len(joined) and not np.isnan(joined[c]) else float(ever)
            )
            lay_out_visits(purchases, bought_on, visits)
            for k in range(len(mine)):
                mine[k] = 0
            for k in range(len(was)):
                was[k] = 0
            for k in range(len(terms)):
                terms[k] = 0.0
            p0, p1, b0, b1, o0, o1, rhythm = 0, 0, 0, 0, 0, 0, -1
            for w in range(many_windows):
                change = touched[w]
                if change == 0:
                    continue
                touched[w] = 0
                gathered.turned[w, j] = 1
                if change & LINES_CHANGE:
                    sum_up(mine, sums, w, at, terms)
                    gathered.changed[w, j] = 1
                    gathered.money[w, j] = mine[Sum.MONEY]
                    while p0 < purchases and bought_on[p0] < first_days[w]:
                        p0 += 1
                    p1 = max(p1, p0)
                    while p1 < purchases and bought_on[p1] < as_ofs[w]:
                        p1 += 1
                    d0 = visits.place_of[p0]
                    d1 = visits.place_of[p1 - 1] + 1 if p1 > p0 else d0
                    g1 = max(d0, d1 - 1)
                    days, basket, rest = d1 - d0, np.nan, np.nan
                    if p1 - p0 > SMALL:
                        slide(customer.came_to, b0, b1, p0, p1, baskets)
                        b0, b1 = p0, p1
                        basket = middle(baskets, p1 - p0)
                    elif p1 > p0:
                        basket = middle_of_few(customer.came_to, p0, p1)
                    if g1 - d0 > SMALL:
                        slide(visits.gaps, o0, o1, d0, g1, ordered)
                        o0, o1 = d0, g1
                        rest = middle(ordered, g1 - d0)
                    elif days >= 3:
                        rest = middle_of_few(visits.gaps, d0, g1)
                    if rhythm >= 0:
                        rhythms[w, rhythm] -= 1
                    rhythm = int(2 * rest) if days >= 3 else -1
                    if rhythm >= 0:
                        rhythms[w, rhythm] += 1
                    if mine[Sum.PURCHASES] > 0:
                        inside = InWindow(
                            visits.days[d1 - 1], days, basket,
                            visits.gap_sums[g1] - visits.gap_sums[d0],
                            visits.gap_squares[g1] - visits.gap_squares[d0], rest,
                        )  # fmt: skip
                        write_figures(mine, inside, wanted, terms, gathered, w, j)
                    else:
                        for k in range(rows.shape[1]):
                            rows[w, k, j] = np.nan
                else:
                    mine[Sum.EARLY_GROSS] += sums[w, Sum.EARLY_GROSS]
                    sums[w, Sum.EARLY_GROSS] = 0
                rows[w, Figure.TREND, j] = trend_of(mine)
                tell_everyone(mine, was, results.everyone, w)
            touched[many_windows] = 0
            for k in range(len(mine)):
                sums[many_windows, k] = 0
        for w in range(many_windows):
            many = upto - begin
            carry_on(gathered, wanted, w, many)
            write_out(gathered, wanted, windows, w, begin, many, results)
    for w in range(1, many_windows):
        results.everyone[w] += results.everyone[w - 1]
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
