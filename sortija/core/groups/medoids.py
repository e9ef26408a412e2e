"""k-medoids: groups around customers who are there, by swaps (Schubert & Rousseeuw 2021)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts
from sortija.core.groups.distances import pair_distances
from sortija.core.groups.recipe import Prepared, RecipeError
from sortija.core.progress import Progress, silent

__all__ = ["MOST_ROWS", "Medoids", "distance_matrix", "medoid_of", "swap_medoids"]

#: Most rows, for all distances among them are kept.
MOST_ROWS = 10_000
_BLOCK, _SLICE = 250, 500
#: A swap must gain more than rounding could feign, as a share of the whole.
_GUARD = 1e-9


@dataclass(frozen=True)
class Medoids:
    """``rows``: (k,) the medoids; ``labels``: (n,) int32 nearest medoid; ``cost``: sum of the
    distances to them; ``swaps``: how many were made."""

    rows: NDArray[np.int64]
    labels: NDArray[np.int32]
    cost: float
    swaps: int


def distance_matrix(
    rows: Prepared, engine: Engine | None = None, progress: Progress = silent
) -> NDArray[np.float32]:
    """(n, n) distances among all rows: Gower's, or √D.

    Raises
    ------
    RecipeError
        More than 10,000 rows.
    """
    m = len(rows)
    if m > MOST_ROWS:
        raise RecipeError(
            f"k-medoids takes at most {MOST_ROWS:,} customers, and there are {m:,}. "
            "Take k-prototypes, or fewer customers."
        )
    out = np.empty((m, m), np.float32)
    gammas = rows.gammas

    def block(first: int) -> None:
        last = min(first + _BLOCK, m)
        pair_distances(rows.numbers, rows.codes, gammas, rows.gower, first, last, out[first:last])

    firsts = range(0, m, _BLOCK)
    (engine or Engine(1)).map(
        block, firsts, lambda first: Parts(writes=[(out, slice(first, min(first + _BLOCK, m)))]),
        lambda done: progress("measuring distances", done, len(firsts)),
    )  # fmt: skip
    return out


def swap_medoids(
    distance: NDArray[np.float32], start: NDArray[np.int64], progress: Progress = silent
) -> Medoids:
    """Swap a medoid for another row while that lowers the cost; no single swap does at the end.

    One look at a candidate weighs it against all k medoids in n steps, so that a round over all
    candidates grows with n² whatever k is.

    Parameters
    ----------
    distance : (n, n) float32
    start : (k,) different rows
    """
    n, k = len(distance), len(start)
    medoids = start.astype(np.int64).copy()
    nearest, second = np.empty(n, np.int32), np.empty(n, np.int32)
    _near_two(distance, medoids, nearest, second)
    loss, delta = np.empty(k), np.empty(k)
    candidate, idle, swaps = 0, 0, 0
    while idle < n:
        progress("swapping medoids", idle, n)
        candidate, idle, more = _swap(
            distance, medoids, nearest, second, loss, delta, candidate, idle, _SLICE
        )
        swaps += more
    cost = float(distance[np.arange(n), medoids[nearest]].sum(dtype=np.float64))
    return Medoids(medoids, nearest, cost, swaps)


@numba.njit(nogil=True, cache=True)
def _near_two(distance: Any, medoids: Any, nearest: Any, second: Any) -> None:
    """Which medoid is nearest and which next to each row; ties to the lowest, itself first."""
    for i in range(len(nearest)):
        best, other = -1, -1
        for g in range(len(medoids)):
            away = distance[i, medoids[g]]
            if best < 0 or away < distance[i, medoids[best]] or medoids[g] == i:
                other, best = best, g
            elif other < 0 or away < distance[i, medoids[other]]:
                other = g
        nearest[i], second[i] = best, other


@numba.njit(nogil=True, cache=True)
def _losses(distance: Any, medoids: Any, nearest: Any, second: Any, loss: Any) -> float:
    """What it would cost to leave out each medoid; returns the cost as it is."""
    loss[:] = 0.0
    cost = 0.0
    for i in range(len(nearest)):
        own = np.float64(distance[i, medoids[nearest[i]]])
        cost += own
        if second[i] >= 0:
            loss[nearest[i]] += distance[i, medoids[second[i]]] - own
    return cost


@numba.njit(nogil=True, cache=True)
def _swap(
    distance: Any, medoids: Any, nearest: Any, second: Any, loss: Any, delta: Any,
    candidate: int, idle: int, looks: int,
) -> Any:  # fmt: skip
    """Look at ``looks`` candidates and swap where that gains at once (FasterPAM)."""
    n, k = len(nearest), len(medoids)
    cost = _losses(distance, medoids, nearest, second, loss)
    swaps = 0
    for _ in range(looks):
        if idle >= n:
            break
        taken = False
        for g in range(k):
            taken = taken or medoids[g] == candidate
        if not taken:
            delta[:] = loss
            gain = 0.0
            for i in range(n):
                away = np.float64(distance[candidate, i])
                near = np.float64(distance[i, medoids[nearest[i]]])
                if second[i] < 0:
                    delta[nearest[i]] += away - near
                    continue
                next_ = np.float64(distance[i, medoids[second[i]]])
                if away < near:
                    gain += away - near
                    delta[nearest[i]] += near - next_
                elif away < next_:
                    delta[nearest[i]] += away - next_
            best = 0
            for g in range(1, k):
                if delta[g] < delta[best]:
                    best = g
            if delta[best] + gain < -_GUARD * max(cost, 1.0):
                medoids[best] = candidate
                _near_two(distance, medoids, nearest, second)
                cost = _losses(distance, medoids, nearest, second, loss)
                swaps += 1
                idle = 0
        candidate = (candidate + 1) % n
        idle += 1
    return candidate, idle, swaps


def medoid_of(distance: NDArray[np.float32], members: NDArray[np.int64]) -> int:
    """The member with the least sum of distances to the others, the first of equals.

    >>> near = np.abs(np.subtract.outer([0, 4, 5, 9], [0, 4, 5, 9])).astype(np.float32)
    >>> medoid_of(near, np.array([0, 1, 2]))
    1
    """
    sums = distance[np.ix_(members, members)].sum(axis=1, dtype=np.float64)
    return int(members[int(np.argmin(sums))])
