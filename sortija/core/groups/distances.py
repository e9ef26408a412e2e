"""D and Gower's distance, block by block, so that the inner loops run over rows.

Numbers lie column by column: a block of rows stays in the cache while every group and column
is walked, and the compiler turns the inner loops into vector instructions. No ``fastmath``:
sums keep their order, so results are the same on any number of threads.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["BLOCK", "distances", "nearest_two", "pair_distances", "row_of", "squared_distances"]

BLOCK = 1024


@numba.njit(nogil=True, cache=True)
def _squares(numbers: Any, centre: Any, start: int, stop: int, line: Any) -> None:
    """Sums of squared gaps to ``centre`` into ``line``, whatever stood there."""
    # Every loop loads all that it needs before it stores: the compiler cannot know that the
    # arrays do not overlap, and would otherwise take the rows one by one. Eight columns go
    # together, so that the sum so far is fetched and put back once for all of them.
    d = numbers.shape[0]
    begun, j = False, 0
    while d - j >= 8:
        c0, c1, c2, c3 = centre[j], centre[j + 1], centre[j + 2], centre[j + 3]
        c4, c5, c6, c7 = centre[j + 4], centre[j + 5], centre[j + 6], centre[j + 7]
        x0, x1 = numbers[j, start:stop], numbers[j + 1, start:stop]
        x2, x3 = numbers[j + 2, start:stop], numbers[j + 3, start:stop]
        x4, x5 = numbers[j + 4, start:stop], numbers[j + 5, start:stop]
        x6, x7 = numbers[j + 6, start:stop], numbers[j + 7, start:stop]
        if not begun:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                t4, t5, t6, t7 = x4[i] - c4, x5[i] - c5, x6[i] - c6, x7[i] - c7
                four = (t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3)
                line[i] = four + ((t4 * t4 + t5 * t5) + (t6 * t6 + t7 * t7))
        else:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                t4, t5, t6, t7 = x4[i] - c4, x5[i] - c5, x6[i] - c6, x7[i] - c7
                so_far = line[i]
                four = (t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3)
                line[i] = so_far + (four + ((t4 * t4 + t5 * t5) + (t6 * t6 + t7 * t7)))
        begun, j = True, j + 8
    if d - j >= 4:
        c0, c1, c2, c3 = centre[j], centre[j + 1], centre[j + 2], centre[j + 3]
        x0, x1 = numbers[j, start:stop], numbers[j + 1, start:stop]
        x2, x3 = numbers[j + 2, start:stop], numbers[j + 3, start:stop]
        if not begun:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                line[i] = (t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3)
        else:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                so_far = line[i]
                line[i] = so_far + ((t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3))
        begun, j = True, j + 4
    if not begun:
        line[:] = 0.0
    while j < d:
        c = centre[j]
        column = numbers[j, start:stop]
        for i in range(len(line)):
            t = column[i] - c
            so_far = line[i]
            line[i] = so_far + t * t
        j += 1


@numba.njit(nogil=True, cache=True)
def _gaps(numbers: Any, centre: Any, start: int, stop: int, line: Any) -> None:
    """Sums of absolute gaps to ``centre`` into ``line``, whatever stood there."""
    line[:] = 0.0
    for j in range(numbers.shape[0]):
        c = centre[j]
        column = numbers[j, start:stop]
        for i in range(len(line)):
            so_far = line[i]
            line[i] = so_far + abs(column[i] - c)


@numba.njit(nogil=True, cache=True)
def _mismatches(
    codes: Any, gammas: Any, mode: Any, start: int, stop: int, line: Any
) -> None:  # fmt: skip
    """Add what categories other than ``mode`` count to ``line``."""
    for a in range(codes.shape[0]):
        m = mode[a]
        gamma = gammas[a]
        column8 = codes[a, start:stop]
        for i in range(len(line)):
            so_far = line[i]
            line[i] = so_far + (gamma if column8[i] != m else np.float32(0.0))


@numba.njit(nogil=True, cache=True)
def squared_distances(
    numbers: Any, codes: Any, gammas: Any, centre: Any, mode: Any, start: int, stop: int, out: Any
) -> None:
    """D of rows ``start`` to ``stop`` to one centre, to the front of ``out``."""
    line = out[: stop - start]
    _squares(numbers, centre, start, stop, line)
    _mismatches(codes, gammas, mode, start, stop, line)


@numba.njit(nogil=True, cache=True)
def distances(
    numbers: Any, codes: Any, gammas: Any, gower: bool, centre: Any, mode: Any,
    start: int, stop: int, out: Any,
) -> None:  # fmt: skip
    """D or Gower's distance, as :func:`squared_distances` gives D."""
    line = out[: stop - start]
    if gower:
        _gaps(numbers, centre, start, stop, line)
    else:
        _squares(numbers, centre, start, stop, line)
    _mismatches(codes, gammas, mode, start, stop, line)


@numba.njit(nogil=True, cache=True)
def row_of(columns: Any, row: int) -> Any:
    """One row's own values, side by side as centres lie, so that kernels are compiled once.

    >>> row_of(np.array([[1, 2, 3], [4, 5, 6]]), 1).tolist()
    [2, 5]
    """
    return columns[:, row].copy()


@numba.njit(nogil=True, cache=True)
def nearest_two(
    numbers: Any,
    codes: Any,
    gammas: Any,
    gower: bool,
    centres: Any,
    modes: Any,
    between: Any,
    first: int,
    last: int,
) -> Any:
    """For rows ``first`` to ``last``: nearest centre, D to it, nearest rival, margin towards it.

    The margin towards s is (D_s − D_own) / D(centre_s, centre_own): 0 on the border, 1 at the
    own centre; towards a coincident centre it is 0. ``between`` (k, k): D among the centres.
    """
    k, m = centres.shape[0], last - first
    labels = np.empty(m, np.int32)
    own = np.empty(m, np.float32)
    rival = np.empty(m, np.int32)
    margin = np.empty(m, np.float32)
    table = np.empty((k, BLOCK), np.float32)
    for start in range(first, last, BLOCK):
        stop = min(start + BLOCK, last)
        for g in range(k):
            distances(numbers, codes, gammas, gower, centres[g], modes[g], start, stop, table[g])
        for i in range(stop - start):
            who = 0
            for g in range(1, k):
                if table[g, i] < table[who, i]:
                    who = g
            least, other = np.float32(np.inf), who
            for g in range(k):
                if g == who:
                    continue
                apart = between[who, g]
                towards = (table[g, i] - table[who, i]) / apart if apart > 0 else np.float32(0.0)
                if towards < least:
                    least, other = towards, g
            row = start - first + i
            labels[row] = who
            own[row] = table[who, i]
            rival[row] = other
            margin[row] = least if k > 1 else np.float32(1.0)
    return labels, own, rival, margin


@numba.njit(nogil=True, cache=True)
def pair_distances(
    numbers: Any, codes: Any, gammas: Any, gower: bool, first: int, last: int, out: Any
) -> None:
    """√D (or Gower's distance) between rows ``first`` to ``last`` and every row, into ``out``
    (last − first, m)."""
    m = numbers.shape[1]
    for row in range(first, last):
        line = out[row - first]
        own, kinds = row_of(numbers, row), row_of(codes, row)
        for start in range(0, m, BLOCK):
            stop = min(start + BLOCK, m)
            part = line[start:stop]
            distances(numbers, codes, gammas, gower, own, kinds, start, stop, part)
            if not gower:
                for i in range(stop - start):
                    part[i] = np.sqrt(part[i])
