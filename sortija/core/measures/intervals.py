"""Intervals of shares and means, and p corrected for how many were looked at."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri, stdtrit

__all__ = [
    "correlation_interval",
    "effect_interval",
    "holm",
    "mean_half_width",
    "newcombe",
    "wilson",
    "wilson_of_all",
]


def wilson(count: int, of: int, level: float = 0.95) -> tuple[float, float]:
    """The interval of a share by Wilson 1927.

    >>> [round(v, 3) for v in wilson(0, 100)]
    [0.0, 0.037]
    """
    low, high = wilson_of_all(np.array([count]), np.array([of]), level)
    return float(low[0]), float(high[0])


def wilson_of_all(
    counts: NDArray[np.integer], of: NDArray[np.integer], level: float = 0.95
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The same for arrays of one shape; NaN where there is nobody.

    >>> low, high = wilson_of_all(np.array([0, 50]), np.array([100, 100]))
    >>> low.round(3).tolist(), high.round(3).tolist()
    ([0.0, 0.404], [0.037, 0.596])
    """
    z = float(ndtri(0.5 + level / 2))
    n = np.where(of > 0, of, np.nan)
    share = counts / n
    middle = (share + z * z / (2 * n)) / (1 + z * z / n)
    half = z / (1 + z * z / n) * np.sqrt(share * (1 - share) / n + z * z / (4 * n * n))
    return np.maximum(0.0, middle - half), np.minimum(1.0, middle + half)


def newcombe(
    first: tuple[int, int], second: tuple[int, int], level: float = 0.95
) -> tuple[float, float]:
    """The interval of the first share less the second, each (count, of): Newcombe 1998, method 10.

    >>> [round(v, 4) for v in newcombe((56, 70), (48, 80))]
    [0.0524, 0.3339]
    """
    (a, n), (b, m) = first, second
    p, q = a / n, b / m
    (l1, u1), (l2, u2) = wilson(a, n, level), wilson(b, m, level)
    below = float(np.sqrt((p - l1) ** 2 + (u2 - q) ** 2))
    above = float(np.sqrt((u1 - p) ** 2 + (q - l2) ** 2))
    return p - q - below, p - q + above


def mean_half_width(sd: float, n: int, level: float = 0.95) -> float:
    """How far the interval of a mean reaches to either side (Student's t); NaN of one value.

    ``sd``: the sample's, with n − 1 below the line.

    >>> round(mean_half_width(2.0, 25), 3)
    0.826
    """
    if n < 2:
        return float("nan")
    return float(stdtrit(n - 1, 0.5 + level / 2)) * sd / float(np.sqrt(n))


def effect_interval(d: float, n: int, m: int, level: float = 0.95) -> tuple[float, float]:
    """The interval of a difference of two means in pooled SD, by its large-sample error
    (Hedges & Olkin 1985).

    >>> [round(v, 3) for v in effect_interval(0.5, 50, 50)]
    [0.102, 0.898]
    """
    error = float(np.sqrt((n + m) / (n * m) + d * d / (2 * (n + m))))
    half = float(ndtri(0.5 + level / 2)) * error
    return d - half, d + half


def correlation_interval(r: float, n: int, level: float = 0.95) -> tuple[float, float]:
    """The interval of a correlation by Fisher's z; NaN of three or fewer.

    >>> [round(v, 3) for v in correlation_interval(0.5, 100)]
    [0.337, 0.634]
    """
    if n <= 3 or abs(r) >= 1:
        return (r, r) if n > 3 else (float("nan"), float("nan"))
    half = float(ndtri(0.5 + level / 2)) / float(np.sqrt(n - 3))
    z = float(np.arctanh(r))
    return float(np.tanh(z - half)), float(np.tanh(z + half))


def holm(p: Sequence[float]) -> list[float]:
    """p corrected for all that were looked at (Holm 1979); NaN stays so and does not count.

    >>> holm([0.01, 0.04, 0.03])
    [0.03, 0.06, 0.06]
    """
    found = np.asarray(p, np.float64)
    there = np.flatnonzero(~np.isnan(found))
    order = there[np.argsort(found[there], kind="stable")]
    raised = found[order] * (len(there) - np.arange(len(there)))
    found[order] = np.minimum(np.maximum.accumulate(raised), 1.0)
    out: list[float] = found.tolist()
    return out
