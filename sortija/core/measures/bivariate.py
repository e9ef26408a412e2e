"""Two measures against each other: points or density, edges, and the line through them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.association import pearson
from sortija.core.measures.describe import Axis, axis_for, shape, steps_for

__all__ = ["Line", "Pair", "density", "line_through", "pair_of"]

EDGE_STEPS = 40


@dataclass(frozen=True)
class Line:
    """``y = intercept + slope · x`` by least squares in the columns' units, and Pearson's r."""

    slope: float
    intercept: float
    r: float


@dataclass(frozen=True)
class Pair:
    """``rows``: (n,) customers that have both; ``x_axis``, ``y_axis``: over the middle 99%;
    ``x_edge``, ``y_edge``: how many stand along each axis; ``line``: None where one is constant."""

    rows: NDArray[np.int64]
    x_axis: Axis
    y_axis: Axis
    x_edge: NDArray[np.int64]
    y_edge: NDArray[np.int64]
    line: Line | None


def line_through(x: NDArray[np.float64], y: NDArray[np.float64]) -> Line | None:
    """The least-squares line; None for fewer than 3 points or a constant column.

    >>> line_through(np.array([1.0, 2.0, 3.0]), np.array([2.0, 4.0, 6.0]))
    Line(slope=2.0, intercept=0.0, r=1.0)
    """
    r = pearson(x, y)
    if np.isnan(r):
        return None
    slope = r * float(y.std()) / float(x.std())
    return Line(slope, float(y.mean()) - slope * float(x.mean()), r)


def pair_of(
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    log: tuple[bool, bool] = (False, False),
    whole: tuple[bool, bool] = (False, False),
) -> Pair:
    """Everything about two columns but the points themselves.

    ``log``, ``whole``: whether each axis is a log, and each column holds whole numbers.

    Raises
    ------
    ValueError
        The columns differ in length.
    """
    if len(x) != len(y):
        raise ValueError("two columns of one picture have the same number of rows")
    rows = np.flatnonzero(~np.isnan(x) & ~np.isnan(y))
    a, b = x[rows], y[rows]
    x_axis, y_axis = axis_for(a, log[0]), axis_for(b, log[1])
    return Pair(rows, x_axis, y_axis, _edge(a, x_axis, whole[0]), _edge(b, y_axis, whole[1]),
                line_through(a, b))  # fmt: skip


def _edge(values: NDArray[np.float64], axis: Axis, whole: bool) -> NDArray[np.int64]:
    return shape(values, axis, steps_for(axis, whole, EDGE_STEPS))


def density(
    x: NDArray[np.float64], y: NDArray[np.float64], x_axis: Axis, y_axis: Axis,
    steps: tuple[int, int] = (60, 60),
) -> NDArray[np.int64]:  # fmt: skip
    """(up, across) how many stand in each cell, y by x, ends take the rest; ``steps``: of x, y."""
    across, up = steps
    a = np.minimum((x_axis.place(x) * across).astype(np.int64), across - 1)
    b = np.minimum((y_axis.place(y) * up).astype(np.int64), up - 1)
    return np.bincount(b * across + a, minlength=across * up).reshape(up, across)
