"""Bands of equal customers, ties never split; codes, totals, and the field of two measures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Banding", "Field", "band", "codes", "field", "totals"]


@dataclass(frozen=True)
class Banding:
    """One measure's bands. Higher is better, whatever the measure's direction.

    ``bands``: (n,) int8, 1 to ``asked``, 0 where there is no value; ``sizes``: (asked,) real
    sizes; ``cuts``: for each band (lowest, highest value in it), NaN where it is empty.
    """

    asked: int
    bands: NDArray[np.int8]
    sizes: NDArray[np.int64]
    cuts: NDArray[np.float64]

    @property
    def empty(self) -> int:
        """How many bands ties have left empty."""
        return int((self.sizes == 0).sum())

    @property
    def lopsided(self) -> bool:
        """A band is empty, or has more than one and a half times its fair share."""
        return self.empty > 0 or int(self.sizes.max()) * self.asked > 1.5 * int(self.sizes.sum())


def band(values: NDArray[np.float64], asked: int, higher_is_better: bool) -> Banding:
    """Cut values into ``asked`` bands of as equal sizes as ties allow.

    band = min(B, ⌊B·(r − ½)/n⌋ + 1), r the mid-rank with the best last, in integer arithmetic.
    On an exact boundary the better band is taken.

    Raises
    ------
    ValueError
        Fewer than 2 or more than 10 bands.
    """
    if not 2 <= asked <= 10:
        raise ValueError("there are 2 to 10 bands")
    there = ~np.isnan(values)
    x = values[there] if higher_is_better else -values[there]
    n = len(x)
    out = np.zeros(len(values), np.int8)
    cuts = np.full((asked, 2), np.nan)
    if n == 0:
        return Banding(asked, out, np.zeros(asked, np.int64), cuts)
    levels, place, counts = np.unique(x, return_inverse=True, return_counts=True)
    before = np.cumsum(counts) - counts
    # Mid-rank r = before + (count + 1)/2, so 2·(r − ½) = 2·before + count: whole numbers.
    level_band = np.minimum(asked, asked * (2 * before + counts) // (2 * n) + 1)
    out[there] = level_band[place].astype(np.int8)
    sizes = np.bincount(out[there], minlength=asked + 1)[1:].astype(np.int64)
    for number in range(1, asked + 1):
        mine = levels[level_band == number]
        if len(mine):
            ends = (mine[0], mine[-1]) if higher_is_better else (-mine[-1], -mine[0])
            cuts[number - 1] = ends
    return Banding(asked, out, sizes, cuts)


def codes(bandings: Sequence[Banding]) -> NDArray[np.str_]:
    """Bands in order as text, such as ``534``; empty where any is missing."""
    complete = np.all([b.bands > 0 for b in bandings], axis=0)
    parts = [b.bands.astype(np.str_) for b in bandings]
    text = parts[0]
    for part in parts[1:]:
        text = np.char.add(text, part)
    return np.where(complete, text, "")


def totals(
    bandings: Sequence[Banding], weights: Sequence[float] | None = None
) -> NDArray[np.float64]:
    """Weighted sum of bands; NaN where any is missing."""
    weights = weights or [1.0] * len(bandings)
    complete = np.all([b.bands > 0 for b in bandings], axis=0)
    total = sum(w * b.bands.astype(np.float64) for w, b in zip(weights, bandings, strict=True))
    return np.where(complete, total, np.nan)


@dataclass(frozen=True)
class Field:
    """Plots of two bandings: (bands of the second, bands of the first), customers and money."""

    customers: NDArray[np.int64]
    money: NDArray[np.int64]


def field(
    across: Banding, up: Banding, money: NDArray[np.int64], rows: NDArray[np.bool_] | None = None
) -> Field:
    """Count customers and money in every plot of the field."""
    use = (across.bands > 0) & (up.bands > 0)
    if rows is not None:
        use &= rows
    shape = (up.asked, across.asked)
    customers, cash = np.zeros(shape, np.int64), np.zeros(shape, np.int64)
    place = (up.bands[use] - 1, across.bands[use] - 1)
    np.add.at(customers, place, 1)
    np.add.at(cash, place, money[use])
    return Field(customers, cash)
