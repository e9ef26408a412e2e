"""Outliers of a skewed column: the fences of the adjusted box plot."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.sampling import SEED

__all__ = ["Fences", "fences_of", "medcouple"]

SAMPLE = 5_000
_WHISKER = 1.5
#: Halvings after which the interval of the medcouple is below 1e-13.
_HALVINGS = 46


@dataclass(frozen=True)
class Fences:
    """Values below ``low`` or above ``high`` are outliers; ``medcouple``: the skew they allow for,
    −1 to 1; ``below``, ``above``: how many values lie there."""

    low: float
    high: float
    medcouple: float
    below: int
    above: int


def fences_of(values: NDArray[np.float64], seed: int = SEED) -> Fences:
    """The fences of a column's values (no NaN), from its quartiles and medcouple.

    The medcouple is taken on a seeded sample of 5,000 where there are more values. Without a
    spread between the quartiles nothing is an outlier.

    Source: Hubert & Vandervieren 2008, An adjusted boxplot for skewed distributions.

    >>> fences_of(np.append(np.arange(100.0), 900.0)).above
    1
    """
    if len(values) == 0:
        return Fences(math.nan, math.nan, math.nan, 0, 0)
    q1, q3 = (float(v) for v in np.quantile(values, (0.25, 0.75)))
    spread = q3 - q1
    if spread <= 0:
        return Fences(float(values.min()), float(values.max()), 0.0, 0, 0)
    sample = values
    if len(values) > SAMPLE:
        sample = values[np.random.default_rng(seed).choice(len(values), SAMPLE, replace=False)]
    mc = medcouple(sample)
    down, up = (-4.0, 3.0) if mc >= 0 else (-3.0, 4.0)
    low = q1 - _WHISKER * math.exp(down * mc) * spread
    high = q3 + _WHISKER * math.exp(up * mc) * spread
    return Fences(low, high, mc, int((values < low).sum()), int((values > high).sum()))


def medcouple(values: NDArray[np.float64]) -> float:
    """The medcouple: a skew from −1 to 1 that outliers do not move; 0 for fewer than 3 values.

    The median over all pairs x_i ≥ m ≥ x_j of ((x_i − m) − (m − x_j)) / (x_i − x_j); pairs that
    both equal the median m count by the sign of their places. Found by halving an interval and
    counting the pairs below, which takes n steps each, for the rows and columns are in order.

    Source: Brys, Hubert & Struyf 2004, A robust measure of skewness.

    >>> medcouple(np.array([1.0, 2.0, 3.0, 4.0, 10.0]))
    0.0
    """
    if len(values) < 3:
        return 0.0
    ordered = np.sort(values)
    middle = float(np.median(ordered))
    upper = ordered[ordered >= middle][::-1] - middle
    lower = ordered[ordered <= middle][::-1] - middle
    ties = int((ordered == middle).sum())
    pairs = len(upper) * len(lower)
    first = _select(upper, lower, ties, (pairs - 1) // 2)
    if pairs % 2 or _count(upper, lower, ties, first) > pairs // 2:
        return first
    return (first + _above(upper, lower, ties, first)) / 2.0


@numba.njit(nogil=True, cache=True)
def _couple(a: Any, b: Any, i: int, j: int, ties: int) -> float:
    """The couple of ``upper[i]`` and ``lower[j]``, both less the median, falling."""
    if a[i] == 0.0 and b[j] == 0.0:
        # Ties stand last in ``a`` and first in ``b``; their couples are −1, 0 and 1 in order.
        rank = i - (len(a) - ties) + j
        return 1.0 if rank < ties - 1 else (0.0 if rank == ties - 1 else -1.0)
    return (a[i] + b[j]) / (a[i] - b[j])


@numba.njit(nogil=True, cache=True)
def _count(a: Any, b: Any, ties: int, limit: float) -> int:
    """How many couples are at most ``limit``: couples fall along rows and along columns."""
    total, j = 0, len(b)
    for i in range(len(a)):
        while j > 0 and _couple(a, b, i, j - 1, ties) <= limit:
            j -= 1
        total += len(b) - j
    return total


@numba.njit(nogil=True, cache=True)
def _above(a: Any, b: Any, ties: int, limit: float) -> float:
    """The least couple above ``limit``."""
    least, j = 1.0, len(b)
    for i in range(len(a)):
        while j > 0 and _couple(a, b, i, j - 1, ties) <= limit:
            j -= 1
        if j > 0:
            least = min(least, _couple(a, b, i, j - 1, ties))
    return least


@numba.njit(nogil=True, cache=True)
def _select(a: Any, b: Any, ties: int, place: int) -> float:
    """The couple at ``place`` in rising order, to within 1e-13."""
    low, high = -1.0, 1.0
    if _count(a, b, ties, low) > place:
        return low
    for _ in range(_HALVINGS):
        half = (low + high) / 2.0
        if half <= low or half >= high:
            break
        if _count(a, b, ties, half) > place:
            high = half
        else:
            low = half
    return high
