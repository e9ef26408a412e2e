"""One customer's figures in one window, from the sums of its lines."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.measures.kernels.slots import (
    BASKET_MEAN,
    BASKET_MEDIAN,
    BREADTH,
    EVENNESS,
    EVERYONE,
    FREQUENCY,
    GAP_CV,
    GAP_MEAN,
    MARGIN,
    MONETARY,
    ON_OFFER,
    RECENCY,
    RETURNED,
    SILENCE,
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
    VISIT_DAYS,
    WEEKEND,
)

__all__ = ["lay_out_visits", "sum_up", "tell_everyone", "trend_of", "write_figures"]


@numba.njit(nogil=True, cache=True)
def lay_out_visits(
    purchases: int, bought_on: Any, visit_days: Any, gaps: Any, gap_sums: Any, gap_squares: Any,
    place_of: Any,
) -> None:  # fmt: skip
    """The days of purchases each once, the gaps between them and what those add up to.

    ``place_of``: which of the days each purchase was on; one more tells how many days there are.
    """
    distinct = 0
    for p in range(purchases):
        if distinct == 0 or visit_days[distinct - 1] != bought_on[p]:
            visit_days[distinct] = bought_on[p]
            if distinct:
                gap = bought_on[p] - visit_days[distinct - 1]
                gaps[distinct - 1] = gap
                gap_sums[distinct] = gap_sums[distinct - 1] + gap
                gap_squares[distinct] = gap_squares[distinct - 1] + gap * gap
            distinct += 1
        place_of[p] = distinct - 1
    place_of[purchases] = distinct


@numba.njit(nogil=True, cache=True)
def sum_up(mine: Any, sums: Any, w: int, first: int, last: int, terms: Any) -> None:
    """Take a window's changes into the sums, and the departments' part of the entropy with them."""
    for slot in range(len(mine)):
        mine[slot] += sums[w, slot]
    for slot in range(first, last):
        if sums[w, slot] != 0:
            spent = mine[slot]
            terms[slot - first] = spent * np.log(spent) if spent > 0 else 0.0
    for slot in range(len(mine)):
        sums[w, slot] = 0


@numba.njit(nogil=True, cache=True)
def _evenness(sums: Any, first: int, last: int, terms: Any, most: float) -> float:
    """Entropy of the spend over departments against the ``most`` possible; NaN for none."""
    total, weighted = 0, 0.0
    for d in range(first, last):
        total += max(sums[d], 0)
        weighted += terms[d - first]
    if total <= 0:
        return np.nan
    return max(0.0, (np.log(float(total)) - weighted / total) / most)


@numba.njit(nogil=True, cache=True)
def write_figures(
    sums: Any, at: Any, unit: float, last_day: int, days: int, basket: float, gap_sum: int,
    gap_square: int, gap_median: float, shares: Any, terms: Any, most: float, rows: Any, w: int,
    j: int,
) -> None:  # fmt: skip
    """The columns of one customer and window that only change with what is in the window."""
    frequency, gross = sums[SUM_PURCHASES], sums[SUM_GROSS]
    rows[w, RECENCY, j] = last_day
    rows[w, FREQUENCY, j] = frequency
    rows[w, VISIT_DAYS, j] = days
    rows[w, MONETARY, j] = sums[SUM_MONEY] / unit
    rows[w, MARGIN, j] = np.nan if sums[SUM_UNPRICED] > 0 else sums[SUM_MARGIN] / unit
    rows[w, BASKET_MEAN, j] = sums[SUM_NET] / frequency / unit
    rows[w, BASKET_MEDIAN, j] = basket / unit
    rows[w, SILENCE, j] = gap_median  # until the gap of everyone is known
    rows[w, GAP_MEAN, j] = gap_sum / (days - 1) if days >= 2 else np.nan
    # Whole numbers throughout, so that equal gaps vary by nothing at all.
    rows[w, GAP_CV, j] = (
        np.sqrt(float((days - 1) * gap_square - gap_sum * gap_sum)) / gap_sum
        if days >= 3
        else np.nan
    )
    breadth = 0
    for d in range(at[1], at[2]):
        breadth += sums[d] > 0
    rows[w, BREADTH, j] = breadth
    rows[w, RETURNED, j] = sums[SUM_RETURNED] / sums[SUM_LINES]
    if gross > 0:
        rows[w, EVENNESS, j] = _evenness(sums, at[0], at[1], terms, most) if most > 0 else np.nan
        rows[w, WEEKEND, j] = sums[SUM_WEEKEND] / gross
        rows[w, ON_OFFER, j] = sums[SUM_OFFER] / gross
        for k in range(len(shares)):
            rows[w, ON_OFFER + 1 + k, j] = sums[shares[k]] / gross
    else:
        rows[w, EVENNESS, j] = np.nan
        for k in range(WEEKEND, rows.shape[1]):
            rows[w, k, j] = np.nan


@numba.njit(nogil=True, cache=True)
def trend_of(sums: Any) -> float:
    """Spend of the window's later half against the earlier; NaN where it cannot be told."""
    if sums[SUM_PURCHASES] < 3:
        return np.nan
    half = sums[SUM_NET] / sums[SUM_PURCHASES] / 2.0
    early, late = sums[SUM_EARLY] + half, sums[SUM_GROSS] - sums[SUM_EARLY] + half
    return np.log(late / early) if early > 0 and late > 0 else np.nan


@numba.njit(nogil=True, cache=True)
def tell_everyone(mine: Any, was: Any, everyone: Any, w: int) -> None:
    """Add what a customer's sums changed by."""
    here = mine[SUM_PURCHASES] > 0
    now = (
        mine[SUM_PURCHASES],
        mine[SUM_GROSS],
        mine[SUM_EARLY],
        mine[SUM_NET],
        mine[SUM_MONEY],
        mine[SUM_MONEY] if here else 0,
    )
    for k in range(len(EVERYONE)):
        everyone[w, k] += now[k] - was[k]
        was[k] = now[k]
