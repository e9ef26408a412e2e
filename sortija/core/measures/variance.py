"""The share of a number's variance that lies between groups."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["eta_squared"]


def eta_squared(
    counts: NDArray[np.integer], means: NDArray[np.float64], mean: float, total: float
) -> float:
    """η²: squares between groups against all of them, 0 to 1; NaN where nothing varies.

    Parameters
    ----------
    counts, means : (k,) members and mean of each group; the mean of an empty one does not count
    mean : float
        Everyone's.
    total : float
        The sum of everyone's squared distances from ``mean``.

    >>> round(eta_squared(np.array([2, 2]), np.array([1.0, 3.0]), 2.0, 5.0), 2)
    0.8
    """
    if not total > 0:
        return float("nan")
    filled = counts > 0
    between = float((counts[filled] * (means[filled] - mean) ** 2).sum())
    return min(1.0, between / total)
