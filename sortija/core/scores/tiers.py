"""Named tiers: ranges of the total, equal shares of the customers, or boxes of bands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.scores.bands import Banding

__all__ = ["Box", "Coverage", "Tier", "by_box", "by_share", "by_total", "coverage"]


@dataclass(frozen=True)
class Tier:
    """Totals from ``low`` (included) to ``high`` (not; None: without end)."""

    name: str
    low: float
    high: float | None = None


@dataclass(frozen=True)
class Box:
    """A block of plots: for each measure the lowest and highest band, both included."""

    name: str
    ranges: tuple[tuple[int, int], ...]


def by_total(totals: NDArray[np.float64], tiers: Sequence[Tier]) -> NDArray[np.int32]:
    """(n,) tier of each customer from 1, the first that holds the total; 0 for none.

    >>> tiers = [Tier("Top", 8.0), Tier("Middle", 5.0, 8.0)]
    >>> by_total(np.array([3.0, 9.0, 6.0]), tiers).tolist()
    [0, 1, 2]
    """
    out = np.zeros(len(totals), np.int32)
    for number, tier in reversed(list(enumerate(tiers, 1))):
        inside = totals >= tier.low
        if tier.high is not None:
            inside &= totals < tier.high
        out[inside] = number
    return out


def by_share(totals: NDArray[np.float64], count: int) -> NDArray[np.int32]:
    """(n,) tier from 1, the best, to ``count``: as equal shares of the customers as ties allow.

    Equal totals are never split. NaN totals have none, 0.

    Raises
    ------
    ValueError
        Fewer than one tier.

    >>> by_share(np.array([9.0, 1.0, 9.0, 4.0, np.nan]), 2).tolist()
    [1, 2, 1, 2, 0]
    """
    if count < 1:
        raise ValueError("there is at least one tier")
    out = np.zeros(len(totals), np.int32)
    there = ~np.isnan(totals)
    n = int(there.sum())
    if not n:
        return out
    _, place, counts = np.unique(-totals[there], return_inverse=True, return_counts=True)
    before = np.cumsum(counts) - counts
    # By mid-rank as bands are, with the best first: on an exact boundary the better tier.
    tier = -((-count * (2 * before + counts)) // (2 * n))
    out[there] = np.clip(tier, 1, count)[place]
    return out


def by_box(bandings: Sequence[Banding], boxes: Sequence[Box]) -> NDArray[np.int32]:
    """(n,) tier from 1, the first box that holds a customer's bands; 0 for none.

    Raises
    ------
    ValueError
        A box that has not one range for each measure.

    >>> from sortija.core.scores.bands import band
    >>> bandings = [band(np.arange(1.0, 5.0), 2, True)]
    >>> by_box(bandings, [Box("best", ((2, 2),))]).tolist()
    [0, 0, 1, 1]
    """
    out = np.zeros(len(bandings[0].bands), np.int32)
    for number, box in reversed(list(enumerate(boxes, 1))):
        if len(box.ranges) != len(bandings):
            raise ValueError(
                f"{box.name} has {len(box.ranges)} ranges for {len(bandings)} measures"
            )
        inside = np.ones(len(out), np.bool_)
        for banding, (low, high) in zip(bandings, box.ranges, strict=True):
            inside &= (banding.bands >= max(low, 1)) & (banding.bands <= high)
        out[inside] = number
    return out


@dataclass(frozen=True)
class Coverage:
    """``times``: for every plot (bands of the first measure, of the second, …) how many boxes hold
    it: 0 is a gap, 2 or more an overlap; ``hidden``: boxes of which the ones before leave nothing.
    """

    times: NDArray[np.int64]
    hidden: tuple[str, ...]

    @property
    def gaps(self) -> int:
        return int((self.times == 0).sum())

    @property
    def overlaps(self) -> int:
        return int((self.times > 1).sum())


def coverage(asked: Sequence[int], boxes: Sequence[Box]) -> Coverage:
    """Which plots no box holds, and which several do.

    Parameters
    ----------
    asked : bands of each measure

    >>> found = coverage([2, 2], [Box("top", ((2, 2), (1, 2))), Box("busy", ((1, 2), (2, 2)))])
    >>> found.gaps, found.overlaps, found.hidden
    (1, 1, ())
    """
    times = np.zeros(tuple(asked), np.int64)
    hidden = []
    for box in boxes:
        inside = tuple(slice(max(low, 1) - 1, high) for low, high in box.ranges)
        if times[inside].size == 0 or (times[inside] > 0).all():
            hidden.append(box.name)
        times[inside] += 1
    return Coverage(times, tuple(hidden))
