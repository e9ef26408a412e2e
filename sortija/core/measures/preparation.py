"""Make measures comparable: fill, cap, transform, scale, in this order, with frozen constants."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.describe import skewness
from sortija.core.table import Column

__all__ = ["Fill", "Fitted", "Scale", "Steps", "Transform", "apply", "fit", "propose"]

Fill = Literal["leave out", "median", "zero"]
Transform = Literal["none", "log", "root"]
Scale = Literal["z", "range", "robust", "rank", "none"]
RANK_KNOTS = 1001


@dataclass(frozen=True)
class Steps:
    """What a person chooses; ``cap``: percentiles kept (0.01 keeps the middle 98%), 0 for none."""

    fill: Fill = "leave out"
    cap: float = 0.0
    transform: Transform = "none"
    scale: Scale = "z"


@dataclass(frozen=True)
class Fitted:
    """Steps with the constants learnt from one column; enough to prepare any later value.

    ``knots``: for rank scaling, the values at equally spaced ranks. ``constant``: every value
    is the same, so the column says nothing.
    """

    steps: Steps
    fill: float
    low: float
    high: float
    centre: float
    spread: float
    knots: tuple[float, ...] = ()
    constant: bool = False

    def as_json(self) -> dict[str, Any]:
        """Plain JSON, in which NaN is null."""
        data = asdict(self)
        return {k: None if isinstance(v, float) and v != v else v for k, v in data.items()}

    @staticmethod
    def from_json(data: dict[str, Any]) -> Fitted:
        plain: dict[str, Any] = {k: float("nan") if v is None else v for k, v in data.items()}
        steps, knots = Steps(**data["steps"]), tuple(data["knots"])
        return Fitted(**{**plain, "steps": steps, "knots": knots})


def _transform(values: NDArray[np.float64], how: Transform) -> NDArray[np.float64]:
    if how == "log":
        return np.sign(values) * np.log1p(np.abs(values))
    if how == "root":
        return np.sign(values) * np.sqrt(np.abs(values))
    return values


def propose(column: Column) -> Steps:
    """The preparation a careful colleague would choose: log beyond a skew of 1, then z.

    Missing values are left out by default: what is missing by definition is never filled silently.
    """
    there = column.values[~column.missing]
    if len(there) == 0:
        return Steps()
    skew = skewness(there)
    if abs(skew) <= 1:
        return Steps()
    better = abs(skewness(_transform(there, "log"))) < abs(skew)
    return Steps(transform="log" if better else "none")


def fit(column: Column, steps: Steps) -> Fitted:
    """Learn the constants of ``steps`` from the values of ``column`` (missing ones left out)."""
    there = column.values[~column.missing].astype(np.float64)
    if len(there) == 0:
        return Fitted(steps, float("nan"), float("nan"), float("nan"), 0.0, 1.0, constant=True)
    fill = {"median": float(np.median(there)), "zero": 0.0}.get(steps.fill, float("nan"))
    low, high = float(there.min()), float(there.max())
    if steps.cap > 0:
        low, high = (float(v) for v in np.quantile(there, (steps.cap, 1 - steps.cap)))
    fitted = Fitted(steps, fill, low, high, 0.0, 1.0, constant=low == high)
    bent = _transform(np.clip(there, low, high), steps.transform)
    if fitted.constant:
        return fitted
    if steps.scale == "z":
        return replace(fitted, centre=float(bent.mean()), spread=float(bent.std()))
    if steps.scale == "range":
        return replace(fitted, centre=float(bent.min()), spread=float(np.ptp(bent)))
    if steps.scale == "robust":
        q1, middle, q3 = (float(v) for v in np.quantile(bent, (0.25, 0.5, 0.75)))
        # With half of the values alike the middle half has no width: the SD takes its place.
        return replace(fitted, centre=middle, spread=(q3 - q1) or float(bent.std()))
    if steps.scale == "rank":
        knots = np.quantile(bent, np.linspace(0, 1, RANK_KNOTS))
        return replace(fitted, knots=tuple(float(v) for v in knots))
    return fitted


def apply(values: NDArray[np.float64], fitted: Fitted) -> NDArray[np.float64]:
    """Prepare values by frozen constants; beyond the fitted range they are clamped to it.

    Missing values stay NaN unless the steps fill them.
    """
    filled = np.where(np.isnan(values), fitted.fill, values)
    bent = _transform(np.clip(filled, fitted.low, fitted.high), fitted.steps.transform)
    if fitted.constant:
        return np.where(np.isnan(bent), np.nan, 0.0)
    if fitted.steps.scale == "rank":
        return _rank_normal(bent, np.array(fitted.knots))
    return (bent - fitted.centre) / fitted.spread


def _rank_normal(values: NDArray[np.float64], knots: NDArray[np.float64]) -> NDArray[np.float64]:
    from scipy.special import ndtri

    low = np.searchsorted(knots, values, side="left")
    high = np.searchsorted(knots, values, side="right")
    inside = (low + high - 1) / 2.0
    rank = np.clip(inside / (len(knots) - 1), 0.5 / len(knots), 1 - 0.5 / len(knots))
    return np.where(np.isnan(values), np.nan, ndtri(rank))
