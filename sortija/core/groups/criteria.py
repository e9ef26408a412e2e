"""How well a grouping holds: silhouette, Calinski–Harabasz, Davies–Bouldin, stability."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.engines import lloyd, seed_centres
from sortija.core.groups.kernels import pair_distances
from sortija.core.groups.recipe import Prepared

__all__ = ["Silhouette", "Yard", "jaccard_stability", "measure_yard", "silhouette"]

SAMPLE = 5_000
_BLOCK = 250


@dataclass(frozen=True)
class Yard:
    """√D among a sample of rows, shared by every candidate: ``places`` (m,), ``distance``."""

    places: NDArray[np.int64]
    distance: NDArray[np.float32]
    exact: bool


@dataclass(frozen=True)
class Silhouette:
    """Mean over customers, and a group's own mean; exact or from the shared sample."""

    mean: float
    by_group: NDArray[np.float64]
    exact: bool


def measure_yard(rows: Prepared, seed: int, engine: Engine | None = None) -> Yard:
    """Distances among all rows where there are at most 5,000, else among a seeded 5,000."""
    engine = engine or Engine(1)
    m = len(rows)
    exact = m <= SAMPLE
    rng = np.random.default_rng([seed, 5])
    places = np.arange(m) if exact else np.sort(rng.choice(m, SAMPLE, replace=False))
    some = rows.take(places)
    out = np.empty((len(places), len(places)), np.float32)
    gammas = rows.gammas

    def block(first: int) -> None:
        last = min(first + _BLOCK, len(places))
        pair_distances(some.numbers, some.codes, gammas, first, last, out[first:last])

    engine.map(block, range(0, len(places), _BLOCK))
    return Yard(places, out, exact)


@numba.njit(nogil=True, cache=True)
def _widths(
    distance: NDArray[np.float32], labels: NDArray[np.int32], k: int, out: NDArray[np.float64]
) -> None:
    m = len(labels)
    counts = np.zeros(k, np.int64)
    for i in range(m):
        counts[labels[i]] += 1
    sums = np.zeros(k)
    for i in range(m):
        own = labels[i]
        if counts[own] < 2:
            out[i] = 0.0
            continue
        sums[:] = 0.0
        for j in range(m):
            sums[labels[j]] += distance[i, j]
        inside = sums[own] / (counts[own] - 1)
        outside = np.inf
        for g in range(k):
            if g != own and counts[g] > 0:
                outside = min(outside, sums[g] / counts[g])
        most = max(inside, outside)
        out[i] = (outside - inside) / most if most > 0 and np.isfinite(outside) else 0.0


def silhouette(yard: Yard, labels: NDArray[np.int32], k: int) -> Silhouette:
    """Mean silhouette (Rousseeuw 1987) on √D; singletons count 0.

    Parameters
    ----------
    labels : (n,) int32, of all rows
    """
    mine = labels[yard.places]
    widths = np.zeros(len(mine))
    _widths(yard.distance, mine, k, widths)
    counts = np.bincount(mine, minlength=k)
    sums = np.bincount(mine, weights=widths, minlength=k)
    with np.errstate(invalid="ignore", divide="ignore"):
        return Silhouette(float(widths.mean()), sums / counts, yard.exact)


def jaccard_stability(
    rows: Prepared,
    labels: NDArray[np.int32],
    k: int,
    seed: int,
    times: int = 20,
    engine: Engine | None = None,
) -> NDArray[np.float64]:
    """How often each group comes back (Hennig 2007): mean best Jaccard over bootstraps.

    Each of ``times`` bootstraps draws at most 5,000 rows with replacement, groups them anew from
    fresh starts, and compares on the distinct rows drawn.
    """
    engine = engine or Engine(1)
    m = len(rows)

    def once(number: int) -> NDArray[np.float64]:
        rng = np.random.default_rng([seed, k, number, 7])
        drawn = rng.integers(0, m, min(m, SAMPLE))
        some = rows.take(drawn)
        fits = [lloyd(some, seed_centres(some, k, rng), most_passes=100) for _ in range(2)]
        best = min(fits, key=lambda f: f.cost)
        distinct, first = np.unique(drawn, return_index=True)
        return _best_jaccard(labels[distinct], best.labels[first], k)

    return np.mean(engine.map(once, range(times)), axis=0)


def _best_jaccard(
    first: NDArray[np.int32], second: NDArray[np.int32], k: int
) -> NDArray[np.float64]:
    table = np.bincount(first * k + second, minlength=k * k).reshape(k, k).astype(np.float64)
    union = table.sum(axis=1)[:, None] + table.sum(axis=0)[None] - table
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(union > 0, table / union, 0.0)
    return share.max(axis=1)
