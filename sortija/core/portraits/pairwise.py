"""Two groups against each other: differences of means and of shares, with intervals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from sortija.core.measures.intervals import effect_interval, newcombe

__all__ = ["Difference", "Sample", "means_apart", "shares_apart"]


@dataclass(frozen=True)
class Sample:
    """A group's members that have a value, their mean and SD (n − 1 below the line)."""

    n: int
    mean: float
    sd: float


@dataclass(frozen=True)
class Difference:
    """The first less the second with its 95% interval; of means also in pooled SD (d).

    NaN where a group is too small to tell.
    """

    value: float
    low: float
    high: float
    d: float = float("nan")
    d_low: float = float("nan")
    d_high: float = float("nan")

    @property
    def told(self) -> bool:
        """Whether the interval leaves out 0."""
        return self.low > 0 or self.high < 0


def means_apart(first: Sample, second: Sample, level: float = 0.95) -> Difference:
    """The difference of two means, by Welch's t; d by the pooled SD.

    Source: Welch 1947; Hedges & Olkin 1985 for the interval of d.

    >>> found = means_apart(Sample(50, 10.0, 2.0), Sample(50, 9.0, 2.0))
    >>> round(found.low, 3), round(found.high, 3), found.d
    (0.206, 1.794, 0.5)
    """
    value = first.mean - second.mean
    if first.n < 2 or second.n < 2:
        gone = float("nan")
        return Difference(value, gone, gone)
    a, b = first.sd**2 / first.n, second.sd**2 / second.n
    if a + b == 0:
        return Difference(value, value, value)
    free = (a + b) ** 2 / (a * a / (first.n - 1) + b * b / (second.n - 1))
    half = float(stdtrit(free, 0.5 + level / 2)) * float(np.sqrt(a + b))
    squares = (first.n - 1) * first.sd**2 + (second.n - 1) * second.sd**2
    d = value / float(np.sqrt(squares / (first.n + second.n - 2)))
    return Difference(
        value, value - half, value + half, d, *effect_interval(d, first.n, second.n, level)
    )


def shares_apart(
    first: tuple[int, int], second: tuple[int, int], level: float = 0.95
) -> Difference:
    """The difference of two shares, each (count, of), by Newcombe's method 10.

    >>> found = shares_apart((56, 70), (48, 80))
    >>> round(found.value, 2), round(found.low, 4), round(found.high, 4)
    (0.2, 0.0524, 0.3339)
    """
    if not first[1] or not second[1]:
        gone = float("nan")
        return Difference(gone, gone, gone)
    low, high = newcombe(first, second, level)
    return Difference(first[0] / first[1] - second[0] / second[1], low, high)
