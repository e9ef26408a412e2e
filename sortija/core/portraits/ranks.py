"""Separation by ranks alone, for measures with long tails: Kruskal and Wallis's test."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from sortija.core.measures.association import mid_ranks

__all__ = ["ByRanks", "by_ranks"]


@dataclass(frozen=True)
class ByRanks:
    """``h``: Kruskal and Wallis's H, ties allowed for; ``p`` of it by χ²; ``eta_squared``: share
    of the ranks' variance between groups. NaN where fewer than two groups or one value are there.
    """

    h: float
    p: float
    eta_squared: float


def by_ranks(values: NDArray[np.float64], groups: NDArray[np.integer], k: int) -> ByRanks:
    """Test whether groups stand at other ranks of everyone.

    Parameters
    ----------
    values : (n,) float64, NaN missing
    groups : (n,) int, 0 to k − 1; rows outside are left out

    Source: Kruskal & Wallis 1952, Use of ranks in one-criterion variance analysis.

    >>> found = by_ranks(np.array([1.0, 2.0, 3.0, 4.0]), np.array([0, 0, 1, 1]), 2)
    >>> round(found.h, 2), round(found.eta_squared, 2)
    (2.4, 0.8)
    """
    use = (groups >= 0) & (groups < k) & ~np.isnan(values)
    ranks, mine = mid_ranks(values[use]), groups[use]
    n, counts = len(ranks), np.bincount(mine, minlength=k)
    middle = (n + 1) / 2
    total = float(((ranks - middle) ** 2).sum())
    filled = counts > 0
    if filled.sum() < 2 or total == 0:
        nothing = float("nan")
        return ByRanks(nothing, nothing, nothing)
    sums = np.bincount(mine, ranks, minlength=k)[filled]
    between = float(((sums / counts[filled] - middle) ** 2 * counts[filled]).sum())
    h = (n - 1) * between / total
    return ByRanks(h, float(special.chdtrc(int(filled.sum()) - 1, h)), between / total)
