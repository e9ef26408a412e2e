"""Passes over the values of one measure, without the interpreter."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["in_groups", "moments"]


@numba.njit(nogil=True, cache=True)
def in_groups(values: Any, groups: Any, k: int) -> tuple[Any, Any, Any]:
    """Values that are there, those of group 0 first, with counts and sums of the ``k`` groups.

    Rows of other groups are left out.
    """
    counts, sums = np.zeros(k, np.int64), np.zeros(k)
    for i in range(len(values)):
        g, value = groups[i], values[i]
        if 0 <= g < k and not np.isnan(value):
            counts[g] += 1
            sums[g] += value
    place = np.cumsum(counts) - counts
    out = np.empty(counts.sum())
    for i in range(len(values)):
        g, value = groups[i], values[i]
        if 0 <= g < k and not np.isnan(value):
            out[place[g]] = value
            place[g] += 1
    return out, counts, sums


@numba.njit(nogil=True, cache=True)
def moments(values: Any, mean: float) -> tuple[float, float]:
    """Sums of the second and third powers of how far values are from ``mean``.

    >>> moments(np.array([1.0, 2.0, 3.0]), 2.0)
    (2.0, 0.0)
    """
    second = third = 0.0
    for value in values:
        away = value - mean
        second += away * away
        third += away * away * away
    return second, third
