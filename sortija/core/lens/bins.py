"""Bars: a column as at most 254 uint8 bins with edges that read well."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.describe import skewness, wants_log
from sortija.core.table import Column

__all__ = ["NO_BIN", "Bins", "bin_column"]

NO_BIN = 255
_MOST_BARS = 20


@dataclass(frozen=True)
class Bins:
    """``codes``: (n,) uint8, ``NO_BIN`` where missing.

    ``edges`` (numbers): bar *i* holds from ``edges[i]`` up to ``edges[i + 1]``; the first and
    the last bar also take what lies beyond. ``levels`` (categories): bar *i* is that level.
    """

    codes: NDArray[np.uint8]
    edges: tuple[float, ...] = ()
    levels: tuple[str, ...] = ()

    def first(self, rows: int) -> Bins:
        """The bins of the first ``rows`` customers."""
        return self if rows >= len(self.codes) else replace(self, codes=self.codes[:rows])

    @property
    def count(self) -> int:
        return len(self.levels) or len(self.edges) - 1


def _step(span: float, bars: int) -> float:
    """The smallest of 1, 2, 5 × 10^e that covers ``span`` in at most ``bars`` steps."""
    raw = span / bars
    power = 10.0 ** math.floor(math.log10(raw))
    for factor in (1.0, 2.0, 5.0, 10.0):
        if factor * power >= raw * (1 - 1e-9):
            return factor * power
    return 10.0 * power


def _plain_edges(low: float, high: float, whole: bool) -> list[float]:
    step = _step(high - low, _MOST_BARS)
    if whole:
        step = max(step, 1.0)
    first = math.floor(low / step + 1e-9)
    last = math.floor(high / step + 1e-9) + 1
    return [round(i * step, 10) for i in range(first, last + 1)]


def _growing_edges(low: float, high: float) -> list[float]:
    """0, then 1, 2, 5 × 10^e up to beyond ``high``: for long-tailed measures from 0 up."""
    smallest = 10.0 ** math.floor(math.log10(max(high, 1e-9)) - 2.5)
    edges = [0.0]
    power = max(smallest, 1e-6)
    while edges[-1] <= high and len(edges) < 40:
        for factor in (1.0, 2.0, 5.0):
            if factor * power > low * 0.5 or len(edges) > 1:
                edges.append(round(factor * power, 10))
            if edges[-1] > high:
                break
        power *= 10.0
    return edges


def bin_column(column: Column) -> Bins:
    """Cut a column into bars: even steps, growing ones if skewed, or levels.

    >>> from sortija.core.table import Column
    >>> plan = Column("plan", "category", np.array([1, 2, 0], np.int32), "", ("card", "plus"))
    >>> bin_column(plan).count
    2
    """
    if column.kind == "category":
        if len(column.levels) > 250:
            raise ValueError(f"{column.name} has too many values to draw as bars")
        codes = np.where(column.values > 0, column.values - 1, NO_BIN).astype(np.uint8)
        return Bins(codes, levels=column.levels)
    values = np.asarray(column.values)
    missing = np.isnan(values)
    there = values[~missing]
    if len(there) == 0:
        return Bins(np.full(len(values), NO_BIN, np.uint8), edges=(0.0, 1.0))
    low, high = (float(v) for v in np.quantile(there, (0.005, 0.995)))
    if 0 <= low < 0.1 * max(high, 1e-12):
        low = 0.0
    whole = bool((there == np.rint(there)).all())
    if high <= low:
        high = low + 1.0
    if low >= 0 and wants_log(skewness(there), high):
        edges = _growing_edges(low, high)
    else:
        edges = _plain_edges(low, high, whole)
    place = np.searchsorted(edges, values, side="right") - 1
    codes = np.clip(place, 0, len(edges) - 2).astype(np.uint8)
    codes[missing] = NO_BIN
    return Bins(codes, edges=tuple(edges))
