"""Districts: rates drawn towards the whole, districts that are alike, and how one stands out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from sortija.core.measures.intervals import holm, newcombe

__all__ = [
    "ALIKE",
    "ENOUGH",
    "Beside",
    "ShareBeside",
    "beside",
    "by_place",
    "customers_missed",
    "drawn_means",
    "drawn_shares",
    "like_places",
    "means_by_place",
]

#: How many districts one is set beside.
ALIKE = 5
#: A district of fewer customers is like no other: its own figures are mostly chance.
ENOUGH = 20
#: Differences that are told stand out more than so seldom by chance, all lines of one district.
LEVEL = 0.05


def by_place(
    places: NDArray[np.integer], many: int, codes: NDArray[np.integer], levels: int
) -> NDArray[np.int64]:
    """(many, levels) customers by place and level; those outside of either are left out.

    >>> by_place(np.array([0, 0, 1, -1]), 2, np.array([0, 1, 1, 1]), 2).tolist()
    [[1, 1], [0, 1]]
    """
    use = (places >= 0) & (places < many) & (codes >= 0) & (codes < levels)
    key = places[use].astype(np.int64) * levels + codes[use]
    return np.bincount(key, minlength=many * levels).reshape(many, levels)


def means_by_place(
    places: NDArray[np.integer], many: int, values: NDArray[np.floating]
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """How many customers of each place have a value, their mean and the sample's deviation.

    >>> counts, means, sds = means_by_place(np.array([0, 0, 1]), 2, np.array([1.0, 3.0, np.nan]))
    >>> counts.tolist(), means.tolist(), sds.round(2).tolist()
    ([2, 0], [2.0, nan], [1.41, nan])
    """
    use = (places >= 0) & (places < many) & ~np.isnan(values)
    where, known = places[use], np.asarray(values, np.float64)[use]
    counts = np.bincount(where, minlength=many)
    with np.errstate(invalid="ignore", divide="ignore"):
        means = np.bincount(where, known, many) / counts
        away = np.bincount(where, (known - means[where]) ** 2, many)
        sds = np.sqrt(away / np.where(counts > 1, counts - 1, np.nan))
    return counts, means, sds


def drawn_shares(counts: NDArray[np.integer], of: NDArray[np.integer]) -> NDArray[np.float64]:
    """Shares drawn towards the whole where they rest on few: beta-binomial, by moments
    (Kleinman 1973), so that three customers make no dark district.

    ``counts``, ``of``: (places,), none of more than it is of. NaN only where nobody is anywhere.

    >>> drawn_shares(np.array([3, 50, 60]), np.array([3, 250, 250])).round(2).tolist()
    [0.31, 0.2, 0.24]
    """
    n = np.asarray(of, np.float64)
    whole = float(counts.sum() / n.sum()) if n.sum() else float("nan")
    spread = whole * (1 - whole)
    with np.errstate(invalid="ignore"):
        shares = np.where(n > 0, counts / np.maximum(n, 1), whole)
    if not spread > 0:
        return np.full(len(n), whole)
    between = _between(n, shares, whole, spread)
    # Within a place answers of one kind are alike: the spread of one answer holds both parts.
    return _drawn(n, shares, whole, spread * (1 - between), spread * between)


def drawn_means(
    counts: NDArray[np.integer], means: NDArray[np.float64], sds: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Means drawn towards everyone's where they rest on few: normal within and between places,
    by moments.

    ``counts``, ``means``, ``sds``: (places,), the sample's deviations; NaN where there is nobody.

    >>> drawn_means(np.array([2, 99, 99]), np.array([50.0, 20.0, 30.0]), np.full(3, 20.0)).round(1)
    array([30.4, 20.4, 29.7])
    """
    n = np.asarray(counts, np.float64)
    known = np.where(n > 0, np.nan_to_num(means), 0.0)
    if not n.sum():
        return np.full(len(n), np.nan)
    whole = float((n * known).sum() / n.sum())
    known = np.where(n > 0, known, whole)
    freedom = np.maximum(n - 1, 0)
    within = float((freedom * np.nan_to_num(sds) ** 2).sum() / max(freedom.sum(), 1.0))
    if not within > 0:
        return known
    between = within * _between(n, known, whole, within, shared=False)
    return _drawn(n, known, whole, within, between)


def _between(
    n: NDArray[np.float64], values: NDArray[np.float64], whole: float, within: float,
    shared: bool = True,
) -> float:  # fmt: skip
    """How far places differ beyond chance, in parts of ``within``; never under 0.

    ``shared``: of a share, whose spread is parted between and within, so that it is at most 1.
    """
    there = n > 0
    freedom = int(there.sum()) - 1
    apart = float((n[there] * (values[there] - whole) ** 2).sum()) / within
    room = float(n.sum() - (n**2).sum() / n.sum()) - (freedom if shared else 0)
    if room <= 0:
        return 0.0
    found = max(0.0, (apart - freedom) / room)
    return min(1.0, found) if shared else found


