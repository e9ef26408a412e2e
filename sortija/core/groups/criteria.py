"""How well a grouping fits: silhouette, Calinski–Harabasz, Davies–Bouldin, errors, the knee."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.engines import Fit, nearest_centres
from sortija.core.groups.kernels import distances, pair_distances
from sortija.core.groups.recipe import Prepared

__all__ = [
    "GroupError",
    "Silhouette",
    "Yard",
    "calinski_harabasz",
    "davies_bouldin",
    "error_by_group",
    "knee_of",
    "measure_yard",
    "silhouette",
]

SAMPLE = 5_000
#: Members of a small group that are looked at, whatever its share of the sample.
LEAST = 50
_BLOCK = 250


@dataclass(frozen=True)
class Yard:
    """√D (Gower's distance) among a sample of rows, shared by every candidate.

    ``places``: (s,) rows of the sample; ``distance``: (s, s) float32; ``rows``: all of them, for
    small groups of which the sample has too few; ``exact``: the sample is everyone.
    """

    rows: Prepared
    places: NDArray[np.int64]
    distance: NDArray[np.float32]
    exact: bool
    seed: int


@dataclass(frozen=True)
class Silhouette:
    """Mean over customers, and a group's own mean; ``exact`` or from a sample.

    ``places``: (s,) the rows looked at; ``widths``: (s,) each one's own silhouette.
    """

    mean: float
    by_group: NDArray[np.float64]
    exact: bool
    places: NDArray[np.int64]
    widths: NDArray[np.float64]


@dataclass(frozen=True)
class GroupError:
    """``mean``: (k,) mean D to the own centre; ``share``: (k,) of the cost, adding up to 1."""

    mean: NDArray[np.float64]
    share: NDArray[np.float64]


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
        pair_distances(some.numbers, some.codes, gammas, rows.gower, first, last, out[first:last])

    engine.map(block, range(0, len(places), _BLOCK))
    return Yard(rows, places, out, exact, seed)


@numba.njit(nogil=True, cache=True)
def _sums(distance: Any, labels: Any, first: int, last: int, out: Any) -> None:
    """Add each row's distances to rows ``first`` to ``last`` to its group's line of ``out``.

    Distances run both ways, so whole lines are added, which the compiler turns into vector
    instructions, instead of every number to the sum of its own group.
    """
    for j in range(len(labels)):
        line = out[labels[j], first:last]
        more = distance[j, first:last]
        for i in range(len(line)):
            so_far = line[i]
            line[i] = so_far + more[i]


@numba.njit(nogil=True, cache=True)
def _across(numbers: Any, codes: Any, gammas: Any, gower: bool, more: Any, kinds: Any, out: Any):  # type: ignore[no-untyped-def]
    """√D (Gower's distance) of every row to each of some more, into ``out`` (more, rows)."""
    m = numbers.shape[1]
    for j in range(more.shape[1]):
        distances(numbers, codes, gammas, gower, more[:, j], kinds[:, j], 0, m, out[j])
        if not gower:
            for i in range(m):
                out[j, i] = np.sqrt(out[j, i])


def silhouette(
    yard: Yard, labels: NDArray[np.int32], k: int, engine: Engine | None = None
) -> Silhouette:
    """Mean silhouette (Rousseeuw 1987) on √D, on d for Gower; singletons count 0.

    One simple sample serves every candidate. Where it has fewer than 50 of a group, up to 50 of
    its members are looked at besides, and the mean weighs every group by its real size.

    Parameters
    ----------
    labels : (n,) int32, of all rows
    """
    engine = engine or Engine(1)
    counts = np.bincount(labels, minlength=k)
    extra = _extra(yard, labels, k, counts)
    places = np.concatenate([yard.places, extra])
    mine = labels[places]
    sums = np.zeros((k, len(places)))
    m = len(yard.places)

    def part(first: int) -> None:
        last = min(first + _BLOCK, m)
        _sums(yard.distance, mine[:m], first, last, sums)

    engine.map(part, range(0, m, _BLOCK))
    if len(extra):
        both, some = yard.rows.take(places), yard.rows.take(extra)
        away = np.empty((len(extra), len(places)), np.float32)
        _across(both.numbers, both.codes, both.gammas, both.gower, some.numbers, some.codes, away)
        _sums(away, mine[m:], 0, m, sums)
        for g in range(k):
            sums[g, m:] = away[:, mine == g].sum(axis=1, dtype=np.float64)
    widths = _widths(sums, mine, k)
    seen = np.bincount(mine, minlength=k)
    with np.errstate(invalid="ignore", divide="ignore"):
        by_group = np.bincount(mine, weights=widths, minlength=k) / seen
    mean = float(np.nansum(by_group * counts) / counts.sum())
    return Silhouette(mean, by_group, yard.exact, places, widths)


def _extra(
    yard: Yard, labels: NDArray[np.int32], k: int, counts: NDArray[np.int64]
) -> NDArray[np.int64]:
    """More members of groups that the sample has too few of."""
    if yard.exact:
        return np.zeros(0, np.int64)
    seen = np.bincount(labels[yard.places], minlength=k)
    found = [np.zeros(0, np.int64)]
    for g in np.flatnonzero((seen < LEAST) & (counts > seen)):
        others = np.setdiff1d(np.flatnonzero(labels == g), yard.places)
        wanted = min(LEAST - int(seen[g]), len(others))
        rng = np.random.default_rng([yard.seed, 6, k, int(g)])
        found.append(np.sort(rng.choice(others, wanted, replace=False)))
    return np.concatenate(found)


def _widths(sums: NDArray[np.float64], labels: NDArray[np.int32], k: int) -> NDArray[np.float64]:
    """Silhouettes from each row's sums of distances by group (k, s)."""
    rows = np.arange(len(labels))
    counts = np.bincount(labels, minlength=k).astype(float)
    own = counts[labels]
    inside = sums[labels, rows] / np.maximum(own - 1, 1)
    with np.errstate(invalid="ignore", divide="ignore"):
        means = np.where(counts[:, None] > 0, sums / counts[:, None], np.inf)
        means[labels, rows] = np.inf
        outside = means.min(axis=0)
        most = np.maximum(inside, outside)
        widths = (outside - inside) / most
    return np.where((own > 1) & (most > 0) & np.isfinite(outside), widths, 0.0)


def _total(rows: Prepared) -> float:
    """The cost of one group of everyone: about the mean and the commonest levels."""
    numbers = rows.numbers.astype(np.float64)
    cost = float(numbers.var(axis=1).sum()) * len(rows) if numbers.size else 0.0
    for codes, gamma in zip(rows.codes, rows.gammas.astype(np.float64), strict=True):
        cost += gamma * (len(codes) - int(np.bincount(codes).max()))
    return cost


def calinski_harabasz(rows: Prepared, fit: Fit) -> float:
    """((T − W)/(k − 1)) / (W/(n − k)) (Calinski & Harabasz 1974) with D in the place of squares.

    NaN for Gower, for one group, and where nothing is left within the groups.
    """
    k, n = len(fit.centres), len(rows)
    if rows.gower or k < 2 or n <= k or fit.cost <= 0:
        return float("nan")
    return ((_total(rows) - fit.cost) / (k - 1)) / (fit.cost / (n - k))


def davies_bouldin(rows: Prepared, fit: Fit, engine: Engine | None = None) -> float:
    """Mean over groups of the worst (s_i + s_j)/√D_ij (Davies & Bouldin 1979), lower is better;
    s the mean √D to the own centre. NaN for Gower and for one group."""
    k = len(fit.centres)
    if rows.gower or k < 2:
        return float("nan")
    own = np.sqrt(nearest_centres(rows, fit.centres, engine).distance.astype(np.float64))
    spread = np.bincount(fit.labels, own, minlength=k) / np.maximum(fit.counts, 1)
    apart = np.sqrt(fit.centres.apart(rows.gammas).astype(np.float64))
    np.fill_diagonal(apart, np.inf)
    with np.errstate(divide="ignore"):
        return float(((spread[:, None] + spread) / apart).max(axis=1).mean())


def error_by_group(rows: Prepared, fit: Fit, engine: Engine | None = None) -> GroupError:
    """Which groups the cost sits in."""
    k = len(fit.centres)
    own = nearest_centres(rows, fit.centres, engine).distance.astype(np.float64)
    sums = np.bincount(fit.labels, own, minlength=k)
    total = sums.sum()
    share = sums / total if total > 0 else np.zeros(k)
    return GroupError(sums / np.maximum(fit.counts, 1), share)


def knee_of(ks: Sequence[int], costs: Sequence[float]) -> int | None:
    """Where a falling curve bends most (Satopää et al. 2011, sensitivity 1); None without a bend.

    Both axes are stretched to 0..1; the knee is where the curve lies farthest below the straight
    line from its first to its last point, provided that it comes back towards it afterwards.
    """
    if len(ks) < 3:
        return None
    order = np.argsort(ks)
    x, y = np.asarray(ks, float)[order], np.asarray(costs, float)[order]
    if not np.isfinite(y).all() or y[0] <= y[-1]:
        return None
    x = (x - x[0]) / (x[-1] - x[0])
    below = 1 - (y - y[-1]) / (y[0] - y[-1]) - x
    best = int(np.argmax(below))
    threshold = below[best] - np.diff(x).mean()
    if below[best] <= 0 or not (below[best + 1 :] < threshold).any():
        return None
    return int(np.asarray(ks)[order][best])
