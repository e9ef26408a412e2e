"""Passes over the rows, without the interpreter."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["count_bins", "count_drawn", "in_groups", "into_bins", "moments"]


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


@numba.njit(nogil=True, cache=True)
def into_bins(values: Any, ends: Any, codes: Any, low: Any, high: Any) -> None:
    """Write the bin of every value into ``codes``, 0 where it is missing, else 1 to b.

    ``ends``: (b,) rising, the last value of each bin; greater ones are in the last. ``low`` and
    ``high``: (b,), begun with ∞ and −∞; the least and greatest value that came into each bin.
    """
    last = len(ends) - 1
    for i in range(len(values)):
        value = values[i]
        if np.isnan(value):
            codes[i] = 0
            continue
        first, beyond = 0, last
        while first < beyond:
            middle = (first + beyond) >> 1
            if ends[middle] < value:
                first = middle + 1
            else:
                beyond = middle
        codes[i] = first + 1
        low[first] = min(low[first], value)
        high[first] = max(high[first], value)


@numba.njit(nogil=True, cache=True)
def count_bins(codes: Any, groups: Any, nodes: Any, counts: Any) -> None:
    """Add every row to ``counts``: (nodes, bins, groups); rows of node −1 are done with."""
    for i in range(len(codes)):
        if nodes[i] >= 0:
            counts[nodes[i], codes[i], groups[i]] += 1


@numba.njit(nogil=True, cache=True)
def count_drawn(codes: Any, groups: Any, times: Any, counts: Any) -> None:
    """Add every row ``times`` as often to ``counts``: (bins, groups)."""
    for i in range(len(codes)):
        counts[codes[i], groups[i]] += times[i]
