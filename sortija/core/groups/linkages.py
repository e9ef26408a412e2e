"""Ward, single, complete and average linkage, none of them with more memory than it needs."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts
from sortija.core.groups.distances import BLOCK, distances, row_of
from sortija.core.groups.recipe import Linkage, Prepared, RecipeError
from sortija.core.groups.tree import Tree, tree_of
from sortija.core.progress import Progress, silent

__all__ = ["MOST_EXACT", "MOST_MATRIX", "coordinates", "link", "ward"]

#: Most rows that Ward and single linkage take one by one; most that a matrix is made of.
MOST_EXACT, MOST_MATRIX = 30_000, 12_000
#: Merges between two looks at whether to stop.
_SLICE = 256
_ROWS = 64


def coordinates(rows: Prepared) -> NDArray[np.float64]:
    """(columns, m) points whose squared distances are D: each level of a category a column of 0
    and √(γ/2), so that two rows that differ are γ apart."""
    parts = [rows.numbers.astype(np.float64)]
    for codes, gamma in zip(rows.codes, rows.gammas.astype(np.float64), strict=True):
        levels = np.unique(codes)
        parts.append((codes[None] == levels[:, None]) * np.sqrt(gamma / 2))
    return np.ascontiguousarray(np.concatenate(parts))


def link(
    rows: Prepared, linkage: Linkage, engine: Engine | None = None, progress: Progress = silent
) -> Tree:
    """The tree of all rows; heights as SciPy's ``linkage`` has them.

    Euclidean heights are of √D (Ward: √(2ΔSS)), Gower's of his distance.

    Raises
    ------
    RecipeError
        Too many rows for this linkage, or Ward with Gower's distance.
    """
    engine = engine or Engine(1)
    m = len(rows)
    if linkage == "ward" and rows.gower:
        raise RecipeError("Ward needs Euclidean distances. Take average linkage with Gower's.")
    most = MOST_EXACT if linkage in ("ward", "single") else MOST_MATRIX
    if m > most:
        raise RecipeError(
            f"{linkage.capitalize()} linkage takes at most {most:,} customers, and there are {m:,}."
            + (" Take Ward, or fewer customers." if linkage != "ward" else "")
        )
    if linkage == "ward":
        return ward(coordinates(rows), np.ones(m, np.int64), progress)
    if linkage == "single":
        return _single(rows, progress)
    return _by_matrix(rows, linkage == "complete", engine, progress)


def ward(
    points: NDArray[np.float64], weights: NDArray[np.int64], progress: Progress = silent
) -> Tree:
    """Ward's tree by the chain of nearest neighbours on centroids (Murtagh 1983), without a matrix.

    Parameters
    ----------
    points : (columns, n) float64
    weights : (n,) int64
        Rows that each point stands for.

    >>> tree = ward(np.array([[0.0, 1.0, 10.0]]), np.ones(3, np.int64))
    >>> tree.heights.round(3).tolist()
    [1.0, 10.97]
    """
    n = points.shape[1]
    pairs, heights = np.empty((max(n - 1, 0), 2), np.int64), np.empty(max(n - 1, 0))
    place, sizes = points.copy(), weights.astype(np.float64)
    leaf, chain = np.arange(n), np.empty(n + 1, np.int64)
    away = np.empty(n)
    done, length = 0, 0
    while done < n - 1:
        progress("joining groups", done, n - 1)
        upto = min(done + _SLICE, n - 1)
        length = _ward_chain(place, sizes, leaf, chain, length, away, pairs, heights, done, upto)
        done = upto
    return tree_of(pairs, heights, weights)


@numba.njit(nogil=True, cache=True)
def _ward_from(place: Any, sizes: Any, left: int, one: int, away: Any) -> None:
    """Squared Ward distances (2ΔSS) of cluster ``one`` to the first ``left`` clusters."""
    line = away[:left]
    line[:] = 0.0
    for j in range(place.shape[0]):
        c = place[j, one]
        column = place[j, :left]
        for i in range(len(line)):
            t = column[i] - c
            so_far = line[i]
            line[i] = so_far + t * t
    own = sizes[one]
    size = sizes[:left]
    for i in range(len(line)):
        other, squared = size[i], line[i]
        line[i] = squared * (2.0 * own * other / (own + other))
    line[one] = np.inf


@numba.njit(nogil=True, cache=True)
def _least(line: Any) -> int:
    """Place of the smallest value, the first of equals: four lanes, so that none waits."""
    n = len(line)
    b0 = b1 = b2 = b3 = np.inf
    whole = n // 4 * 4
    for i in range(0, whole, 4):
        b0, b1 = min(b0, line[i]), min(b1, line[i + 1])
        b2, b3 = min(b2, line[i + 2]), min(b3, line[i + 3])
    for i in range(whole, n):
        b0 = min(b0, line[i])
    best = min(min(b0, b1), min(b2, b3))
    for i in range(n):
        if line[i] == best:
            return i
    return 0


@numba.njit(nogil=True, cache=True)
def _ward_chain(
    place: Any, sizes: Any, leaf: Any, chain: Any, length: int, away: Any,
    pairs: Any, heights: Any, done: int, upto: int,
) -> int:  # fmt: skip
    """Merges ``done`` to ``upto``; clusters that are left stand in front. Returns the chain's
    length."""
    left = len(leaf) - done
    while done < upto:
        if length == 0:
            chain[0] = 0
            length = 1
        while True:
            one = chain[length - 1]
            _ward_from(place, sizes, left, one, away)
            near = _least(away[:left])
            if length > 1:
                before = chain[length - 2]
                # On a tie the chain turns back; it could go round for ever otherwise.
                if away[before] <= away[near]:
                    near = before
                    break
            chain[length] = near
            length += 1
        a, b = min(one, near), max(one, near)
        length -= 2
        pairs[done, 0], pairs[done, 1] = leaf[a], leaf[b]
        heights[done] = np.sqrt(away[near])
        done += 1
        total = sizes[a] + sizes[b]
        left -= 1
        for j in range(place.shape[0]):
            place[j, a] = (sizes[a] * place[j, a] + sizes[b] * place[j, b]) / total
            place[j, b] = place[j, left]
        sizes[a] = total
        sizes[b], leaf[b] = sizes[left], leaf[left]
        for i in range(length):
            if chain[i] == left:
                chain[i] = b
    return length


def _single(rows: Prepared, progress: Progress) -> Tree:
    """Single linkage through the shortest spanning tree (Prim 1957), distances as they come."""
    m = len(rows)
    pairs, heights = np.empty((max(m - 1, 0), 2), np.int64), np.empty(max(m - 1, 0))
    nearest, beside = np.full(m, np.inf, np.float32), np.zeros(m, np.int64)
    inside = np.zeros(m, np.bool_)
    newest = 0
    for done in range(0, m - 1, _SLICE):
        progress("joining groups", done, m - 1)
        newest = _spanning(
            rows.numbers, rows.codes, rows.gammas, rows.gower, nearest, beside, inside, newest,
            pairs, heights, done, min(done + _SLICE, m - 1),
        )  # fmt: skip
    return tree_of(pairs, heights, np.ones(m, np.int64))


@numba.njit(nogil=True, cache=True)
def _spanning(
    numbers: Any, codes: Any, gammas: Any, gower: bool, nearest: Any, beside: Any, inside: Any,
    newest: int, pairs: Any, heights: Any, done: int, upto: int,
) -> int:  # fmt: skip
    """Edges ``done`` to ``upto`` of the shortest spanning tree; returns the row that came last."""
    m = numbers.shape[1]
    line = np.empty(BLOCK, np.float32)
    while done < upto:
        inside[newest] = True
        best, far = -1, np.float32(np.inf)
        own, kinds = row_of(numbers, newest), row_of(codes, newest)
        for start in range(0, m, BLOCK):
            stop = min(start + BLOCK, m)
            distances(numbers, codes, gammas, gower, own, kinds, start, stop, line)
            for i in range(stop - start):
                row = start + i
                if inside[row]:
                    continue
                if line[i] < nearest[row]:
                    nearest[row] = line[i]
                    beside[row] = newest
                if nearest[row] < far:
                    best, far = row, nearest[row]
        pairs[done, 0], pairs[done, 1] = beside[best], best
        heights[done] = far if gower else np.sqrt(np.float64(far))
        newest = best
        done += 1
    return newest


def _by_matrix(rows: Prepared, complete: bool, engine: Engine, progress: Progress) -> Tree:
    """Average and complete linkage on a condensed float32 matrix (Lance & Williams 1967)."""
    m = len(rows)
    matrix = np.empty(m * (m - 1) // 2, np.float32)

    def part(first: int) -> None:
        _condense(
            rows.numbers, rows.codes, rows.gammas, rows.gower, m, first, min(first + _ROWS, m),
            matrix,
        )  # fmt: skip

    def begins(row: int) -> int:
        """Where the distances of a row to those behind it begin."""
        return row * m - row * (row + 1) // 2

    firsts = range(0, m, _ROWS)
    engine.map(
        part, firsts,
        lambda first: Parts(
            writes=[(matrix, slice(begins(first), begins(min(first + _ROWS, m))))]
        ),
        lambda done: progress("measuring distances", done, len(firsts)),
    )  # fmt: skip
    pairs, heights = np.empty((max(m - 1, 0), 2), np.int64), np.empty(max(m - 1, 0))
    sizes, chain = np.ones(m, np.int64), np.empty(m + 1, np.int64)
    length = 0
    for done in range(0, m - 1, _SLICE):
        progress("joining groups", done, m - 1)
        length = _matrix_chain(
            matrix, sizes, chain, length, complete, pairs, heights, done, min(done + _SLICE, m - 1)
        )
    return tree_of(pairs, heights, np.ones(m, np.int64))


@numba.njit(nogil=True, cache=True)
def _condense(
    numbers: Any, codes: Any, gammas: Any, gower: bool, m: int, first: int, last: int, matrix: Any
) -> None:
    """Distances of rows ``first`` to ``last`` to the rows behind each of them."""
    for row in range(first, last):
        begin = row * m - row * (row + 1) // 2 - row - 1
        own, kinds = row_of(numbers, row), row_of(codes, row)
        for start in range(row + 1, m, BLOCK):
            stop = min(start + BLOCK, m)
            line = matrix[begin + start : begin + stop]
            distances(numbers, codes, gammas, gower, own, kinds, start, stop, line)
            if not gower:
                for i in range(len(line)):
                    line[i] = np.sqrt(line[i])


@numba.njit(nogil=True, cache=True)
def _at(m: int, a: int, b: int) -> int:
    """Where the distance of two rows stands in a condensed matrix."""
    if a > b:
        a, b = b, a
    return a * m - a * (a + 1) // 2 + b - a - 1


@numba.njit(nogil=True, cache=True)
def _matrix_chain(
    matrix: Any, sizes: Any, chain: Any, length: int, complete: bool,
    pairs: Any, heights: Any, done: int, upto: int,
) -> int:  # fmt: skip
    """Merges ``done`` to ``upto``; a cluster goes by one of its rows, size 0: it has gone."""
    m = len(sizes)
    while done < upto:
        if length == 0:
            one = 0
            while sizes[one] == 0:
                one += 1
            chain[0] = one
            length = 1
        while True:
            one = chain[length - 1]
            near, least = -1, np.float32(np.inf)
            if length > 1:
                near = chain[length - 2]
                least = matrix[_at(m, one, near)]
            for other in range(one):
                if sizes[other] > 0:
                    away = matrix[_at(m, other, one)]
                    if away < least:
                        near, least = other, away
            begin = one * m - one * (one + 1) // 2 - one - 1
            for other in range(one + 1, m):
                if sizes[other] > 0:
                    away = matrix[begin + other]
                    if away < least:
                        near, least = other, away
            if length > 1 and near == chain[length - 2]:
                break
            chain[length] = near
            length += 1
        length -= 2
        pairs[done, 0], pairs[done, 1] = one, near
        heights[done] = least
        done += 1
        gone, stays = min(one, near), max(one, near)
        for other in range(m):
            if sizes[other] == 0 or other in (gone, stays):
                continue
            here = _at(m, stays, other)
            x, y = np.float64(matrix[_at(m, gone, other)]), np.float64(matrix[here])
            if complete:
                matrix[here] = max(x, y)
            else:
                total = sizes[gone] + sizes[stays]
                matrix[here] = (sizes[gone] * x + sizes[stays] * y) / total
        sizes[stays] += sizes[gone]
        sizes[gone] = 0
    return length
