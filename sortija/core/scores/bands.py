"""Bands of equal customers, ties never split; codes, totals, and the field of two measures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "Banding",
    "Cuts",
    "Field",
    "band",
    "band_by_cuts",
    "band_by_width",
    "block",
    "close_gaps",
    "codes",
    "cuts_of",
    "field",
    "mean_in_plots",
    "plots_of",
    "totals",
]

MOST_BANDS = 10


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

    >>> band(np.array([5.0, 1.0, 3.0, 3.0, 9.0, 7.0]), 3, True).bands.tolist()
    [2, 1, 2, 2, 3, 3]
    """
    _check(asked)
    there = ~np.isnan(values)
    x = values[there] if higher_is_better else -values[there]
    if not len(x):
        return _banding(values, np.zeros(len(values), np.int8), asked)
    _, place, counts = np.unique(x, return_inverse=True, return_counts=True)
    before = np.cumsum(counts) - counts
    # Mid-rank r = before + (count + 1)/2, so 2·(r − ½) = 2·before + count: whole numbers.
    level_band = np.minimum(asked, asked * (2 * before + counts) // (2 * len(x)) + 1)
    out = np.zeros(len(values), np.int8)
    out[there] = level_band[place].astype(np.int8)
    return _banding(values, out, asked)


def _check(asked: int) -> None:
    if not 2 <= asked <= MOST_BANDS:
        raise ValueError(f"there are 2 to {MOST_BANDS} bands")


def _banding(values: NDArray[np.float64], bands: NDArray[np.int8], asked: int) -> Banding:
    cuts = np.full((asked, 2), np.nan)
    for number in range(1, asked + 1):
        mine = values[bands == number]
        if len(mine):
            cuts[number - 1] = mine.min(), mine.max()
    sizes = np.bincount(bands, minlength=asked + 1)[1 : asked + 1].astype(np.int64)
    return Banding(asked, bands, sizes, cuts)


@dataclass(frozen=True)
class Cuts:
    """Where one band ends and the next begins, frozen.

    ``bounds``: (bands − 1,) rising; a value belongs to the better of two bands when it is at their
    bound or beyond it, after ``higher_is_better``: for measures of which less is better the bounds
    are of −value. Two equal bounds leave the band between them empty.
    """

    bounds: tuple[float, ...]
    higher_is_better: bool

    @property
    def bands(self) -> int:
        return len(self.bounds) + 1


def band_by_cuts(values: NDArray[np.float64], cuts: Cuts) -> Banding:
    """Bands by frozen cuts, on any date.

    Raises
    ------
    ValueError
        Fewer than 2 or more than 10 bands, or bounds that fall.

    >>> band_by_cuts(np.array([1.0, 5.0, 9.0]), Cuts((5.0,), True)).bands.tolist()
    [1, 2, 2]
    """
    _check(cuts.bands)
    bounds = np.asarray(cuts.bounds, float)
    if np.isnan(bounds).any() or (bounds[1:] < bounds[:-1]).any():
        raise ValueError("cuts rise from band to band")
    there = ~np.isnan(values)
    x = values[there] if cuts.higher_is_better else -values[there]
    out = np.zeros(len(values), np.int8)
    out[there] = (np.searchsorted(bounds, x, side="right") + 1).astype(np.int8)
    return _banding(values, out, cuts.bands)


def band_by_width(values: NDArray[np.float64], asked: int, higher_is_better: bool) -> Banding:
    """Bands of equal width from the lowest to the highest value; an end belongs to the better band.

    Raises
    ------
    ValueError
        Fewer than 2 or more than 10 bands.

    >>> band_by_width(np.array([0.0, 4.0, 10.0]), 2, True).bands.tolist()
    [1, 1, 2]
    """
    _check(asked)
    there = values[~np.isnan(values)]
    if not len(there):
        return _banding(values, np.zeros(len(values), np.int8), asked)
    x = there if higher_is_better else -there
    bounds = np.linspace(x.min(), x.max(), asked + 1)[1:-1]
    return band_by_cuts(values, Cuts(tuple(bounds.tolist()), higher_is_better))


def cuts_of(banding: Banding, higher_is_better: bool) -> Cuts:
    """The cuts that give these very bands again; other dates can use them.

    The bound of a band is the least of its values; an empty band has that of the next better one,
    and stays empty. Above the last band that has somebody bounds are endless.

    >>> cuts_of(band_by_width(np.array([0.0, 4.0, 10.0]), 2, True), True).bounds
    (10.0,)
    """
    bounds: list[float] = []
    least = float("inf")
    for number in range(banding.asked - 1, 0, -1):
        low, high = banding.cuts[number]
        if not np.isnan(low):
            least = float(low) if higher_is_better else -float(high)
        bounds.append(least)
    return Cuts(tuple(reversed(bounds)), higher_is_better)


def close_gaps(banding: Banding) -> Banding:
    """The same bands numbered without the empty ones; at least two remain, or it stays as it is.

    >>> wide = band_by_width(np.array([0.0, 1.0, 10.0]), 5, True)
    >>> wide.bands.tolist(), close_gaps(wide).bands.tolist()
    ([1, 1, 5], [1, 1, 2])
    """
    filled = np.flatnonzero(banding.sizes > 0)
    if len(filled) < 2 or len(filled) == banding.asked:
        return banding
    place = np.zeros(banding.asked + 1, np.int8)
    place[filled + 1] = np.arange(1, len(filled) + 1)
    return Banding(len(filled), place[banding.bands], banding.sizes[filled], banding.cuts[filled])


def codes(bandings: Sequence[Banding]) -> NDArray[np.str_]:
    """Bands in order as text, such as ``534``; empty where any is missing.

    >>> banding = band_by_width(np.array([0.0, np.nan, 10.0]), 2, True)
    >>> codes([banding, banding]).tolist()
    ['11', '', '22']
    """
    complete = np.all([b.bands > 0 for b in bandings], axis=0)
    parts = [b.bands.astype(np.str_) for b in bandings]
    text = parts[0]
    for part in parts[1:]:
        text = np.char.add(text, part)
    return np.where(complete, text, "")


def totals(
    bandings: Sequence[Banding], weights: Sequence[float] | None = None
) -> NDArray[np.float64]:
    """Weighted sum of bands; NaN where any is missing.

    >>> banding = band_by_width(np.array([0.0, np.nan, 10.0]), 2, True)
    >>> totals([banding, banding], [1.0, 0.5]).tolist()
    [1.5, nan, 3.0]
    """
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
    """Count customers and money in every plot of the field.

    >>> banding = band_by_width(np.array([0.0, 1.0, 10.0]), 2, True)
    >>> field(banding, banding, np.array([100, 50, 70])).money.tolist()
    [[150, 0], [0, 70]]
    """
    plots = plots_of(across, up, rows)
    shape = (up.asked + 1, across.asked + 1)
    counts = np.bincount(plots, minlength=shape[0] * shape[1]).reshape(shape)[1:, 1:]
    # Sums of whole numbers are exact in float64 up to 2^53, far beyond any ledger's money.
    sums = np.bincount(plots, money, minlength=shape[0] * shape[1]).reshape(shape)[1:, 1:]
    return Field(counts, np.rint(sums).astype(np.int64))


def block(
    across: Banding, up: Banding, third: Banding | None, money: NDArray[np.int64],
    rows: NDArray[np.bool_] | None = None,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """Customers and money by the bands of three measures, each (third + 1, up + 1, across + 1).

    Place 0 along an axis is for those without a band there; the first axis has length 1 where
    there is no third measure.
    """
    key = plots_of(across, up, rows)
    width = (up.asked + 1) * (across.asked + 1)
    deep = 1
    if third is not None:
        deep = third.asked + 1
        key = key + third.bands.astype(np.int16) * np.int16(width)
    size = deep * width
    shape = (deep, up.asked + 1, across.asked + 1)
    counts = np.bincount(key, minlength=size)
    sums = np.rint(np.bincount(key, money, minlength=size)).astype(np.int64)
    return counts.reshape(shape), sums.reshape(shape)


def plots_of(
    across: Banding, up: Banding, rows: NDArray[np.bool_] | None = None
) -> NDArray[np.int16]:
    """(n,) number of each customer's plot, row by row of width ``across.asked`` + 1; row or place
    0 where a measure is missing, and plot 0 for those who are not among ``rows``.

    >>> banding = band_by_width(np.array([0.0, np.nan, 10.0]), 2, True)
    >>> plots_of(banding, banding).tolist()
    [4, 0, 8]
    """
    plots = up.bands.astype(np.int16) * np.int16(across.asked + 1) + across.bands
    return plots if rows is None else np.where(rows, plots, np.int16(0))


def mean_in_plots(
    across: Banding, up: Banding, values: NDArray[np.float64],
    rows: NDArray[np.bool_] | None = None,
) -> NDArray[np.float64]:  # fmt: skip
    """(bands of the second, bands of the first) mean of the values that are there; NaN for none."""
    there = ~np.isnan(values)
    plots = plots_of(across, up, there if rows is None else rows & there)
    shape = (up.asked + 1, across.asked + 1)
    size = shape[0] * shape[1]
    counts = np.bincount(plots, minlength=size)
    sums = np.bincount(plots, np.where(there, values, 0.0), minlength=size)
    mean = np.divide(sums, counts, out=np.full(size, np.nan), where=counts > 0)
    return mean.reshape(shape)[1:, 1:]
