"""Profiles of groups: numeric and categorical columns, ordered by how well they separate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from sortija.core.engine import readonly
from sortija.core.measures.association import table_association
from sortija.core.measures.describe import MIDDLE
from sortija.core.measures.variance import eta_squared
from sortija.core.portraits.kernels import in_groups, moments, ranked

__all__ = ["CategoryProfile", "NumericProfile", "category_profile", "numeric_profile"]


@dataclass(frozen=True)
class NumericProfile:
    """One measure by group. Values missing are left out; ``counts`` are those that are there.

    ``tails``: below which half a percent, 2%, 90% and 99.5% of everyone lie; ``skew`` of everyone;
    ``sds``: (k,) with n − 1 below the line; ``quarters``: (k, 3) each group's quartiles;
    ``deviations``: (k,) how far a group's mean stands from everyone's, in everyone's SD;
    ``eta_squared``: share of the variance between groups; ``p`` of the one-way F test (on a
    column that shaped the groups it proves nothing).
    """

    everyone_mean: float
    everyone_sd: float
    quartiles: tuple[float, float, float]
    tails: tuple[float, float, float, float]
    skew: float
    counts: NDArray[np.int64]
    means: NDArray[np.float64]
    sds: NDArray[np.float64]
    quarters: NDArray[np.float64]
    deviations: NDArray[np.float64]
    eta_squared: float
    f: float
    p: float

    @property
    def medians(self) -> NDArray[np.float64]:
        """(k,)"""
        return self.quarters[:, 1]


_QUARTERS = (0.25, 0.5, 0.75)
_SHARES = (MIDDLE[0], 0.02, 0.25, 0.5, 0.75, 0.9, MIDDLE[1])
#: Share of a group's members that a value has at least to be telling.
LEAST_TELLING = 0.1


@dataclass(frozen=True)
class CategoryProfile:
    """One category by group, missing as its first level.

    ``table``: (k, levels + 1) customers; ``shares``: the same of each group's members;
    ``telling``: (k,) the level that a group has most above everyone, among those that a tenth of
    its members have; ``index``: 100 where a group is like everyone; ``v``: Cramér's V with the
    bias taken out (Bergsma 2013).
    """

    everyone: NDArray[np.float64]
    table: NDArray[np.int64]
    shares: NDArray[np.float64]
    index: NDArray[np.float64]
    telling: NDArray[np.int64]
    chi_squared: float
    p: float
    v: float


def numeric_profile(
    values: NDArray[np.float64], groups: NDArray[np.integer], k: int
) -> NumericProfile:
    """Profile a measure.

    Parameters
    ----------
    values : (n,) float64, NaN missing
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> found = numeric_profile(np.array([1.0, 1.0, 9.0, 9.0]), np.array([0, 0, 1, 1]), 2)
    >>> found.means.tolist(), round(found.eta_squared, 3)
    ([1.0, 9.0], 1.0)
    """
    x, counts, sums = in_groups(
        readonly(np.asarray(values, np.float64)), readonly(np.asarray(groups, np.int32)), k
    )
    if len(x) == 0:
        gone = np.full(k, np.nan)
        nothing = float("nan")
        return NumericProfile(
            nothing, nothing, (nothing,) * 3, (nothing,) * 4, nothing, counts, gone, gone,
            np.full((k, 3), np.nan), gone, nothing, nothing, nothing
        )  # fmt: skip
    ends = np.cumsum(counts)
    parts = np.split(x, ends[:-1])
    for part in parts:
        part.sort()
    a, b, q1, middle, q3, y, z = _of_all(x, ends, _SHARES)
    with np.errstate(invalid="ignore", divide="ignore"):
        means = sums / counts
    quarters = np.array([_quantiles(part, _QUARTERS) for part in parts])
    sds = np.array([_spread(part, m) for part, m in zip(parts, means, strict=True)])
    mean = float(sums.sum() / len(x))
    total, third = moments(x, mean) if x.min() < x.max() else (0.0, 0.0)
    sd = float(np.sqrt(total / len(x)))
    told = eta_squared(counts, means, mean, total)
    filled = int((counts > 0).sum())
    f, p = _f_test(told, filled - 1, len(x) - filled)
    return NumericProfile(
        mean, sd, (q1, middle, q3), (a, b, y, z), third / len(x) / sd**3 if sd > 0 else 0.0,
        counts, means, sds, quarters, (means - mean) / sd if sd > 0 else np.zeros(k),
        float(np.nan_to_num(told)), f, p,
    )  # fmt: skip


def _f_test(told: float, between: int, within: int) -> tuple[float, float]:
    """One-way F of an η² and its p, by the degrees of freedom; NaN where there is no test."""
    if not (between > 0 and within > 0 and told < 1):
        return float("nan"), float("nan")
    f = (told / between) / ((1 - told) / within)
    return f, float(special.fdtrc(between, within, f))


def _spread(part: NDArray[np.float64], mean: float) -> float:
    """The SD of a sample; NaN of fewer than two."""
    if len(part) < 2:
        return float("nan")
    return float(np.sqrt(moments(part, mean)[0] / (len(part) - 1))) if part[0] < part[-1] else 0.0


def _quantiles(rising: NDArray[np.float64], shares: tuple[float, ...]) -> list[float]:
    """Quantiles of sorted values, between two of them by how near each is; NaN of none."""
    if len(rising) == 0:
        return [float("nan")] * len(shares)
    places = np.array(shares) * (len(rising) - 1)
    below = np.floor(places).astype(np.int64)
    low, high = rising[below], rising[np.minimum(below + 1, len(rising) - 1)]
    found: list[float] = (low + (high - low) * (places - below)).tolist()
    return found


def _of_all(
    rising: NDArray[np.float64], ends: NDArray[np.int64], shares: tuple[float, ...]
) -> list[float]:
    """Quantiles of all values, of which each part is sorted."""
    places = np.array(shares) * (len(rising) - 1)
    below = np.floor(places).astype(np.int64)
    both = np.concatenate([below, np.minimum(below + 1, len(rising) - 1)])
    low, high = np.split(ranked(rising, ends, both), 2)
    found: list[float] = (low + (high - low) * (places - below)).tolist()
    return found


def category_profile(
    codes: NDArray[np.integer], levels: int, groups: NDArray[np.integer], k: int
) -> CategoryProfile:
    """Profile a category.

    Parameters
    ----------
    codes : (n,) int, 0 missing, 1 to ``levels``
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> found = category_profile(np.array([1, 1, 2, 2]), 2, np.array([0, 0, 1, 1]), 2)
    >>> found.shares.tolist(), found.telling.tolist()
    ([[0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], [1, 2])
    """
    use = (groups >= 0) & (groups < k)
    width = levels + 1
    key = groups[use].astype(np.int64) * width + codes[use]
    counts = np.bincount(key, minlength=k * width).reshape(k, width)
    table = counts.astype(np.float64)
    n = table.sum()
    everyone = table.sum(axis=0) / n if n else np.zeros(width)
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = table / table.sum(axis=1, keepdims=True)
        index = 100 * shares / everyone
    found = table_association(table)
    chi, p, v = found.chi, found.p, float(np.nan_to_num(found.v))
    gain = np.where(np.isnan(shares), -1, shares - everyone)
    # A value that hardly any member has tells nothing of them, however rare it is elsewhere.
    gain = np.where(shares < LEAST_TELLING, gain - 1, gain)
    gain[:, 0] = -3  # "not given" says nothing about anybody
    return CategoryProfile(everyone, counts, shares, index, gain.argmax(axis=1), chi, p, v)
