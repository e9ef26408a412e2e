"""Numbers kept in order while others enter and leave: the medians of moving windows."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["SMALL", "middle", "middle_of_few", "slide"]

FEW = 32
#: So many values need not be put in order to find their middle.
SMALL = 4


@numba.njit(nogil=True, cache=True)
def _arrange(values: Any, first: int, last: int, kept: Any) -> None:
    """Copy ``values[first:last]`` to the front of ``kept`` in rising order."""
    count = last - first
    if count > FEW:
        kept[:count] = values[first:last]
        kept[:count].sort()
        return
    # Most customers have few visits: inserting is quicker than calling a general sort.
    for i in range(count):
        x = values[first + i]
        j = i - 1
        while j >= 0 and kept[j] > x:
            kept[j + 1] = kept[j]
            j -= 1
        kept[j + 1] = x


@numba.njit(nogil=True, cache=True)
def slide(values: Any, was: int, ended: int, first: int, last: int, kept: Any) -> None:
    """Turn the ordered ``values[was:ended]`` in ``kept`` into those of ``values[first:last]``."""
    changes = (first - was) + (last - ended)
    if changes == 0:
        return
    count = ended - was
    if first >= ended or changes > FEW or changes > count:
        _arrange(values, first, last, kept)
        return
    for place in range(was, first):
        x = values[place]
        i = 0 if count <= FEW else np.searchsorted(kept[:count], x)
        while kept[i] != x:
            i += 1
        count -= 1
        while i < count:
            kept[i] = kept[i + 1]
            i += 1
    for place in range(ended, last):
        x = values[place]
        j = count - 1
        while j >= 0 and kept[j] > x:
            kept[j + 1] = kept[j]
            j -= 1
        kept[j + 1] = x
        count += 1


@numba.njit(nogil=True, cache=True)
def middle(kept: Any, count: int) -> float:
    """Median of the first ``count`` values, which are in order.

    >>> middle(np.array([1, 5, 9, 0]), 2)
    3.0
    """
    if count % 2:
        return float(kept[count // 2])
    return (float(kept[count // 2 - 1]) + float(kept[count // 2])) / 2.0


@numba.njit(nogil=True, cache=True)
def middle_of_few(values: Any, first: int, last: int) -> float:
    """Median of ``values[first:last]``, one to SMALL of them; without a branch per value.

    >>> middle_of_few(np.array([9, 1, 5, 7]), 0, 3)
    5.0
    """
    a = values[first]
    if last - first == 1:
        return float(a)
    b = values[first + 1]
    if last - first == 2:
        return (float(a) + float(b)) / 2.0
    low, high, c = min(a, b), max(a, b), values[first + 2]
    if last - first == 3:
        return float(max(low, min(high, c)))
    d = values[first + 3]
    lower, higher = min(c, d), max(c, d)
    return (float(max(low, lower)) + float(min(high, higher))) / 2.0
