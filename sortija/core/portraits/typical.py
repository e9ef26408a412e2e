"""Customers who stand for their segment."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from sortija.core.table import Column

__all__ = ["most_typical"]


def most_typical(
    numbers: Sequence[Column], groups: NDArray[np.integer], k: int, most: int = 3
) -> list[list[int]]:
    """Rows nearest to their segment's medians, each number counted in its mid-spread.

    Without a distance of the grouping itself; a number that a row lacks counts as one mid-spread.

    >>> x = Column("x", "number", np.array([1.0, 2.0, 9.0, 30.0, 31.0]))
    >>> most_typical([x], np.array([0, 0, 0, 1, 1]), 2, most=1)
    [[1], [3]]
    """
    away = np.zeros(len(groups))
    for column in numbers:
        values = np.asarray(column.values, np.float64)
        spread = float(np.subtract(*np.nanpercentile(values, [75, 25]))) or float(np.nanstd(values))
        for group in range(k):
            mine = groups == group
            there = values[mine][~np.isnan(values[mine])]
            middle = float(np.median(there)) if len(there) else 0.0
            apart = np.abs(values[mine] - middle) / (spread or 1.0)
            away[mine] += np.nan_to_num(apart, nan=1.0) ** 2
    nearest = []
    for group in range(k):
        mine = np.flatnonzero(groups == group)
        nearest.append(mine[np.argsort(away[mine], kind="stable")[:most]].tolist())
    return nearest
