"""Figures of gathered customers, written out a window at a time."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.measures.kernels.slots import (
    FREQUENCY,
    RECENCY,
    TENURE,
    TREND,
)

__all__ = ["carry_on", "write_out"]


@numba.njit(nogil=True, cache=True)
def carry_on(
    rows: Any, cash: Any, columns: Any, changed: Any, turned: Any, w: int, many: int
) -> None:  # fmt: skip
    """What did not change in window ``w`` is as in the one before; in the first it is missing."""
    before = max(w - 1, 0)
    for k in columns:
        for j in range(many):
            new, old = rows[w, k, j], rows[before, k, j]
            mark = turned[w, j] if k == TREND else changed[w, j]
            old = np.nan if w == 0 else old
            rows[w, k, j] = new if mark != 0 else old
    for j in range(many):
        money, had = cash[w, j], cash[before, j]
        had = 0 if w == 0 else had
        cash[w, j] = money if changed[w, j] != 0 else had


@numba.njit(nogil=True, cache=True)
def write_out(
    rows: Any, cash: Any, columns: Any, since: Any, first_day: int, as_of: int, w: int,
    first: int, many: int, values: Any, totals: Any,
) -> None:  # fmt: skip
    """Write the gathered customers' figures in window ``w``."""
    for k in columns:
        if k not in (RECENCY, TREND):
            for j in range(many):
                values[w, k, first + j] = rows[w, k, j]
    for j in range(many):
        totals[w, first + j] = cash[w, j]
    # What changes with the window's very dates.
    for j in range(many):
        values[w, RECENCY, first + j] = as_of - rows[w, RECENCY, j]
    for j in range(many):
        tenure = as_of - since[j]
        known = rows[w, FREQUENCY, j] > 0 and tenure > 0
        values[w, TENURE, first + j] = tenure if known else np.nan
    for j in range(many):
        values[w, TREND, first + j] = rows[w, TREND, j] if since[j] <= first_day else np.nan
