"""How each group spreads over a measure: boxes, thin histograms, in its unit and among everyone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.measures.describe import Axis
from sortija.core.portraits.kernels import in_groups

__all__ = ["BINS", "FIVE", "Spread", "spread"]

#: Parts of an axis, at most.
BINS = 32

#: What a box tells: ends of the middle nine tenths, quartiles, median.
FIVE = (0.05, 0.25, 0.5, 0.75, 0.95)


@dataclass(frozen=True)
class Spread:
    """One measure by group.

    ``counts``: (k,) members that have a value; ``everyone``: (bins,) how many of all are in each
    bin of the axis, equally wide as the axis is drawn; ``beyond``: how many of all lie above the
    axis, in its last bin; ``bins``: (k, bins) the same of each
    group; ``five``: (k, 5) quantiles :data:`FIVE`; ``among``: (k, 5) the same of the members'
    mid-rank percentiles among everyone, 0 to 100. NaN where a group has nobody.
    """

    counts: NDArray[np.int64]
    everyone: NDArray[np.int64]
    beyond: int
    bins: NDArray[np.int64]
    five: NDArray[np.float64]
    among: NDArray[np.float64]


def spread(
    values: NDArray[np.float64], groups: NDArray[np.integer], k: int, axis: Axis, bins: int = BINS
) -> Spread:
    """Spread of a measure; values beyond the axis are in its first and last bin.

    Parameters
    ----------
    values : (n,) float64, NaN missing
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> found = spread(np.arange(8.0), np.array([0, 1] * 4), 2, Axis(0.0, 8.0, False), bins=4)
    >>> found.five[:, 2].tolist(), found.among[:, 2].tolist(), found.everyone.tolist()
    ([3.0, 4.0], [43.75, 56.25], [2, 2, 2, 2])
    """
    x, counts, _ = in_groups(
        readonly(np.asarray(values, np.float64)), readonly(np.asarray(groups, np.int32)), k
    )
    parts = [np.sort(part) for part in np.split(x, np.cumsum(counts)[:-1])]
    binned = np.array([_in_bins(part, axis, bins) for part in parts]).reshape(k, bins)
    everyone = np.sort(x)
    boxes = [_boxes(part, everyone) for part in parts]
    return Spread(
        counts, binned.sum(axis=0), int((x > axis.high).sum()), binned,
        np.array([five for five, _ in boxes]).reshape(k, 5),
        np.array([among for _, among in boxes]).reshape(k, 5),
    )  # fmt: skip


def _in_bins(part: NDArray[np.float64], axis: Axis, bins: int) -> NDArray[np.int64]:
    place = np.minimum((axis.place(part) * bins).astype(np.int64), bins - 1)
    return np.bincount(place, minlength=bins)


def _boxes(
    part: NDArray[np.float64], everyone: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A group's quantiles of values, and of the ranks that its values have among everyone."""
    if len(part) == 0:
        return np.full(5, np.nan), np.full(5, np.nan)
    places = np.array(FIVE) * (len(part) - 1)
    below = np.floor(places).astype(np.int64)
    above = np.minimum(below + 1, len(part) - 1)
    way = places - below

    def between(values: NDArray[np.float64], next_: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(values + (next_ - values) * way)

    def rank(values: NDArray[np.float64]) -> NDArray[np.float64]:
        first, last = (np.searchsorted(everyone, values, side) for side in ("left", "right"))
        return np.asarray(100 * (first + last) / 2 / len(everyone))

    return (
        between(part[below], part[above]),
        between(rank(part[below]), rank(part[above])),
    )
