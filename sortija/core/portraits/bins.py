"""Columns in at most 256 bins, so that a cut is looked for in a pass over the rows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.portraits.kernels import into_bins
from sortija.core.sampling import SEED
from sortija.core.table import Column

__all__ = ["MOST_BINS", "MOST_LEVELS", "Binned", "binned"]

MOST_BINS = 256
#: A category of more levels than this has nearly one for every customer, as a code does.
MOST_LEVELS = 150
#: Rows whose quantiles are taken for everyone's.
_LOOKED_AT = 100_000


@dataclass(frozen=True)
class Binned:
    """``codes``: (n,) uint16, 0 missing, 1 to ``bins``; of a number ``low`` and ``high``: (bins,)
    the least and greatest value in each, of a category empty, for its levels are its bins."""

    codes: NDArray[np.uint16]
    bins: int
    low: NDArray[np.float64]
    high: NDArray[np.float64]

    @property
    def ordered(self) -> bool:
        """Whether it is a number."""
        return len(self.low) == self.bins > 0


def binned(column: Column) -> Binned:
    """A column in bins: every value its own where there are no more than 256, else by quantiles.

    >>> binned(Column("x", "number", np.array([5.0, np.nan, 1.0, 5.0]))).codes.tolist()
    [2, 0, 1, 2]
    """
    if column.kind == "category":
        nothing = np.zeros(0)
        return Binned(column.values.astype(np.uint16), len(column.levels), nothing, nothing)
    values = readonly(np.asarray(column.values, np.float64))
    ends = _ends(values)
    codes = np.empty(len(values), np.uint16)
    low, high = np.full(len(ends), np.inf), np.full(len(ends), -np.inf)
    if len(ends):
        into_bins(values, ends, codes, low, high)
    else:
        codes[:] = 0
    return Binned(codes, len(ends), low, high)


def _ends(values: NDArray[np.float64]) -> NDArray[np.float64]:
    if len(values) > _LOOKED_AT:
        values = values[np.random.default_rng(SEED).integers(0, len(values), _LOOKED_AT)]
    ordered = np.sort(values)
    ordered = ordered[: len(ordered) - int(np.isnan(ordered).sum())]
    different = ordered[np.append(np.diff(ordered) > 0, True)] if len(ordered) else ordered
    if len(different) <= MOST_BINS:
        return different
    places = np.ceil(np.arange(1, MOST_BINS + 1) / MOST_BINS * len(ordered)).astype(np.int64) - 1
    return np.unique(ordered[places])
