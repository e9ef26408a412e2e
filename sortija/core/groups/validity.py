"""How well a grouping fits: silhouette, Calinski–Harabasz, Davies–Bouldin, errors, the knee."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import WHOLE, Engine, Parts, chunk_bounds
from sortija.core.groups.distances import distances, pair_distances, row_of
from sortija.core.groups.lloyd import Fit
from sortija.core.groups.recipe import Prepared

__all__ = [
    "CRITERIA",
    "Criterion",
    "Figures",
    "Silhouette",
    "Yard",
    "figures_of",
    "knee_of",
    "measure_yard",
    "own_distances",
    "silhouette",
    "total_cost",
]

SAMPLE = 5_000
#: Members of a small group that are looked at, whatever its share of the sample.
LEAST = 50
_BLOCK, _COLUMNS = 250, 1_250


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
class Criterion:
    """A number that says how compact and how far apart the groups of a grouping are."""

    key: str
    label: str
    definition: str
    more_is_better: bool


#: What :func:`figures_of` works out of a whole grouping, in the order in which it is shown. With D
#: in the place of squares: T the cost of all rows around one centre, W that of the grouping.
CRITERIA = (
    Criterion(
        "explained", "Explained", "Share of all differences that lies between groups, (T − W)/T.",
        True,
    ),
    Criterion(
        "calinski_harabasz", "Calinski–H.",
        "((T − W)/(k − 1)) / (W/(n − k)), Calinski and Harabasz 1974.", True,
    ),
    Criterion(
        "davies_bouldin", "Davies–B.",
        "Mean over groups of the worst (s_i + s_j)/√D_ij, s the mean √D to the own centre, Davies "
        "and Bouldin 1979.", False,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class Figures:
    """How compact and how far apart the groups are.

    ``criteria``: a number per key of :data:`CRITERIA`, NaN for Gower, for one group, and where it
    cannot be told; ``error``: (k,) mean D to the own centre; ``share``: (k,) of the cost, adding
    up to 1.
    """

    criteria: Mapping[str, float]
    error: NDArray[np.float64]
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

    engine.map(
        block, range(0, len(places), _BLOCK),
        lambda first: Parts(writes=[(out, slice(first, min(first + _BLOCK, len(places))))]),
    )  # fmt: skip
    return Yard(rows, places, out, exact, seed)


@numba.njit(nogil=True, cache=True)
def _sums(distance: Any, order: Any, begins: Any, first: int, last: int, out: Any) -> None:
    """Sums of the distances of rows ``first`` to ``last`` to the members of each group.

    Distances run both ways, so whole lines are added, which the compiler turns into vector
    instructions, instead of every number to the sum of its own group; eight lines at a time,
    so that the sums are fetched and put back once for all of them.

    Parameters
    ----------
    order : (m,) rows by group; ``begins``: (k + 1,) where each group begins in it
    out : (k, s) float64, added to
    """
    for g in range(len(begins) - 1):
        line = out[g, first:last]
        at, end = begins[g], begins[g + 1]
        while end - at >= 8:
            d0, d1 = distance[order[at], first:last], distance[order[at + 1], first:last]
            d2, d3 = distance[order[at + 2], first:last], distance[order[at + 3], first:last]
            d4, d5 = distance[order[at + 4], first:last], distance[order[at + 5], first:last]
            d6, d7 = distance[order[at + 6], first:last], distance[order[at + 7], first:last]
            for i in range(len(line)):
                so_far = line[i]
                one = (d0[i] + d1[i]) + (d2[i] + d3[i])
                two = (d4[i] + d5[i]) + (d6[i] + d7[i])
                line[i] = so_far + (one + two)
            at += 8
        while at < end:
            more = distance[order[at], first:last]
            for i in range(len(line)):
                so_far = line[i]
                line[i] = so_far + more[i]
            at += 1


@numba.njit(nogil=True, cache=True)
def _across(numbers: Any, codes: Any, gammas: Any, gower: bool, more: Any, kinds: Any, out: Any):  # type: ignore[no-untyped-def]
    """√D (Gower's distance) of every row to each of some more, into ``out`` (more, rows)."""
    first: Any = np.int64(0)
    m = numbers.shape[1]
    for j in range(more.shape[1]):
        own, kind = row_of(more, j), row_of(kinds, j)
        distances(numbers, codes, gammas, gower, own, kind, first, m, out[j])
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

    order, begins = _by_group(mine[:m], k)

    def part(first: int) -> None:
        _sums(yard.distance, order, begins, first, min(first + _COLUMNS, m), sums)

    def touched(first: int) -> Parts:
        here = WHOLE, slice(first, min(first + _COLUMNS, m))
        return Parts([(yard.distance, here)], changes=[(sums, here)])

    engine.map(part, range(0, m, _COLUMNS), touched)
    if len(extra):
        both, some = yard.rows.take(places), yard.rows.take(extra)
        away = np.empty((len(extra), len(places)), np.float32)
        _across(both.numbers, both.codes, both.gammas, both.gower, some.numbers, some.codes, away)
        _sums(away, *_by_group(mine[m:], k), 0, m, sums)
        for g in range(k):
            sums[g, m:] = away[:, mine == g].sum(axis=1, dtype=np.float64)
    widths = _widths(sums, mine, k)
    seen = np.bincount(mine, minlength=k)
    with np.errstate(invalid="ignore", divide="ignore"):
        by_group = np.bincount(mine, weights=widths, minlength=k) / seen
    mean = float(np.nansum(by_group * counts) / counts.sum())
    return Silhouette(mean, by_group, yard.exact, places, widths)


def _by_group(labels: NDArray[np.int32], k: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows by group, and where each group begins among them."""
    return np.argsort(labels, kind="stable"), np.searchsorted(np.sort(labels), np.arange(k + 1))


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


def total_cost(rows: Prepared) -> float:
    """The cost of one group of everyone: about the mean and the commonest levels.

    >>> from sortija.core.table import Column, Table
    >>> from sortija.core.groups.recipe import Recipe, prepare
    >>> from sortija.core.measures.preparation import Steps
    >>> spend = Column("spend", "number", np.arange(50.0))
    >>> round(total_cost(prepare(Table((spend,)), Recipe({"spend": Steps()}))), 3)
    50.0
    """
    numbers = rows.numbers.astype(np.float64)
    cost = float(numbers.var(axis=1).sum()) * len(rows) if numbers.size else 0.0
    for codes, gamma in zip(rows.codes, rows.gammas.astype(np.float64), strict=True):
        cost += gamma * (len(codes) - int(np.bincount(codes).max()))
    return cost


def figures_of(
    rows: Prepared, fit: Fit, total: float | None = None, engine: Engine | None = None
) -> Figures:
    """The criteria of one grouping, and the error by group.

    Parameters
    ----------
    total : float, optional
        :func:`total_cost` of the rows, where several groupings of them are judged.
    """
    k = len(fit.centres)
    own = own_distances(rows, fit, engine)
    sums = np.bincount(fit.labels, own, minlength=k)
    cost = float(sums.sum())
    share = sums / cost if cost > 0 else np.zeros(k)
    mean = sums / np.maximum(fit.counts, 1)
    if rows.gower or k < 2:
        return Figures({criterion.key: float("nan") for criterion in CRITERIA}, mean, share)
    total = total_cost(rows) if total is None else total
    found = {
        "explained": (total - cost) / total if total > 0 else float("nan"),
        "calinski_harabasz": _calinski_harabasz(total, cost, k, len(rows)),
        "davies_bouldin": _davies_bouldin(rows, fit, own),
    }
    return Figures(found, mean, share)


def own_distances(rows: Prepared, fit: Fit, engine: Engine | None = None) -> NDArray[np.float64]:
    """(m,) D (Gower's distance) of each row to the centre of its own group."""
    out = np.zeros(len(rows))

    def part(bounds: tuple[int, int]) -> None:
        _own(rows.numbers, rows.codes, rows.gammas, rows.gower, fit.centres.numbers,
             fit.centres.modes, fit.labels, *bounds, out)  # fmt: skip

    def touched(bounds: tuple[int, int]) -> Parts:
        here = slice(*bounds)
        return Parts([*rows.parts(*bounds), (fit.labels, here)], changes=[(out, here)])

    (engine or Engine(1)).map(part, chunk_bounds(len(rows)), touched)
    return out


@numba.njit(nogil=True, cache=True)
def _own(
    numbers: Any, codes: Any, gammas: Any, gower: bool, centres: Any, modes: Any, labels: Any,
    first: int, last: int, out: Any,
) -> None:  # fmt: skip
    for j in range(numbers.shape[0]):
        for i in range(first, last):
            gap = numbers[j, i] - centres[labels[i], j]
            out[i] += abs(gap) if gower else gap * gap
    for a in range(codes.shape[0]):
        for i in range(first, last):
            if codes[a, i] != modes[labels[i], a]:
                out[i] += gammas[a]


def _calinski_harabasz(total: float, cost: float, k: int, n: int) -> float:
    if n <= k or cost <= 0:
        return float("nan")
    return ((total - cost) / (k - 1)) / (cost / (n - k))


def _davies_bouldin(rows: Prepared, fit: Fit, own: NDArray[np.float64]) -> float:
    sums = np.bincount(fit.labels, np.sqrt(own), minlength=len(fit.counts))
    spread = sums / np.maximum(fit.counts, 1)
    apart = np.sqrt(fit.centres.apart(rows.gammas).astype(np.float64))
    np.fill_diagonal(apart, np.inf)
    with np.errstate(divide="ignore"):
        return float(((spread[:, None] + spread) / apart).max(axis=1).mean())


def knee_of(ks: Sequence[int], costs: Sequence[float]) -> int | None:
    """Where a falling curve bends most (Satopää et al. 2011, sensitivity 1); None without a bend.

    Both axes are stretched to 0..1; the knee is where the curve lies farthest below the straight
    line from its first to its last point, provided that it comes back towards it afterwards.

    >>> knee_of([2, 3, 4, 5, 6, 7], [100.0, 60.0, 20.0, 18.0, 16.0, 15.0])
    4
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
