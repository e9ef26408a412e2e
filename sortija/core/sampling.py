"""Seeded samples of rows: the same rows each time, so that pictures and figures stay still."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["MOST_POINTS", "SEED", "sample_rows"]

#: Customers that a picture shows as points.
MOST_POINTS = 20_000
#: Of every sample that a person does not choose the seed of.
SEED = 4107


def sample_rows(
    rows: NDArray[np.int64], most: int = MOST_POINTS, seed: int = SEED
) -> NDArray[np.int64]:
    """A seeded draw of ``rows`` in their order; all where there are no more.

    >>> sample_rows(np.arange(5)).tolist(), len(sample_rows(np.arange(100), 10))
    ([0, 1, 2, 3, 4], 10)
    """
    if len(rows) <= most:
        return rows
    return np.sort(np.random.default_rng(seed).choice(rows, most, replace=False))
