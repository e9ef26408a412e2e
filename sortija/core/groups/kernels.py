"""Distances, assignment and sums, block by block, so that the inner loops run over rows.

Numbers lie column by column: a block of rows stays in the cache while every group and column
is walked, and the compiler turns the inner loops into vector instructions. No ``fastmath``:
sums keep their order, so results are the same on any number of threads.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["assign", "farthest", "nearest_two", "pair_distances", "update_nearest"]

BLOCK = 512


@numba.njit(nogil=True, cache=True)
def _distances(
    numbers: Any, codes: Any, gammas: Any, centre: Any, mode: Any, start: int, stop: int, out: Any
) -> None:
    """D of rows ``start`` to ``stop`` to one centre, into the first places of ``out``."""
    # Every loop loads all that it needs before it stores: the compiler cannot know that the
    # arrays do not overlap, and would otherwise take the rows one by one. Four columns go
    # together, so that the sum so far is fetched and put back once for all of them.
    line = out[: stop - start]
    d = numbers.shape[0]
    four = d // 4 * 4
    if four == 0:
        line[:] = 0.0
    for j in range(0, four, 4):
        c0, c1, c2, c3 = centre[j], centre[j + 1], centre[j + 2], centre[j + 3]
        x0, x1 = numbers[j, start:stop], numbers[j + 1, start:stop]
        x2, x3 = numbers[j + 2, start:stop], numbers[j + 3, start:stop]
        if j == 0:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                line[i] = (t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3)
        else:
            for i in range(len(line)):
                t0, t1, t2, t3 = x0[i] - c0, x1[i] - c1, x2[i] - c2, x3[i] - c3
                so_far = line[i]
                line[i] = so_far + ((t0 * t0 + t1 * t1) + (t2 * t2 + t3 * t3))
    for j in range(four, d):
        c = centre[j]
        column = numbers[j, start:stop]
        for i in range(len(line)):
            t = column[i] - c
            so_far = line[i]
            line[i] = so_far + t * t
    for a in range(codes.shape[0]):
        m = mode[a]
        gamma = gammas[a]
        column8 = codes[a, start:stop]
        for i in range(len(line)):
            so_far = line[i]
            line[i] = so_far + (gamma if column8[i] != m else np.float32(0.0))


@numba.njit(nogil=True, cache=True)
def _keep_nearer(distance: Any, best: Any, who: Any, group: Any) -> None:
    """Where ``distance`` is smaller than the best so far, take it and its group."""
    number = np.int32(group)
    for i in range(len(best)):
        new, old, holder = distance[i], best[i], who[i]
        nearer = new < old
        who[i] = number if nearer else holder
        best[i] = new if nearer else old


@numba.njit(nogil=True, cache=True)
def _add_all(
    numbers: Any, codes: Any, who: Any, start: int, stop: int, sums: Any, counts: Any, hist: Any
) -> None:
    """Add rows that belonged nowhere to their groups; numbers in float64, four columns at once."""
    d = numbers.shape[0]
    four = d // 4 * 4
    for j in range(0, four, 4):
        x0, x1 = numbers[j, start:stop], numbers[j + 1, start:stop]
        x2, x3 = numbers[j + 2, start:stop], numbers[j + 3, start:stop]
        for i in range(len(x0)):
            g = np.uint32(who[i])
            s0, s1 = sums[g, j] + x0[i], sums[g, j + 1] + x1[i]
            s2, s3 = sums[g, j + 2] + x2[i], sums[g, j + 3] + x3[i]
            sums[g, j], sums[g, j + 1], sums[g, j + 2], sums[g, j + 3] = s0, s1, s2, s3
    for j in range(four, d):
        x = numbers[j, start:stop]
        for i in range(len(x)):
            sums[np.uint32(who[i]), j] += x[i]
    for i in range(stop - start):
        counts[who[i]] += 1
    for a in range(codes.shape[0]):
        column8 = codes[a, start:stop]
        for i in range(stop - start):
            hist[who[i], a, column8[i]] += 1


@numba.njit(nogil=True, cache=True)
def _move_changed(
    numbers: Any, codes: Any, old: Any, who: Any, start: int, sums: Any, counts: Any, hist: Any
) -> None:
    """Take the rows that changed out of their old groups and add them to the new ones."""
    for i in range(len(who)):
        before, after = old[i], who[i]
        if before == after:
            continue
        counts[before] -= 1
        counts[after] += 1
        for j in range(numbers.shape[0]):
            x = np.float64(numbers[j, start + i])
            sums[before, j] -= x
            sums[after, j] += x
        for a in range(codes.shape[0]):
            code = codes[a, start + i]
            hist[before, a, code] -= 1
            hist[after, a, code] += 1


@numba.njit(nogil=True, cache=True)
def _block_sum(values: Any) -> float:
    """Sum in float64 along four lanes: always the same order, and no wait for each addition."""
    s0 = s1 = s2 = s3 = 0.0
    whole = len(values) // 4 * 4
    for i in range(0, whole, 4):
        s0 += values[i]
        s1 += values[i + 1]
        s2 += values[i + 2]
        s3 += values[i + 3]
    for i in range(whole, len(values)):
        s0 += values[i]
    return (s0 + s1) + (s2 + s3)


@numba.njit(nogil=True, cache=True)
def _count_different(old: Any, new: Any) -> int:
    differ = 0
    for i in range(len(old)):
        differ += old[i] != new[i]
    return differ


@numba.njit(nogil=True, cache=True)
def assign(
    numbers: Any,
    codes: Any,
    labels: Any,
    gammas: Any,
    centres: Any,
    modes: Any,
    first: int,
    last: int,
    sums: Any,
    counts: Any,
    hist: Any,
) -> Any:
    """Put rows ``first`` to ``last`` with their nearest centres; ties go to the lowest number.

    ``numbers`` (d, m) float32, ``codes`` (q, m) uint8, ``centres`` (k, d) float32, ``modes``
    (k, q) uint8. ``labels`` (m,) int32 is written; −1 in a chunk's first row: they are all new.
    ``sums`` (k, d) float64, ``counts`` (k,) and ``hist`` (k, q, levels) are these rows' own, and
    follow the rows that change. Whole arrays and bounds are passed, not slices: the compiler
    then knows that rows lie side by side, and uses vector instructions.

    Returns (cost, changed) of these rows, to be merged in chunk order.
    """
    fresh = labels[first] < 0
    distance = np.empty(BLOCK, np.float32)
    best = np.empty(BLOCK, np.float32)
    who = np.empty(BLOCK, np.int32)
    cost, changed = 0.0, 0
    for start in range(first, last, BLOCK):
        stop = min(start + BLOCK, last)
        near, holder = best[: stop - start], who[: stop - start]
        near[:] = np.float32(np.inf)
        holder[:] = 0
        for g in range(centres.shape[0]):
            _distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            _keep_nearer(distance, near, holder, g)
        cost += _block_sum(near)
        old = labels[start:stop]
        if fresh:
            _add_all(numbers, codes, holder, start, stop, sums, counts, hist)
            changed += stop - start
        else:
            differ = _count_different(old, holder)
            changed += differ
            if differ:
                _move_changed(numbers, codes, old, holder, start, sums, counts, hist)
        for i in range(len(old)):
            old[i] = holder[i]
    return cost, changed


@numba.njit(nogil=True, cache=True)
def farthest(
    numbers: Any,
    codes: Any,
    labels: Any,
    gammas: Any,
    centres: Any,
    modes: Any,
    first: int,
    last: int,
) -> Any:
    """(row, D) of the row among ``first`` to ``last`` that lies farthest from its own centre."""
    row, most = first, np.float32(-1.0)
    distance = np.empty(BLOCK, np.float32)
    for start in range(first, last, BLOCK):
        stop = min(start + BLOCK, last)
        for g in range(centres.shape[0]):
            _distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            for i in range(stop - start):
                if labels[start + i] == g and distance[i] > most:
                    row, most = start + i, distance[i]
    return row, most


@numba.njit(nogil=True, cache=True)
def update_nearest(
    numbers: Any, codes: Any, nearest: Any, gammas: Any, centre: Any, mode: Any
) -> float:
    """Lower ``nearest`` (m,) float32 to the D to one more centre; returns their float64 sum."""
    distance = np.empty(BLOCK, np.float32)
    total = 0.0
    for start in range(0, len(nearest), BLOCK):
        stop = min(start + BLOCK, len(nearest))
        _distances(numbers, codes, gammas, centre, mode, start, stop, distance)
        for i in range(stop - start):
            if distance[i] < nearest[start + i]:
                nearest[start + i] = distance[i]
            total += nearest[start + i]
    return total


@numba.njit(nogil=True, cache=True)
def nearest_two(
    numbers: Any,
    codes: Any,
    gammas: Any,
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
            _distances(numbers, codes, gammas, centres[g], modes[g], start, stop, table[g])
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
def pair_distances(numbers: Any, codes: Any, gammas: Any, first: int, last: int, out: Any) -> None:
    """√D between rows ``first`` to ``last`` and every row, into ``out`` (last − first, m)."""
    m = numbers.shape[1]
    for row in range(first, last):
        line = out[row - first]
        for start in range(0, m, BLOCK):
            stop = min(start + BLOCK, m)
            part = line[start:stop]
            _distances(numbers, codes, gammas, numbers[:, row], codes[:, row], start, stop, part)
            for i in range(stop - start):
                part[i] = np.sqrt(part[i])
