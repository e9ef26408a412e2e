"""Figures of gathered customers, written out a window at a time."""

from __future__ import annotations

from typing import Any, NamedTuple

import numba
import numpy as np

from sortija.core.measures.kernels.slots import Figure, Results, Wanted, Windows

__all__ = ["Gathered", "carry_on", "write_out"]


class Gathered(NamedTuple):
    """Figures of some customers, before they are written.

    ``rows``: (W, C, many) float64; ``money``: (W, many) int64; ``changed``, ``turned``: (W, many)
    int64, whether all figures or the trend alone are new in a window; ``since``: (many,) when
    they joined, or bought first.
    """

    rows: Any
    money: Any
    changed: Any
    turned: Any
    since: Any


@numba.njit(nogil=True, cache=True)
def carry_on(gathered: Gathered, wanted: Wanted, w: int, many: int) -> None:
    """What did not change in window ``w`` is as in the one before; in the first it is missing."""
    rows, money, changed, turned = (
        gathered.rows, gathered.money, gathered.changed, gathered.turned,
    )  # fmt: skip
    before = max(w - 1, 0)
    for k in wanted.columns:
        for j in range(many):
            new, old = rows[w, k, j], rows[before, k, j]
            mark = turned[w, j] if k == Figure.TREND else changed[w, j]
            old = np.nan if w == 0 else old
            rows[w, k, j] = new if mark != 0 else old
    for j in range(many):
        now, had = money[w, j], money[before, j]
        had = 0 if w == 0 else had
        money[w, j] = now if changed[w, j] != 0 else had


@numba.njit(nogil=True, cache=True)
def write_out(
    gathered: Gathered, wanted: Wanted, windows: Windows, w: int, first: int, many: int,
    results: Results,
) -> None:  # fmt: skip
    """Write the gathered customers' figures in window ``w``; they begin with number ``first``."""
    rows, since, values, money = gathered.rows, gathered.since, results.values, results.money
    first_day, as_of = windows.first_days[w], windows.as_ofs[w]
    for k in wanted.columns:
        if k not in (Figure.RECENCY, Figure.TREND):
            for j in range(many):
                values[w, k, first + j] = rows[w, k, j]
    for j in range(many):
        money[w, first + j] = gathered.money[w, j]
    # What changes with the window's very dates.
    for j in range(many):
        values[w, Figure.RECENCY, first + j] = as_of - rows[w, Figure.RECENCY, j]
    for j in range(many):
        tenure = as_of - since[j]
        known = rows[w, Figure.FREQUENCY, j] > 0 and tenure > 0
        values[w, Figure.TENURE, first + j] = tenure if known else np.nan
    for j in range(many):
        values[w, Figure.TREND, first + j] = (
            rows[w, Figure.TREND, j] if since[j] <= first_day else np.nan
        )
