"""Distances, assignment and sums, block by block, so that the inner loops run over rows.

Numbers lie column by column: a block of rows stays in the cache while every group and column
is walked, and the compiler turns the inner loops into vector instructions. No ``fastmath``:
sums keep their order, so results are the same on any number of threads.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["assign", "nearest_two", "pair_distances", "update_nearest"]

BLOCK = 1024


@numba.njit(nogil=True, cache=True)
def _distances(
    numbers: Any, codes: Any, gammas: Any, centre: Any, mode: Any, start: int, stop: int, out: Any
) -> None:
    """D of rows ``start`` to ``stop`` to one centre, into the first places of ``out``."""
    size = stop - start
    for i in range(size):
        out[i] = 0.0
    for j in range(numbers.shape[0]):
        c = centre[j]
        column = numbers[j, start:stop]
        for i in range(size):
            t = column[i] - c
            out[i] += t * t
    for a in range(codes.shape[0]):
        m = mode[a]
        gamma = gammas[a]
        column8 = codes[a, start:stop]
        for i in range(size):
            out[i] += gamma if column8[i] != m else np.float32(0.0)


@numba.njit(nogil=True, cache=True)
def assign(
    numbers: Any, codes: Any, labels: Any, gammas: Any, centres: Any, modes: Any, levels: int
) -> Any:
    """Put every row of a chunk with its nearest centre; ties go to the lowest number.

    ``numbers`` (d, m) float32, ``codes`` (q, m) uint8, ``labels`` (m,) int32 (written),
    ``centres`` (k, d) float32, ``modes`` (k, q) uint8.

    Returns (cost, changed, sums (k, d), counts (k,), hist (k, q, levels), farthest place and its
    D): all of the chunk, to be merged in chunk order.
    """
    k, d, q, m = centres.shape[0], numbers.shape[0], codes.shape[0], len(labels)
    sums = np.zeros((k, d))
    counts = np.zeros(k, np.int64)
    hist = np.zeros((k, q, levels), np.int64)
    distance = np.empty(BLOCK, np.float32)
    best = np.empty(BLOCK, np.float32)
    who = np.empty(BLOCK, np.int32)
    cost, changed = 0.0, 0
    far, far_distance = 0, np.float32(-1.0)
    for start in range(0, m, BLOCK):
        stop = min(start + BLOCK, m)
        size = stop - start
        for g in range(k):
            _distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            if g == 0:
                for i in range(size):
                    best[i] = distance[i]
                    who[i] = 0
            else:
                for i in range(size):
                    nearer = distance[i] < best[i]
                    who[i] = g if nearer else who[i]
                    best[i] = distance[i] if nearer else best[i]
        for i in range(size):
            cost += best[i]
            counts[who[i]] += 1
            if best[i] > far_distance:
                far, far_distance = start + i, best[i]
            if labels[start + i] != who[i]:
                changed += 1
                labels[start + i] = who[i]
        for j in range(d):
            column = numbers[j, start:stop]
            for i in range(size):
                sums[who[i], j] += column[i]
        for a in range(q):
            column8 = codes[a, start:stop]
            for i in range(size):
                hist[who[i], a, column8[i]] += 1
    return cost, changed, sums, counts, hist, far, far_distance


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
    numbers: Any, codes: Any, gammas: Any, centres: Any, modes: Any, between: Any
) -> Any:
    """Nearest centre, its D, the rival with the smallest margin, and that margin, a row.

    The margin towards s is (D_s − D_own) / D(centre_s, centre_own): 0 on the border, 1 at the
    own centre; towards a coincident centre it is 0. ``between`` (k, k): D among the centres.
    """
    k, m = centres.shape[0], numbers.shape[1]
    labels = np.empty(m, np.int32)
    own = np.empty(m, np.float32)
    rival = np.empty(m, np.int32)
    margin = np.empty(m, np.float32)
    table = np.empty((k, BLOCK), np.float32)
    for start in range(0, m, BLOCK):
        stop = min(start + BLOCK, m)
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
            labels[start + i] = who
            own[start + i] = table[who, i]
            rival[start + i] = other
            margin[start + i] = least if k > 1 else np.float32(1.0)
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
