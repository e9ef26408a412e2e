"""Whether a draw made two arms that are alike."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.table import Column

__all__ = ["UNEVEN", "imbalance"]

#: Arms that differ by as much of a standard deviation are told to.
UNEVEN = 0.1


def imbalance(column: Column, held: NDArray[np.bool_]) -> float:
    """The standardised difference of two arms in one column, written to less held out.

    Numbers: of the means, by the root of the mean variance; categories: the largest of all levels'
    shares. Missing values are left out; NaN where an arm has fewer than two.

    >>> column = Column("visits", "number", np.array([1.0, 3.0, 1.0, 3.0]), "visits")
    >>> imbalance(column, np.array([True, True, False, False]))
    0.0
    """
    values = np.asarray(column.values)
    if column.kind == "category":
        known = values > 0
        gaps = [
            _standardised((values == code).astype(np.float64), held, known)
            for code in range(1, len(column.levels) + 1)
        ]
        told = [gap for gap in gaps if not np.isnan(gap)]
        return max(told, key=abs, default=float("nan"))
    numbers = values.astype(np.float64)
    return _standardised(numbers, held, ~np.isnan(numbers))


def _standardised(
    values: NDArray[np.float64], held: NDArray[np.bool_], known: NDArray[np.bool_]
) -> float:
    arms = [values[known & ~held], values[known & held]]
    if min(len(arm) for arm in arms) < 2:
        return float("nan")
    spread = float(np.sqrt((arms[0].var(ddof=1) + arms[1].var(ddof=1)) / 2))
    gap = float(arms[0].mean() - arms[1].mean())
    if spread == 0:
        return 0.0 if gap == 0 else float("inf") * np.sign(gap)
    return gap / spread
