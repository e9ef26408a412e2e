"""Assignment that leaves out rows which cannot have changed their group.

Of each row a margin is kept: how much nearer its own centre is than any other, less than which
centres have to move before it can change. By the triangle inequality distances move no more than
centres do (Hamerly 2010); √D obeys it, for a category is a corner of a simplex. Margins give way to
all rounding, so that labels are those of :func:`kernels.assign`, to the last row.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.groups.distances import BLOCK, squared_distances
from sortija.core.groups.kernels import keep_nearer, move_row

__all__ = ["assign_bounded"]

#: From this share of a block's rows on, all of them are looked at: they lie side by side.
_MANY = 0.5
#: Rows that are passed over together.
_STRIP = 64


@numba.njit(nogil=True, cache=True)
def _keep_second(distance: Any, best: Any, second: Any) -> None:
    """The next nearest so far, before ``best`` takes the nearest."""
    for i in range(len(best)):
        new, old, then = distance[i], best[i], second[i]
        farther = old if new < old else new
        second[i] = farther if farther < then else then


@numba.njit(nogil=True, cache=True)
def _any_below(values: Any, least: Any) -> bool:
    """Whether any value is not above ``least``; as vector instructions, for it never stops."""
    below = 0
    for i in range(len(values)):
        below += not values[i] > least
    return below > 0


@numba.njit(nogil=True, cache=True)
def _doubtful(margins: Any, gone: Any, first: int, last: int, rows: Any, count: int) -> int:
    """Note the rows that may have changed behind the ``count`` that are noted; how many then are.

    Late passes have few: a strip without any is passed over.
    """
    for start in range(first, last, _STRIP):
        stop = min(start + _STRIP, last)
        if _any_below(margins[start:stop], gone):
            for i in range(start, stop):
                rows[count] = i
                count += not margins[i] > gone
    return count


@numba.njit(nogil=True, cache=True)
def _gather(columns: Any, rows: Any, count: int, out: Any) -> None:
    for j in range(columns.shape[0]):
        for i in range(count):
            out[j, i] = columns[j, rows[i]]


@numba.njit(nogil=True, cache=True)
def assign_bounded(
    numbers: Any, codes: Any, labels: Any, gammas: Any, centres: Any, modes: Any, edges: Any,
    first: int, last: int, sums: Any, counts: Any, hist: Any, margins: Any, gone: Any, slack: float,
) -> int:  # fmt: skip
    """As :func:`kernels.assign` of rows that have a group, chunk by chunk, without the cost;
    returns how many changed.

    ``edges``: (chunks + 1,) where chunks begin, of which ``first`` to before ``last`` are looked
    at; ``sums``, ``counts``, ``hist``: of every chunk. ``margins``: (m,) float32, as the pass
    before left them, −inf to begin with; ``gone``: float32, how far any two centres have moved
    in all passes, rounded up; ``slack``: how far a computed √D may be from the true one, as a
    share.
    """
    few = np.empty((len(numbers), BLOCK), np.float32)
    few_codes = np.empty((len(codes), BLOCK), np.uint8)
    rows, side = np.empty(2 * BLOCK + 1, np.int64), np.empty(BLOCK, np.int64)
    begin: Any = np.int64(0)
    changed = 0
    for chunk in range(first, last):
        # Chunks' sums lie side by side: threads that change them in place wait for each other.
        own = sums[chunk].copy(), counts[chunk].copy(), hist[chunk].copy()
        count: Any = np.int64(0)
        for start in range(edges[chunk], edges[chunk + 1], BLOCK):
            stop = min(start + BLOCK, edges[chunk + 1])
            upto = _doubtful(margins, gone, start, stop, rows, count)
            dense = upto - count >= _MANY * (stop - start)
            if count and (dense or upto > BLOCK):
                # Those of the blocks before, first: rows move in their order.
                _gather(numbers, rows, count, few)
                _gather(codes, rows, count, few_codes)
                changed += _look(few, few_codes, begin, count, gammas, centres, modes, labels,
                                 rows[:count], margins, gone, slack, own)  # fmt: skip
                for i in range(upto - count):
                    rows[i] = rows[count + i]
                upto -= count
            count = upto
            if dense:
                for i in range(stop - start):
                    side[i] = start + i
                changed += _look(numbers, codes, start, stop, gammas, centres, modes, labels,
                                 side[: stop - start], margins, gone, slack, own)  # fmt: skip
                count = begin
        if count:
            _gather(numbers, rows, count, few)
            _gather(codes, rows, count, few_codes)
            changed += _look(few, few_codes, begin, count, gammas, centres, modes, labels,
                             rows[:count], margins, gone, slack, own)  # fmt: skip
        sums[chunk], counts[chunk], hist[chunk] = own
    return changed


@numba.njit(nogil=True, cache=True)
def _look(
    numbers: Any, codes: Any, start: int, stop: int, gammas: Any, centres: Any, modes: Any,
    labels: Any, rows: Any, margins: Any, gone: Any, slack: float, own: Any,
) -> int:  # fmt: skip
    """Put some rows with their nearest centres and note their margins; how many changed.

    ``numbers``, ``codes``: where the rows' values stand, from ``start`` to ``stop``; ``rows``:
    their own numbers; ``own``: sums, counts and levels of their chunk.
    """
    distance, near = np.empty(BLOCK, np.float32), np.empty(len(rows), np.float32)
    then, holder = np.empty(len(rows), np.float32), np.zeros(len(rows), np.int32)
    near[:] = np.float32(np.inf)
    then[:] = np.float32(np.inf)
    for g in range(centres.shape[0]):
        squared_distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
        _keep_second(distance, near, then)
        keep_nearer(distance, near, holder, g)
    sums, counts, hist = own
    changed = 0
    for i in range(len(rows)):
        row, after = rows[i], holder[i]
        before = labels[row]
        apart = np.sqrt(np.float64(then[i])) * (1.0 - slack)
        margin = apart - np.sqrt(np.float64(near[i])) * (1.0 + slack) + gone
        margins[row] = margin - 5e-7 * (abs(margin) + gone)  # what float32 rounds off
        if before != after:
            changed += 1
            labels[row] = after
            move_row(numbers, codes, start + i, before, after, sums, counts, hist)
    return changed