def _drawn(
    n: NDArray[np.float64], values: NDArray[np.float64], whole: float, within: float, between: float
) -> NDArray[np.float64]:
    if between <= 0:
        return np.full(len(n), whole)
    weight = n / (n + within / between)
    return np.asarray(weight * values + (1 - weight) * whole)


def like_places(
    numbers: Sequence[NDArray[np.float64]],
    mixes: Sequence[NDArray[np.float64]],
    customers: NDArray[np.integer],
    place: int,
) -> list[int]:
    """The places most like one, nearest first: Gower's distance over the places' own columns.

    Parameters
    ----------
    numbers : (places,) each, a mean of the customers there; NaN where nobody has it
    mixes : (places, levels) each, shares of a category, summing to 1; two places are as far apart
        in it as the share that would have to change
    customers : (places,); a place of fewer than :data:`ENOUGH` is like no other
    place : the one that others are compared with

    >>> age, many = np.array([30.0, 31.0, 60.0]), np.array([90, 90, 90])
    >>> like_places([age], [], many, 0)
    [1, 2]
    """
    parts = [np.abs(column - column[place]) for column in numbers]
    widths = [_width(column[customers >= ENOUGH]) for column in numbers]
    parts += [np.abs(mix - mix[place]).sum(axis=1) / 2 for mix in mixes]
    widths += [_mix_width(mix[customers >= ENOUGH]) for mix in mixes]
    scaled = [part / width for part, width in zip(parts, widths, strict=True) if width > 0]
    if not scaled:
        return []
    table = np.array(scaled)
    known = ~np.isnan(table)
    with np.errstate(invalid="ignore"):
        distance = np.nansum(table, axis=0) / known.sum(axis=0)
    use = (customers >= ENOUGH) & known.any(axis=0)
    use[place] = False
    order = np.argsort(np.where(use, distance, np.inf), kind="stable")
    return [int(n) for n in order[: min(ALIKE, int(use.sum()))]]


def _width(column: NDArray[np.float64]) -> float:
    known = column[~np.isnan(column)]
    return float(np.ptp(known)) if len(known) else 0.0


def _mix_width(mix: NDArray[np.float64]) -> float:
    """The widest range of a level's share: what a mix differs by is counted in it."""
    known = mix[~np.isnan(mix).any(axis=1)]
    return float(np.ptp(known, axis=0).max()) if len(known) else 0.0


@dataclass(frozen=True)
class ShareBeside:
    """A share of one place: how many, of how many, and the same of each place that is like it."""

    here: tuple[int, int]
    like: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class Beside:
    """A share here and of all that are like it together, the range of those (the least and the
    greatest), the interval of what *they have more*, and whether it is told: it stands out
    against chance (Holm over all lines) and lies outside that range."""

    here: float
    like: float
    least: float
    greatest: float
    low: float
    high: float
    told: bool


def beside(lines: Sequence[ShareBeside]) -> list[Beside | None]:
    """How a place stands beside those that are like it; None where one side has nobody.

    >>> found = beside([ShareBeside((12, 100), ((20, 100), (24, 100)))])[0]
    >>> found.like, found.least, round(found.low, 3), round(found.high, 3), found.told
    (0.22, 0.2, 0.006, 0.18, True)
    """
    pooled = [(sum(c for c, _ in line.like), sum(n for _, n in line.like)) for line in lines]
    p = [_p(line.here, like) for line, like in zip(lines, pooled, strict=True)]
    return [
        _beside(line, like, corrected)
        for line, like, corrected in zip(lines, pooled, holm(p), strict=True)
    ]


def customers_missed(
    here: NDArray[np.integer], like: NDArray[np.integer], households: int, of_like: int
) -> NDArray[np.float64]:
    """(k,) customers more, by segment, that a place would have with the reach of its like.

    ``here``, ``like``: (k,) customers of each segment in the place, and in its like together.

    >>> customers_missed(np.array([5, 5]), np.array([60, 40]), 100, 500).tolist()
    [7.0, 3.0]
    """
    return np.asarray(like / of_like * households - here)


def _p(here: tuple[int, int], like: tuple[int, int]) -> float:
    """Two-sided p of two shares being one, by the pooled normal error; NaN of nobody."""
    (a, n), (b, m) = here, like
    if not n or not m:
        return float("nan")
    whole = (a + b) / (n + m)
    error = float(np.sqrt(whole * (1 - whole) * (1 / n + 1 / m)))
    return float(2 * ndtr(-abs(a / n - b / m) / error)) if error > 0 else 1.0


def _beside(line: ShareBeside, like: tuple[int, int], p: float) -> Beside | None:
    (a, n), (b, m) = line.here, like
    if not n or not m:
        return None
    shares = [count / of for count, of in line.like if of]
    low, high = newcombe(like, line.here)
    outside = not min(shares) <= a / n <= max(shares)
    return Beside(a / n, b / m, min(shares), max(shares), low, high, p < LEVEL and outside)
