"""One customer's figures in one window, from the sums of its lines."""

from __future__ import annotations

from typing import Any, NamedTuple

import numba
import numpy as np

from sortija.core.measures.kernels.gathered import Gathered
from sortija.core.measures.kernels.slots import (
    SUMS_OF_EVERYONE,
    Figure,
    Places,
    Sum,
    Wanted,
)

__all__ = [
    "InWindow", "Visits", "lay_out_visits", "sum_up", "tell_everyone", "trend_of", "write_figures",
]  # fmt: skip


class Visits(NamedTuple):
    """The days of one customer's purchases, each once; used again for the next.

    ``days``; ``gaps`` between them; ``gap_sums``, ``gap_squares``: what the gaps before a day add
    up to; ``place_of``: which of the days each purchase was on, and one more, how many there are.
    """

    days: Any
    gaps: Any
    gap_sums: Any
    gap_squares: Any
    place_of: Any


class InWindow(NamedTuple):
    """The visits of one customer in one window; medians are NaN where there are too few."""

    last_day: int
    days: int
    basket: float
    gap_sum: int
    gap_square: int
    gap_median: float


@numba.njit(nogil=True, cache=True)
def lay_out_visits(purchases: int, bought_on: Any, visits: Visits) -> None:
    """The days of so many purchases into ``visits``."""
    days, gaps = visits.days, visits.gaps
    gap_sums, gap_squares, place_of = visits.gap_sums, visits.gap_squares, visits.place_of
    distinct = 0
    for p in range(purchases):
        if distinct == 0 or days[distinct - 1] != bought_on[p]:
            days[distinct] = bought_on[p]
            if distinct:
                gap = bought_on[p] - days[distinct - 1]
                gaps[distinct - 1] = gap
                gap_sums[distinct] = gap_sums[distinct - 1] + gap
                gap_squares[distinct] = gap_squares[distinct - 1] + gap * gap
            distinct += 1
        place_of[p] = distinct - 1
    place_of[purchases] = distinct


@numba.njit(nogil=True, cache=True)
def sum_up(mine: Any, sums: Any, w: int, at: Places, terms: Any) -> None:
    """Take a window's changes into the sums, and the departments' part of the entropy with them."""
    first, last = at.departments, at.department_lines
    for slot in range(len(mine)):
        mine[slot] += sums[w, slot]
    for slot in range(first, last):
        if sums[w, slot] != 0:
            money = mine[slot]
            terms[slot - first] = money * np.log(money) if money > 0 else 0.0
    for slot in range(len(mine)):
        sums[w, slot] = 0


@numba.njit(nogil=True, cache=True)
def _evenness(sums: Any, at: Places, terms: Any) -> float:
    """Entropy of the spend over departments against the most possible; NaN for none."""
    first, last = at.departments, at.department_lines
    if last - first < 2:
        return np.nan
    total, weighted = 0, 0.0
    for d in range(first, last):
        total += max(sums[d], 0)
        weighted += terms[d - first]
    if total <= 0:
        return np.nan
    return max(0.0, (np.log(float(total)) - weighted / total) / np.log(float(last - first)))


@numba.njit(nogil=True, cache=True)
def write_figures(
    sums: Any, inside: InWindow, wanted: Wanted, terms: Any, gathered: Gathered, w: int, j: int
) -> None:
    """The columns of one customer and window that only change with what is in the window."""
    rows, at, unit, days = gathered.rows, wanted.at, wanted.unit, inside.days
    frequency, gross = sums[Sum.PURCHASES], sums[Sum.GROSS]
    rows[w, Figure.RECENCY, j] = inside.last_day
    rows[w, Figure.FREQUENCY, j] = frequency
    rows[w, Figure.VISIT_DAYS, j] = days
    rows[w, Figure.MONETARY, j] = sums[Sum.MONEY] / unit
    rows[w, Figure.MARGIN, j] = np.nan if sums[Sum.UNPRICED_LINES] > 0 else sums[Sum.MARGIN] / unit
    rows[w, Figure.BASKET_MEAN, j] = sums[Sum.MONEY_OF_PURCHASES] / frequency / unit
    rows[w, Figure.BASKET_MEDIAN, j] = inside.basket / unit
    rows[w, Figure.SILENCE, j] = inside.gap_median  # until the gap of everyone is known
    rows[w, Figure.GAP_MEAN, j] = inside.gap_sum / (days - 1) if days >= 2 else np.nan
    # Whole numbers throughout, so that equal gaps vary by nothing at all.
    rows[w, Figure.GAP_CV, j] = (
        np.sqrt(float((days - 1) * inside.gap_square - inside.gap_sum * inside.gap_sum))
        / inside.gap_sum
        if days >= 3
        else np.nan
    )
    breadth = 0
    for d in range(at.department_lines, at.channels):
        breadth += sums[d] > 0
    rows[w, Figure.BREADTH, j] = breadth
    rows[w, Figure.RETURNED, j] = sums[Sum.RETURNED_LINES] / sums[Sum.LINES]
    if gross > 0:
        rows[w, Figure.EVENNESS, j] = _evenness(sums, at, terms)
        rows[w, Figure.WEEKEND, j] = sums[Sum.WEEKEND_GROSS] / gross
        rows[w, Figure.ON_OFFER, j] = sums[Sum.OFFER_GROSS] / gross
        for k in range(len(wanted.shares)):
            rows[w, Figure.ON_OFFER + 1 + k, j] = sums[wanted.shares[k]] / gross
    else:
        rows[w, Figure.EVENNESS, j] = np.nan
        for k in range(Figure.WEEKEND, rows.shape[1]):
            rows[w, k, j] = np.nan


@numba.njit(nogil=True, cache=True)
def trend_of(sums: Any) -> float:
    """Spend of the window's later half against the earlier; NaN where it cannot be told."""
    if sums[Sum.PURCHASES] < 3:
        return np.nan
    half = sums[Sum.MONEY_OF_PURCHASES] / sums[Sum.PURCHASES] / 2.0
    early, late = sums[Sum.EARLY_GROSS] + half, sums[Sum.GROSS] - sums[Sum.EARLY_GROSS] + half
    return np.log(late / early) if early > 0 and late > 0 else np.nan


@numba.njit(nogil=True, cache=True)
def tell_everyone(mine: Any, was: Any, everyone: Any, w: int) -> None:
    """Add what a customer's sums changed by."""
    here = mine[Sum.PURCHASES] > 0
    now = (
        mine[Sum.PURCHASES],
        mine[Sum.GROSS],
        mine[Sum.EARLY_GROSS],
        mine[Sum.MONEY_OF_PURCHASES],
        mine[Sum.MONEY],
        mine[Sum.MONEY] if here else 0,
    )
    for k in range(SUMS_OF_EVERYONE):
        everyone[w, k] += now[k] - was[k]
        was[k] = now[k]
