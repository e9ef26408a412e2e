"""Two groupings of the same customers side by side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

__all__ = ["adjusted_rand", "best_matching", "cross_table"]


def cross_table(
    first: NDArray[np.integer], second: NDArray[np.integer], rows: int, columns: int
) -> NDArray[np.int64]:
    """(rows, columns) customers by their group in each; negative labels are left out."""
    both = (first >= 0) & (second >= 0)
    key = first[both].astype(np.int64) * columns + second[both]
    return np.bincount(key, minlength=rows * columns).reshape(rows, columns)


def adjusted_rand(first: NDArray[np.integer], second: NDArray[np.integer]) -> float:
    """Adjusted Rand index (Hubert & Arabie 1985): 1 for equal groupings, about 0 by chance."""
    _, a = np.unique(first, return_inverse=True)
    _, b = np.unique(second, return_inverse=True)
    table = cross_table(a, b, int(a.max()) + 1, int(b.max()) + 1).astype(np.float64)

    def pairs(counts: NDArray[np.float64]) -> float:
        return float((counts * (counts - 1) / 2).sum())

    together = pairs(table)
    rows, columns = pairs(table.sum(axis=1)), pairs(table.sum(axis=0))
    everything = len(a) * (len(a) - 1) / 2
    expected = rows * columns / everything if everything else 0.0
    most = (rows + columns) / 2
    return 1.0 if most == expected else (together - expected) / (most - expected)


def best_matching(table: NDArray[np.int64]) -> NDArray[np.int64]:
    """For each row group its partner among the columns so that most customers agree; −1: none."""
    rows, columns = linear_sum_assignment(-table)
    out = np.full(len(table), -1, np.int64)
    out[rows] = columns
    return out
