"""Two measures against each other, group by group: density, trend and correlation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.measures.bivariate import density, line_through
from sortija.core.measures.describe import Axis
from sortija.core.measures.intervals import correlation_interval

__all__ = ["LEAST", "Multiple", "multiples"]

#: A line through fewer customers would say nothing.
LEAST = 20


@dataclass(frozen=True)
class Multiple:
    """One group on two axes, as they are drawn: values on an axis that is a log count as logs.

    ``n``: members that have both values; ``cells``: (up, across) of them, y by x; ``r`` with
    ``low`` and ``high``, its 95% interval; ``line``: the trend's places (0 to 1) at the left and
    the right end of the x axis. NaN where there are too few or nothing varies.
    """

    n: int
    cells: NDArray[np.int64]
    r: float
    low: float
    high: float
    line: tuple[float, float]


def multiples(
    x: NDArray[np.float64], y: NDArray[np.float64], groups: NDArray[np.integer], k: int,
    axes: tuple[Axis, Axis], steps: tuple[int, int] = (24, 24), engine: Engine | None = None,
) -> list[Multiple]:  # fmt: skip
    """The groups one by one, then all of them together.

    Parameters
    ----------
    x, y : (n,) float64, NaN missing
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> x = np.arange(40.0)
    >>> axes = Axis(0, 40, False), Axis(0, 80, False)
    >>> one, both = multiples(x, 2 * x, np.zeros(40, int), 1, axes)
    >>> one.n, round(one.r, 6), [round(v, 6) for v in one.line], both.n
    (40, 1.0, [0.0, 1.0], 40)
    """
    use = (groups >= 0) & (groups < k) & ~np.isnan(x) & ~np.isnan(y)
    x, y, groups = x[use], y[use], groups[use]

    def one(group: int) -> Multiple:
        mine = slice(None) if group == k else groups == group
        return _multiple(x[mine], y[mine], axes, steps)

    return (engine or Engine(1)).map(one, range(k + 1))


def _multiple(
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    axes: tuple[Axis, Axis],
    steps: tuple[int, int],
) -> Multiple:
    across, up = axes
    cells = density(x, y, across, up, steps)
    found = line_through(across.bend(x), up.bend(y)) if len(x) >= LEAST else None
    gone = float("nan")
    if found is None:
        return Multiple(len(x), cells, gone, gone, gone, (gone, gone))
    left, right = across.bend(np.array([across.low, across.high]))
    foot, top = up.bend(np.array([up.low, up.high]))
    ends = [(found.intercept + found.slope * at - foot) / (top - foot) for at in (left, right)]
    low, high = correlation_interval(found.r, len(x))
    return Multiple(len(x), cells, found.r, low, high, (float(ends[0]), float(ends[1])))
