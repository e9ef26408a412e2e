"""Passes over the rows, without the interpreter."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["count_bins", "count_drawn", "in_groups", "into_bins", "lead_on", "moments"]


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
def ranked(rising: Any, ends: Any, ranks: Any) -> Any:
    """The values that would stand at ``ranks`` (from 0) if all were in one order.

    ``rising``: (n,) values, no NaN; parts after each other, each in rising order; ``ends``: where
    each part ends. Halves the span until nothing lies between, so that what is found is a value.

    >>> ranked(np.array([1.0, 4.0, 2.0, 3.0]), np.array([2, 4]), np.array([0, 2])).tolist()
    [1.0, 3.0]
    """
    out = np.empty(len(ranks))
    lowest, highest = rising.min(), rising.max()
    for place, rank in enumerate(ranks):
        low, high = lowest, highest
        if _up_to(rising, ends, low) > rank:
            high = low
        middle = low / 2 + high / 2
        while low < middle < high:
            if _up_to(rising, ends, middle) > rank:
                high = middle
            else:
                low = middle
            middle = low / 2 + high / 2
        out[place] = high
    return out


@numba.njit(nogil=True, cache=True)
def _up_to(rising: Any, ends: Any, value: float) -> int:
    """How many values are no greater."""
    many = begin = 0
    for end in ends:
        many += int(np.searchsorted(rising[begin:end], value, side="right"))
        begin = end
    return many


#: Cells of equal width that values are looked up in, before bins are.
_CELLS = 2048


@numba.njit(nogil=True, cache=True)
def into_bins(values: Any, ends: Any, codes: Any, low: Any, high: Any) -> None:
    """Write the bin of every value into ``codes``, 0 where it is missing, else 1 to b.

    ``ends``: (b,) rising, the last value of each bin; greater ones are in the last. ``low`` and
    ``high``: (b,), begun with ∞ and −∞; the least and greatest value that came into each bin.
    """
    last = len(ends) - 1
    least, width = ends[0], (ends[last] - ends[0]) / _CELLS
    # The bin that each of many cells of equal width begins in: most have no more than one or two.
    begin = np.empty(_CELLS + 1, np.int64)
    place = 0
    for cell in range(_CELLS + 1):
        while place < last and ends[place] < least + cell * width:
            place += 1
        begin[cell] = place
    for i in range(len(values)):
        value = values[i]
        if np.isnan(value):
            codes[i] = 0
            continue
        first = 0
        if width > 0 and value > least:
            cell = int(min((value - least) / width, _CELLS - 1.0))
            first, beyond = begin[cell], begin[cell + 1]
            while first < beyond:
                middle = (first + beyond) >> 1
                if ends[middle] < value:
                    first = middle + 1
                else:
                    beyond = middle
            # A cell's edge may be off by what was rounded.
            while first > 0 and ends[first - 1] >= value:
                first -= 1
            while first < last and ends[first] < value:
                first += 1
        codes[i] = first + 1
        if value < low[first]:
            low[first] = value
        if value > high[first]:
            high[first] = value


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


@numba.njit(nogil=True, cache=True)
def lead_on(codes: Any, groups: Any, nodes: Any, columns: Any, answers: Any, counts: Any) -> None:
    """Lead every row from its node to the next one, and count those who come to each.

    ``codes``: (d, n) bins; ``nodes``: (n,) rewritten, −1 of rows that are done with; ``columns``:
    what each node asks about, −1 where nothing; ``answers``: (nodes, bins) whether a bin says yes.
    The node that is asked first leads to 0 and 1, the next to 2 and 3.
    """
    first = np.full(len(columns), -1)
    asked = 0
    for node in range(len(columns)):
        if columns[node] >= 0:
            first[node] = 2 * asked
            asked += 1
    for i in range(len(nodes)):
        node = nodes[i]
        if node < 0:
            continue
        if columns[node] < 0:
            nodes[i] = -1
            continue
        next_node = first[node] + (0 if answers[node, codes[columns[node], i]] else 1)
        nodes[i] = next_node
        counts[next_node, groups[i]] += 1
