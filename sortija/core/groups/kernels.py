"""Assignment, sums and starts of the passes, over blocks of rows as distances are."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.groups.distances import BLOCK, row_of, squared_distances

__all__ = [
    "assign",
    "exchange",
    "farthest",
    "keep_nearer",
    "move_row",
    "seed_far",
    "settle",
    "update_nearest",
]


@numba.njit(nogil=True, cache=True)
def keep_nearer(distance: Any, best: Any, who: Any, group: Any) -> None:
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
def move_row(
    numbers: Any, codes: Any, at: int, before: int, after: int, sums: Any, counts: Any, hist: Any
) -> None:
    """Take the row whose values stand at ``at`` out of one group and add it to another."""
    counts[before] -= 1
    counts[after] += 1
    for j in range(numbers.shape[0]):
        x = np.float64(numbers[j, at])
        sums[before, j] -= x
        sums[after, j] += x
    for a in range(codes.shape[0]):
        code = codes[a, at]
        hist[before, a, code] -= 1
        hist[after, a, code] += 1


@numba.njit(nogil=True, cache=True)
def _move_changed(
    numbers: Any, codes: Any, old: Any, who: Any, start: int, sums: Any, counts: Any, hist: Any
) -> None:
    """Take the rows that changed out of their old groups and add them to the new ones."""
    for i in range(len(who)):
        if old[i] != who[i]:
            move_row(numbers, codes, start + i, old[i], who[i], sums, counts, hist)


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
    # Chunks' sums lie side by side: threads that change them in place wait for each other's lines.
    own_sums, own_counts, own_hist = sums.copy(), counts.copy(), hist.copy()
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
            squared_distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            keep_nearer(distance, near, holder, g)
        cost += _block_sum(near)
        old = labels[start:stop]
        if fresh:
            _add_all(numbers, codes, holder, start, stop, own_sums, own_counts, own_hist)
            changed += stop - start
        else:
            differ = _count_different(old, holder)
            changed += differ
            if differ:
                _move_changed(numbers, codes, old, holder, start, own_sums, own_counts, own_hist)
        for i in range(len(old)):
            old[i] = holder[i]
    sums[:], counts[:], hist[:] = own_sums, own_counts, own_hist
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
            squared_distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            for i in range(stop - start):
                if labels[start + i] == g and distance[i] > most:
                    row, most = start + i, distance[i]
    return row, most


@numba.njit(nogil=True, cache=True)
def settle(
    numbers: Any, codes: Any, labels: Any, gammas: Any, centres: Any, modes: Any,
    levels: int, most_passes: int,
) -> Any:  # fmt: skip
    """Passes over rows of one chunk until nobody moves; ``centres`` and ``modes`` are changed.

    Returns (cost, counts (k,) int64, passes, settled). The centres left are those by which
    ``labels`` (m,), −1 before the call, were given.
    """
    k, d, q = centres.shape[0], numbers.shape[0], codes.shape[0]
    # A bare 0 is a type of its own to the compiler, which would compile the passes once more.
    first: Any = np.int64(0)
    m = len(labels)
    sums, counts = np.zeros((k, d)), np.zeros(k, np.int64)
    hist = np.zeros((k, q, levels), np.int64)
    for number in range(1, most_passes + 1):
        cost, changed = assign(
            numbers, codes, labels, gammas, centres, modes, first, m, sums, counts, hist
        )
        empty, row, far = -1, 0, np.float32(0.0)
        for g in range(k):
            if counts[g] == 0 and empty < 0:
                empty = g
        if empty >= 0:
            row, far = farthest(numbers, codes, labels, gammas, centres, modes, first, m)
        settled = changed == 0 and far <= 0
        if settled or number == most_passes:
            return cost, counts, number, settled
        for g in range(k):
            if counts[g] == 0:
                continue
            for j in range(d):
                centres[g, j] = np.float32(sums[g, j] / counts[g])
            for a in range(q):
                most = 0
                for level in range(levels):
                    if hist[g, a, level] > hist[g, a, most]:
                        most = level
                modes[g, a] = most
        if far > 0:
            for j in range(d):
                centres[empty, j] = numbers[j, row]
            for a in range(q):
                modes[empty, a] = codes[a, row]
    return 0.0, counts, 0, False


@numba.njit(nogil=True, cache=True)
def _two_nearest(
    numbers: Any, codes: Any, gammas: Any, centres: Any, modes: Any, near: Any, second: Any,
    away: Any,
) -> None:  # fmt: skip
    """D to the nearest centre and to the next (m,); ``away``: running sum of the first."""
    distance = np.empty(BLOCK, np.float32)
    m = len(near)
    near[:] = np.float32(np.inf)
    second[:] = np.float32(np.inf)
    for start in range(0, m, BLOCK):
        stop = min(start + BLOCK, m)
        for g in range(centres.shape[0]):
            squared_distances(numbers, codes, gammas, centres[g], modes[g], start, stop, distance)
            for i in range(stop - start):
                if distance[i] < near[start + i]:
                    second[start + i] = near[start + i]
                    near[start + i] = distance[i]
                elif distance[i] < second[start + i]:
                    second[start + i] = distance[i]
    total = 0.0
    for i in range(m):
        total += near[i]
        away[i] = total


@numba.njit(nogil=True, cache=True)
def _least_missed(
    numbers: Any, codes: Any, gammas: Any, row: int, labels: Any, near: Any, second: Any,
    missed: Any,
) -> Any:  # fmt: skip
    """(change of cost, group): once a centre stands at ``row``, whose own centre is missed least.

    As in swap-based k-medoids (Schubert & Rousseeuw 2021), one walk over the rows tells it of
    every group.
    """
    distance = np.empty(BLOCK, np.float32)
    own, kinds = row_of(numbers, row), row_of(codes, row)
    missed[:] = 0.0
    m, gained = len(labels), 0.0
    for start in range(0, m, BLOCK):
        stop = min(start + BLOCK, m)
        squared_distances(numbers, codes, gammas, own, kinds, start, stop, distance)
        for i in range(stop - start):
            at = start + i
            here = min(near[at], distance[i])
            gained += near[at] - here
            missed[labels[at]] += min(second[at], distance[i]) - here
    g = int(np.argmin(missed))
    return missed[g] - gained, g


@numba.njit(nogil=True, cache=True)
def _by_mode(
    numbers: Any, codes: Any, gammas: Any, centre: Any, kinds: Any, g: int, labels: Any,
    near: Any, second: Any,
) -> float:  # fmt: skip
    """Change of cost once the centre of group ``g`` has these modes."""
    distance = np.empty(BLOCK, np.float32)
    m, change = len(labels), 0.0
    for start in range(0, m, BLOCK):
        stop = min(start + BLOCK, m)
        squared_distances(numbers, codes, gammas, centre, kinds, start, stop, distance)
        for i in range(stop - start):
            at = start + i
            other = second[at] if labels[at] == g else near[at]
            change += min(other, distance[i]) - near[at]
    return change


@numba.njit(nogil=True, cache=True)
def exchange(
    numbers: Any, codes: Any, labels: Any, gammas: Any, centres: Any, modes: Any, levels: int,
    cost: float, draws: Any, short: int, slack: float, most_passes: int,
) -> Any:  # fmt: skip
    """Try changes that no pass makes by itself, and keep those that lower the cost.

    Each of ``draws`` (t, b, 3), uniform in 0..1, proposes b changes of one kind. A row is drawn,
    the farther from its centre the likelier, and either a centre goes there, that of the group
    which is missed least, or a drawn group takes one of the row's codes for its mode. The change
    that costs least at once is made, passes run, and after ``short`` of them only what came
    within ``slack`` of the cost goes on. ``labels``, ``centres`` and ``modes`` are changed.

    Returns (cost, counts (k,) int64, changes kept).
    """
    k, d, q, m = centres.shape[0], numbers.shape[0], codes.shape[0], len(labels)
    near, second = np.empty(m, np.float32), np.empty(m, np.float32)
    away, missed, kept = np.empty(m), np.empty(k), 0
    counts = np.zeros(k, np.int64)
    for i in range(m):
        counts[labels[i]] += 1
    _two_nearest(numbers, codes, gammas, centres, modes, near, second, away)
    for t in range(draws.shape[0]):
        flips = t % 2 == 0
        least, at_row, at_group, at_code = np.inf, 0, 0, 0
        for b in range(draws.shape[1]):
            row = min(np.searchsorted(away, draws[t, b, 0] * away[m - 1], side="right"), m - 1)
            a = 0
            if flips:
                g = min(int(draws[t, b, 1] * k), k - 1)
                a = min(int(draws[t, b, 2] * q), q - 1)
                if modes[g, a] == codes[a, row]:
                    continue
                kinds = modes[g].copy()
                kinds[a] = codes[a, row]
                change = _by_mode(
                    numbers, codes, gammas, centres[g], kinds, g, labels, near, second
                )
            else:
                change, g = _least_missed(numbers, codes, gammas, row, labels, near, second, missed)
            if change < least:
                least, at_row, at_group, at_code = change, row, g, a
        if least == np.inf:
            continue
        tried, kinds = centres.copy(), modes.copy()
        if flips:
            kinds[at_group, at_code] = codes[at_code, at_row]
        else:
            for j in range(d):
                tried[at_group, j] = numbers[j, at_row]
            for a in range(q):
                kinds[at_group, a] = codes[a, at_row]
        own = np.full(m, np.int32(-1), np.int32)
        found, there, _, settled = settle(numbers, codes, own, gammas, tried, kinds, levels, short)
        if found > cost * (1.0 + slack):
            continue
        if not settled:
            own[:] = -1
            found, there, _, settled = settle(
                numbers, codes, own, gammas, tried, kinds, levels, most_passes
            )
        if found < cost * (1.0 - 1e-9):
            cost = found
            centres[:], modes[:], labels[:], counts[:] = tried, kinds, own, there
            kept += 1
            _two_nearest(numbers, codes, gammas, centres, modes, near, second, away)
    return cost, counts, kept


@numba.njit(nogil=True, cache=True)
def seed_far(numbers: Any, codes: Any, gammas: Any, first: int, draws: Any, picks: Any) -> None:
    """k-means++ by ``draws`` (k − 1,) uniform in 0..1: rows of the centres into ``picks`` (k,)."""
    m = numbers.shape[1]
    nearest = np.full(m, np.float32(np.inf), np.float32)
    picks[0] = first
    for place in range(len(draws)):
        row = picks[place]
        own, kinds = row_of(numbers, row), row_of(codes, row)
        update_nearest(numbers, codes, nearest, gammas, own, kinds)
        total = 0.0
        for i in range(m):
            total += nearest[i]
        # All rows sit on a centre already: any row does.
        if total <= 0:
            picks[place + 1] = min(int(draws[place] * m), m - 1)
            continue
        wanted, so_far, found = draws[place] * total, 0.0, m - 1
        for i in range(m):
            so_far += nearest[i]
            if so_far > wanted:
                found = i
                break
        picks[place + 1] = found


@numba.njit(nogil=True, cache=True)
def update_nearest(
    numbers: Any, codes: Any, nearest: Any, gammas: Any, centre: Any, mode: Any
) -> float:
    """Lower ``nearest`` (m,) float32 to the D to one more centre; returns their float64 sum."""
    distance = np.empty(BLOCK, np.float32)
    total = 0.0
    for start in range(0, len(nearest), BLOCK):
        stop = min(start + BLOCK, len(nearest))
        squared_distances(numbers, codes, gammas, centre, mode, start, stop, distance)
        for i in range(stop - start):
            if distance[i] < nearest[start + i]:
                nearest[start + i] = distance[i]
            total += nearest[start + i]
    return total
