"""Is the yardstick still a good one? How far measures have moved since it was adopted."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Drift", "FrozenBins", "drift", "freeze_categories", "freeze_numbers"]

#: A bin that is empty counts as so many customers, and no share as less than that: else one empty
#: bin outweighs all others, and of few customers chance alone is told as a change.
_EMPTY, _LEAST_SHARE = 0.5, 0.0001
#: An index above this is told, if it is also more than chance makes of so few customers.
_TOLD = 0.1
#: So many times what chance is expected to make.
_BEYOND = 3


@dataclass(frozen=True)
class FrozenBins:
    """Bins of a measure as they were on the day of adoption.

    ``edges``: rising, between bins of numbers; empty for categories, whose codes are their bins.
    ``counts``: customers in each bin, then those without a value, then (of categories) those with
    a value that nobody had.
    """

    edges: NDArray[np.float64]
    levels: int
    counts: NDArray[np.int64]

    def count(self, values: NDArray[np.generic]) -> NDArray[np.int64]:
        """Customers in each bin at another date."""
        if self.levels:
            codes = np.asarray(values, np.int64)
            bins = np.where(codes == 0, self.levels, codes - 1)
            bins = np.where(codes > self.levels, self.levels + 1, bins)
        else:
            numbers = np.asarray(values, np.float64)
            bins = np.searchsorted(self.edges, numbers, side="right")
            bins = np.where(np.isnan(numbers), len(self.edges) + 1, bins)
        return np.bincount(bins, minlength=len(self.counts))


@dataclass(frozen=True)
class Drift:
    """The population stability index, and ``chance``: what it is expected to be where nothing has
    changed. ``told``: it is large, and larger than chance makes it."""

    index: float
    chance: float
    told: bool


def freeze_numbers(values: NDArray[np.floating]) -> FrozenBins:
    """Tenths of the values there are; where many are equal, fewer bins.

    Parameters
    ----------
    values : (n,) float, NaN missing

    >>> freeze_numbers(np.array([0.0, 0.0, 0.0, 1.0, np.nan])).counts.tolist()
    [3, 1, 1]
    """
    numbers = np.asarray(values, np.float64)
    there = numbers[~np.isnan(numbers)]
    edges = np.empty(0)
    if len(there):  # a bin holds what is no less than its lower edge: the lowest needs none
        tenths = np.quantile(there, np.arange(1, 10) / 10, method="higher")
        edges = np.unique(tenths[tenths > there.min()])
    empty = FrozenBins(edges, 0, np.zeros(len(edges) + 2, np.int64))
    return FrozenBins(edges, 0, empty.count(numbers))


def freeze_categories(codes: NDArray[np.integer], levels: int) -> FrozenBins:
    """A bin for each level, one for those without a value, one for values not seen yet.

    Parameters
    ----------
    codes : (n,) int, 0 missing, 1 to ``levels``

    Raises
    ------
    ValueError
        There are no levels.

    >>> freeze_categories(np.array([1, 1, 2, 0]), 2).counts.tolist()
    [2, 1, 1, 0]
    """
    if levels < 1:
        raise ValueError("a category has at least one level")
    empty = FrozenBins(np.empty(0), levels, np.zeros(levels + 2, np.int64))
    return FrozenBins(np.empty(0), levels, empty.count(codes))


def drift(frozen: FrozenBins, values: NDArray[np.generic]) -> Drift | None:
    """How far a measure has moved; None where nobody was or is there.

    Parameters
    ----------
    values : (n,) as the bins were frozen from

    >>> same = np.arange(100.0)
    >>> drift(freeze_numbers(same), same).index
    0.0
    """
    now, then = frozen.count(values), frozen.counts
    if not now.sum() or not then.sum():
        return None
    used = (now + then) > 0
    now, then = now[used], then[used]
    shares = [
        np.maximum(each / each.sum(), max(_EMPTY / each.sum(), _LEAST_SHARE))
        for each in (now, then)
    ]
    index = float(((shares[0] - shares[1]) * np.log(shares[0] / shares[1])).sum())
    chance = float((len(now) - 1) * (1 / now.sum() + 1 / then.sum()))
    return Drift(index, chance, index > _TOLD and index > _BEYOND * chance)
