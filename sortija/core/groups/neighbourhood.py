"""A map that puts alike customers side by side: nearest neighbours, laid out by springs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts
from sortija.core.groups.components import components_of
from sortija.core.groups.distances import BLOCK, distances, row_of
from sortija.core.groups.lloyd import assign_once, lloyd
from sortija.core.groups.recipe import Prepared
from sortija.core.groups.seeding import seed_centres
from sortija.core.progress import Progress, silent

__all__ = ["Neighbourhood", "nearest_rows", "neighbourhood_of", "trustworthiness"]

#: Rows that are laid out themselves; the others take their place from them.
MOST_ROWS = 20_000
NEIGHBOURS, ROUNDS, STRANGERS = 15, 200, 5
#: The map is judged by as many neighbours as somebody takes in at a look, on a sample.
LOOK, JUDGED = 12, 2_000
_SLICE, _BETWEEN, _CELLS, _SEARCHED = 10, 5, 128, 4
_ROWS, _PART = 256, 8_192


@dataclass(frozen=True)
class Neighbourhood:
    """``points``: (m, 2) float64 places of all rows; ``laid_out``: (s,) the rows that were laid
    out themselves; ``trustworthiness``: 1 where all who stand side by side are alike, about 0.5
    where neighbours are strangers; ``exact``: every row was laid out."""

    points: NDArray[np.float64]
    laid_out: NDArray[np.int64]
    trustworthiness: float
    exact: bool


def neighbourhood_of(
    rows: Prepared, seed: int, engine: Engine | None = None, progress: Progress = silent
) -> Neighbourhood:
    """Lay out at most 20,000 rows by their nearest neighbours; the rest stand amid theirs.

    Begins at the first two components. Neighbours in the prepared space draw each other along
    the gradient of ln(1 + d²), random rows push each other away (the objective of Tang et al.
    2016); steps shrink to nothing. Seeded and on one thread, so the same rows give the same map.
    """
    engine = engine or Engine(1)
    m = len(rows)
    chosen = np.arange(m)
    if m > MOST_ROWS:
        rng = np.random.default_rng([seed, 19])
        chosen = np.sort(rng.choice(m, MOST_ROWS, replace=False))
    some = rows if len(chosen) == m else rows.take(chosen)
    near = nearest_rows(some, min(NEIGHBOURS, max(len(some) - 1, 0)), engine, progress)
    points = _start(some, engine)
    if len(some) > 2:
        for done in range(0, ROUNDS, _SLICE):
            progress("laying out", done, ROUNDS)
            _pull(points, near, seed * 7919 + 1, done, _SLICE, ROUNDS, STRANGERS)
    points -= points.mean(axis=0)
    trust = trustworthiness(some, points, seed, engine)
    if len(some) == m:
        return Neighbourhood(points, chosen, trust, True)
    placed = _rest(rows, some, chosen, points, seed, engine, progress)
    return Neighbourhood(placed, chosen, trust, False)


def _start(rows: Prepared, engine: Engine) -> NDArray[np.float64]:
    found = components_of(rows, 2, engine)
    points = np.zeros((len(rows), 2))
    scores = found.scores(rows, engine)
    points[:, : scores.shape[1]] = scores
    spread = points.std(axis=0)
    points *= np.divide(3.0, spread, out=np.zeros(2), where=spread > 0)
    # Alike rows must not stand on one another to begin with: nothing would push them apart.
    points += np.random.default_rng(29).normal(0, 1e-3, points.shape)
    return points


@numba.njit(nogil=True, cache=True)
def _nearest(
    numbers: Any, codes: Any, gammas: Any, gower: bool, first: int, last: int, out: Any
) -> None:
    """For rows ``first`` to ``last`` their nearest other rows in order, into ``out`` (m, k)."""
    m, k = numbers.shape[1], out.shape[1]
    line = np.empty(BLOCK, np.float32)
    best = np.empty(k, np.float32)
    for row in range(first, last):
        best[:] = np.inf
        out[row] = -1
        own, kinds = row_of(numbers, row), row_of(codes, row)
        for start in range(0, m, BLOCK):
            stop = min(start + BLOCK, m)
            distances(numbers, codes, gammas, gower, own, kinds, start, stop, line)
            for i in range(stop - start):
                away = line[i]
                if away >= best[k - 1] or start + i == row:
                    continue
                place = k - 1
                while place > 0 and best[place - 1] > away:
                    best[place] = best[place - 1]
                    out[row, place] = out[row, place - 1]
                    place -= 1
                best[place] = away
                out[row, place] = start + i


def nearest_rows(
    rows: Prepared, count: int, engine: Engine | None = None, progress: Progress = silent
) -> NDArray[np.int32]:
    """(m, count) the nearest other rows of each row in the prepared space, nearest first, ties to
    the lowest row; by looking at every pair."""
    m = len(rows)
    out = np.empty((m, count), np.int32)
    if count == 0:
        return out
    gammas = rows.gammas

    def part(first: int) -> None:
        last = min(first + _ROWS, m)
        _nearest(rows.numbers, rows.codes, gammas, rows.gower, first, last, out)

    firsts = range(0, m, _ROWS)
    (engine or Engine(1)).map(
        part, firsts, lambda first: Parts(writes=[(out, slice(first, min(first + _ROWS, m)))]),
        lambda done: progress("looking for neighbours", done, len(firsts)),
    )  # fmt: skip
    return out


@numba.njit(nogil=True, cache=True)
def _pull(
    points: Any, near: Any, seed: int, done: int, rounds: int, of: int, strangers: int
) -> None:
    """Some rounds in which every row is drawn to each neighbour and pushed from strangers."""
    m = len(points)
    state = np.uint64(seed) * np.uint64(2862933555777941757) + np.uint64(3037000493 + done)
    for number in range(done, done + rounds):
        step = 1.0 - number / of
        for i in range(m):
            for place in range(near.shape[1]):
                j: Any = np.int64(near[i, place])
                x, y = points[i, 0] - points[j, 0], points[i, 1] - points[j, 1]
                pull = -2.0 / (1.0 + x * x + y * y)
                _move(points, i, pull * x, pull * y, step)
                _move(points, j, -pull * x, -pull * y, step)
            for _ in range(strangers):
                # Marsaglia's shift register (2003): the same everywhere, and quick.
                state ^= state << np.uint64(13)
                state ^= state >> np.uint64(7)
                state ^= state << np.uint64(17)
                j = int(state % np.uint64(m))
                if j == i:
                    continue
                x, y = points[i, 0] - points[j, 0], points[i, 1] - points[j, 1]
                squared = x * x + y * y
                push = 2.0 * near.shape[1] / strangers / ((0.01 + squared) * (1.0 + squared))
                _move(points, i, push * x, push * y, step)


@numba.njit(nogil=True, cache=True)
def _move(points: Any, row: int, x: float, y: float, step: float) -> None:
    """Take a step, none longer than the map can bear."""
    points[row, 0] += step * min(max(x, -2.0), 2.0)
    points[row, 1] += step * min(max(y, -2.0), 2.0)


def trustworthiness(
    rows: Prepared, points: NDArray[np.float64], seed: int, engine: Engine | None = None
) -> float:
    """Whether those who stand side by side are alike (Venna & Kaski 2001), 12 neighbours each.

    1 − 2/(nκ(2n − 3κ − 1)) Σ (r_ij − κ) over those among the κ nearest on the map that are not
    among the κ nearest in the prepared space, r_ij their rank there; on at most 2,000 rows.
    """
    n = len(rows)
    chosen = np.arange(n)
    if n > JUDGED:
        chosen = np.sort(np.random.default_rng([seed, 23]).choice(n, JUDGED, replace=False))
    some, at = rows.take(chosen), points[chosen]
    n = len(chosen)
    look = min(LOOK, (n - 1) // 2)
    if look < 1:
        return 1.0
    gammas = rows.gammas

    def part(bounds: tuple[int, int]) -> float:
        return _strangers(
            some.numbers, some.codes, gammas, some.gower, at, look, *bounds
        )  # fmt: skip

    bounds = [(a, min(a + _ROWS, n)) for a in range(0, n, _ROWS)]
    penalty = sum((engine or Engine(1)).map(part, bounds))
    return float(1 - 2 * penalty / (n * look * (2 * n - 3 * look - 1)))


@numba.njit(nogil=True, cache=True)
def _strangers(
    numbers: Any, codes: Any, gammas: Any, gower: bool, at: Any, look: int, first: int, last: int
) -> float:
    n = len(at)
    away = np.empty(n, np.float32)
    seen = np.empty(n)
    rank = np.empty(n, np.int64)
    begin: Any = np.int64(0)
    total = 0.0
    for row in range(first, last):
        own, kinds = row_of(numbers, row), row_of(codes, row)
        distances(numbers, codes, gammas, gower, own, kinds, begin, n, away)
        away[row] = -1.0
        for j in range(n):
            x, y = at[j, 0] - at[row, 0], at[j, 1] - at[row, 1]
            seen[j] = x * x + y * y
        seen[row] = -1.0
        order = np.argsort(away, kind="mergesort")
        for place in range(n):
            rank[order[place]] = place
        by_map = np.argsort(seen, kind="mergesort")
        for place in range(1, look + 1):
            total += max(rank[by_map[place]] - look, 0)
    return total


def _rest(
    rows: Prepared, some: Prepared, chosen: NDArray[np.int64], points: NDArray[np.float64],
    seed: int, engine: Engine, progress: Progress,
) -> NDArray[np.float64]:  # fmt: skip
    """Rows that were not laid out stand amid the five nearest that were.

    Looked for in the four nearest of 128 cells, not among all 20,000.
    """
    rng = np.random.default_rng([seed, 31])
    centres = lloyd(some, seed_centres(some, min(_CELLS, len(some)), rng), engine, 10).centres
    cell = assign_once(some, centres, engine)[0]
    order = np.argsort(cell, kind="stable")
    begins = np.searchsorted(cell[order], np.arange(len(centres) + 1))
    sorted_rows, places = some.take(order), points[order]
    out = np.empty((len(rows), 2))
    gammas = rows.gammas

    def part(bounds: tuple[int, int]) -> None:
        _amid(rows.numbers, rows.codes, gammas, rows.gower, sorted_rows.numbers, sorted_rows.codes,
              centres.numbers, centres.modes, begins, places, *bounds, out)  # fmt: skip

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts(rows.parts(*bounds), [(out, slice(*bounds))])

    blocks = [(a, min(a + _PART, len(rows))) for a in range(0, len(rows), _PART)]
    engine.map(
        part, blocks, touched, lambda done: progress("placing the others", done, len(blocks))
    )
    out[chosen] = points
    return out


@numba.njit(nogil=True, cache=True)
def _amid(
    numbers: Any, codes: Any, gammas: Any, gower: bool, laid: Any, kinds: Any, centres: Any,
    modes: Any, begins: Any, places: Any, first: int, last: int, out: Any,
) -> None:  # fmt: skip
    begin: Any = np.int64(0)
    k = centres.shape[0]
    by_row = np.ascontiguousarray(centres.T)
    modes_by_row = np.ascontiguousarray(modes.T)
    cells = np.empty(k, np.float32)
    line = np.empty(laid.shape[1], np.float32)
    for row in range(first, last):
        own, kind = row_of(numbers, row), row_of(codes, row)
        distances(by_row, modes_by_row, gammas, gower, own, kind, begin, k, cells)
        x, y, weight = 0.0, 0.0, 0.0
        best = np.full(_BETWEEN, np.float32(np.inf))
        who = np.full(_BETWEEN, -1)
        for _ in range(min(_SEARCHED, k)):
            cell = np.argmin(cells)
            cells[cell] = np.inf
            start, stop = begins[cell], begins[cell + 1]
            distances(laid, kinds, gammas, gower, own, kind, start, stop, line)
            for i in range(stop - start):
                if line[i] >= best[-1]:
                    continue
                place = _BETWEEN - 1
                while place > 0 and best[place - 1] > line[i]:
                    best[place], who[place] = best[place - 1], who[place - 1]
                    place -= 1
                best[place], who[place] = line[i], start + i
        for place in range(_BETWEEN):
            if who[place] >= 0:
                near = 1.0 / (1e-6 + best[place])
                x += near * places[who[place], 0]
                y += near * places[who[place], 1]
                weight += near
        out[row, 0], out[row, 1] = x / weight, y / weight
