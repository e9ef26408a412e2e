"""What a column looks like: moments, quartiles, zeros, missing, its shape on an axis."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.table import REASONS, Column

__all__ = [
    "MIDDLE",
    "Axis",
    "Description",
    "axis_between",
    "axis_for",
    "describe",
    "outline",
    "shape",
    "skewness",
    "steps_for",
    "wants_log",
]

SHAPE_STEPS = 48
#: Beyond such a skew an axis in the column's own unit shows little but its first step.
_LOG_SKEW = 2.0
#: Nor does a log tell more than the unit where all values are small.
_LOG_REACH = 20.0
#: The shares of the values that lie below the two ends of an axis.
MIDDLE = (0.005, 0.995)


@dataclass(frozen=True)
class Axis:
    """From ``low`` to ``high`` in the column's unit; ``log``: signed log of 1 + |x|."""

    low: float
    high: float
    log: bool

    def place(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Positions 0..1 along the axis, values beyond its ends clamped."""
        low, high = self.bend(np.array([self.low, self.high]))
        if high <= low:
            return np.full(len(values), 0.5)
        return np.clip((self.bend(values) - low) / (high - low), 0.0, 1.0)

    def bend(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Values as the axis spaces them."""
        return np.sign(values) * np.log1p(np.abs(values)) if self.log else values


@dataclass(frozen=True)
class Description:
    """Figures of one numeric column; all but the counts are NaN where nothing is there."""

    count: int
    missing: dict[str, int]
    zeros: int
    mean: float
    sd: float
    low: float
    quartile_1: float
    median: float
    quartile_3: float
    high: float
    skew: float


def skewness(values: NDArray[np.float64]) -> float:
    """Moment coefficient of skewness, g1 (ddof 0); 0 for a constant.

    >>> round(float(skewness(np.array([1.0, 1.0, 1.0, 9.0]))), 2)
    1.15
    """
    if len(values) == 0:
        return float("nan")
    centred = values - values.mean()
    power = centred * centred
    second = float(power.mean())
    if second <= 1e-24 * max(1.0, float(np.abs(values).max()) ** 2):
        return 0.0
    power *= centred  # NumPy's own third power takes ten times as long
    return float(power.mean()) / second**1.5


def describe(column: Column) -> Description:
    """Describe a numeric column; missing values are counted by reason and left out.

    >>> from sortija.core.table import Column
    >>> found = describe(Column("visits", "number", np.array([1.0, 2.0, 9.0, np.nan])))
    >>> found.count, float(found.median)
    (3, 2.0)
    """
    there = column.values[~column.missing]
    missing = {}
    if column.reasons is not None:
        for code, count in enumerate(np.bincount(column.reasons, minlength=len(REASONS))):
            if code and count:
                missing[REASONS[code]] = int(count)
    elif len(there) < len(column):
        missing[REASONS[3]] = len(column) - len(there)
    if len(there) == 0:
        gone = float("nan")
        return Description(0, missing, 0, gone, gone, gone, gone, gone, gone, gone, gone)
    low, q1, median, q3, high = np.quantile(there, (0, 0.25, 0.5, 0.75, 1))
    return Description(
        count=len(there),
        missing=missing,
        zeros=int((there == 0).sum()),
        mean=float(there.mean()),
        sd=float(there.std()),
        low=float(low),
        quartile_1=float(q1),
        median=float(median),
        quartile_3=float(q3),
        high=float(high),
        skew=skewness(there),
    )


def wants_log(skew: float, far: float) -> bool:
    """Whether an axis tells more on a log: a long upper tail (``skew``) of values that are large
    (``far``: the 99th percentile), for among small ones, as shares are, a log tells no more.

    >>> wants_log(5.0, 300.0), wants_log(5.0, 0.8), wants_log(0.3, 300.0)
    (True, False, False)
    """
    return skew > _LOG_SKEW and far > _LOG_REACH


def axis_for(values: NDArray[np.float64], log: bool) -> Axis:
    """An axis over the middle 99% of the values, at 0 where they come close to it.

    >>> axis_for(np.array([]), False)
    Axis(low=0.0, high=1.0, log=False)
    """
    if len(values) == 0:
        return Axis(0.0, 1.0, log)
    low, high = (float(v) for v in np.quantile(values, MIDDLE))
    return axis_between(low, high, log)


def axis_between(low: float, high: float, log: bool) -> Axis:
    """An axis over the middle of some values, which lies between ``low`` and ``high``.

    >>> axis_between(1.0, 10.0, False).low, axis_between(8.0, 10.0, False).low
    (0.0, 8.0)
    """
    if 0 <= low < 0.25 * high:
        low = 0.0
    if high <= low:
        low, high = low - 0.5, high + 0.5
    return Axis(low, high, log)


def steps_for(axis: Axis, whole: bool, most: int = SHAPE_STEPS) -> int:
    """How many parts to cut an axis into: of whole numbers each part holds as many of them, so
    that no comb is drawn that is not in the values.

    >>> steps_for(Axis(0.0, 7.0, False), whole=True, most=24)
    7
    """
    span = int(axis.high - axis.low)
    if not whole or axis.log or span < 2:
        return most
    return max(2, span // -(-span // most))


def outline(
    values: NDArray[np.float64], rows: NDArray[np.int64], axis: Axis, steps: int = SHAPE_STEPS
) -> tuple[NDArray[np.int64], float]:
    """Shape (:func:`shape`) and median of some rows' values, missing ones left out; NaN for none.

    One pass without the interpreter, so that the outlines of many columns run side by side.
    """
    low, high = axis.bend(np.array([axis.low, axis.high]))
    counts = np.zeros(steps, np.int64)
    median = _outline(readonly(values), rows, float(low), float(high), axis.log, counts)
    return counts, float(median)


@numba.njit(nogil=True, cache=True)
def _outline(values: Any, rows: Any, low: float, high: float, log: bool, counts: Any) -> float:
    there, steps = np.empty(len(rows)), np.empty(len(rows), np.int32)
    n, last = 0, len(counts) - 1
    for row in rows:
        value = values[row]
        if np.isnan(value):
            continue
        bent = np.sign(value) * np.log1p(abs(value)) if log else value
        place = (bent - low) / (high - low) if high > low else 0.5
        step = min(int(min(max(place, 0.0), 1.0) * len(counts)), last)
        there[n], steps[n] = value, step
        counts[step] += 1
        n += 1
    if n == 0:
        return np.nan
    one = _in_order(there[:n], steps[:n], counts, (n - 1) // 2)
    return one if n % 2 else (one + _in_order(there[:n], steps[:n], counts, n // 2)) / 2.0


@numba.njit(nogil=True, cache=True)
def _in_order(values: Any, steps: Any, counts: Any, place: int) -> float:
    """The value at a place in rising order: only those of its own step need be put in order."""
    step = 0
    while place >= counts[step]:
        place -= counts[step]
        step += 1
    among = np.empty(counts[step])
    n = 0
    for i in range(len(values)):
        if steps[i] == step:
            among[n] = values[i]
            n += 1
    return np.partition(among, place)[place]


def shape(values: NDArray[np.float64], axis: Axis, steps: int = SHAPE_STEPS) -> NDArray[np.int64]:
    """How many values fall into each of ``steps`` equal parts of the axis; ends take the rest.

    >>> shape(np.array([0.0, 1.0, 9.0, 40.0]), Axis(0.0, 10.0, False), 2).tolist()
    [2, 2]
    """
    place = np.minimum((axis.place(values) * steps).astype(np.int64), steps - 1)
    return np.bincount(place, minlength=steps).astype(np.int64)
