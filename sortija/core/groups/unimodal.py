"""The distribution with one hump that is closest to a column's own."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["closest_unimodal", "dip", "unimodal_quantiles"]

#: Points of a column's distribution that are looked at, and places tried for its mode.
POINTS = 1_000
MODES = 30
#: A column of fewer different values stays as it is: its steps are no humps.
LEAST_VALUES = 20


def closest_unimodal(
    values: NDArray[np.floating],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Knots (x, share below) of the unimodal distribution closest to the values' own.

    Its distribution function is convex up to the mode and concave from there on: the greatest
    convex minorant and the least concave majorant of the values' own, at that mode where the two
    together stay closest to it (the dip of Hartigan & Hartigan 1985 is their distance).

    >>> x, share = closest_unimodal(np.arange(101.0))
    >>> float(np.interp(25, x, share)), float(np.interp(75, x, share))
    (0.25, 0.75)
    """
    x, shares = _points(values)
    if len(x) < 3:
        return x, shares
    return x, _closest(x, shares)[1]


def dip(values: NDArray[np.floating]) -> float:
    """How far a column's distribution is from the closest one with a single hump, 0 to 1.

    >>> dip(np.concatenate([np.arange(100.0), 1000 + np.arange(100.0)])) > 0.2
    True
    """
    x, shares = _points(values)
    return float(_closest(x, shares)[0]) if len(x) > 2 else 0.0


def _points(values: NDArray[np.floating]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Different values, a thousand at most, and the share up to each; where values are equal the
    distribution jumps, and its upper end counts."""
    ordered = np.sort(np.asarray(values, np.float64))
    if len(ordered) > POINTS:
        ordered = ordered[np.linspace(0, len(ordered) - 1, POINTS).astype(np.int64)]
    keep = np.append(np.diff(ordered) > 0, True)
    shares = np.arange(len(ordered)) / max(len(ordered) - 1, 1)
    return ordered[keep], shares[keep]


@numba.njit(nogil=True, cache=True)
def _closest(x: Any, shares: Any) -> Any:
    """(distance, shares of the closest unimodal distribution at each x)."""
    m = len(x)
    best, fitted = np.inf, shares.copy()
    tried, corners = np.empty(m), np.empty(m, np.int64)
    step = max(1, (m - 1) // MODES)
    for mode in range(0, m, step):
        _hull(x, shares, 0, mode, 1.0, corners, tried)
        _hull(x, shares, mode, m - 1, -1.0, corners, tried)
        away = 0.0
        for i in range(m):
            away = max(away, abs(tried[i] - shares[i]))
        if away < best:
            best = away
            fitted[:] = tried
    return best, fitted


@numba.njit(nogil=True, cache=True)
def _hull(x: Any, y: Any, first: int, last: int, sign: float, corners: Any, out: Any) -> None:
    """The greatest convex minorant (``sign`` 1) or least concave majorant (−1) of points."""
    corners[0] = first
    n = 1
    for i in range(first + 1, last + 1):
        while n > 1:
            a, b = corners[n - 2], corners[n - 1]
            bend = (y[b] - y[a]) * (x[i] - x[a]) - (y[i] - y[a]) * (x[b] - x[a])
            if sign * bend < 0:
                break
            n -= 1
        corners[n] = i
        n += 1
    out[first] = y[first]
    for c in range(n - 1):
        a, b = corners[c], corners[c + 1]
        slope = (y[b] - y[a]) / (x[b] - x[a])
        for i in range(a, b + 1):
            out[i] = y[a] + slope * (x[i] - x[a])


def unimodal_quantiles(
    values: NDArray[np.floating], shares: NDArray[np.floating]
) -> NDArray[np.float64]:
    """Values of the closest unimodal distribution below which these shares lie.

    A column of fewer than 20 different values keeps its own.

    >>> two_values = np.array([1.0, 1.0, 2.0, 2.0])
    >>> unimodal_quantiles(two_values, np.array([0.1, 0.9])).tolist()
    [1.0, 2.0]
    """
    if len(np.unique(values[:10_000])) < LEAST_VALUES:
        ordered = np.sort(np.asarray(values, np.float64))
        return np.asarray(ordered[(shares * (len(ordered) - 1)).astype(int)])
    x, below = closest_unimodal(values)
    return np.interp(shares, below, x)
