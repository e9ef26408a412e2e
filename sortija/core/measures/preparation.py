"""Make measures comparable: fill, cap, transform, scale, in this order, with frozen constants."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.describe import skewness
from sortija.core.measures.fences import fences_of
from sortija.core.table import Column

__all__ = [
    "PRESETS",
    "Fill",
    "Fitted",
    "Preset",
    "Scale",
    "Steps",
    "Touched",
    "Transform",
    "apply",
    "bend",
    "fit",
    "mode_of",
    "propose",
    "restore",
    "touched",
]

Fill = Literal["leave out", "median", "mode", "neighbours"]
Transform = Literal["none", "log", "root"]
Scale = Literal["z", "range", "robust", "rank", "none"]
RANK_KNOTS = 1001
#: Beyond so many standard deviations a few customers pull a scale towards themselves.
FAR = 8.0
#: A transform that leaves more of the skew than this is not worth its strangeness.
WORTH = 0.9


@dataclass(frozen=True)
class Steps:
    """What a person chooses; ``cap``: percentiles kept (0.01 keeps the middle 98%), 0 for none;
    ``fences``: cap at the fences of the adjusted box plot instead."""

    fill: Fill = "leave out"
    cap: float = 0.0
    transform: Transform = "none"
    scale: Scale = "z"
    fences: bool = False


@dataclass(frozen=True)
class Preset:
    """Steps for every measure at once; ``steps`` None: as proposed for each."""

    name: str
    label: str
    words: str
    steps: Steps | None


PRESETS = (
    Preset("proposed", "As proposed", "A log or a root where the skew is beyond 1, then z-scores.",
           None),
    Preset("plain", "z-scores only", "No transform: a few large customers decide most.", Steps()),
    Preset("robust", "Capped, by quartiles",
           "Capped at the fences, then by median and quartiles: extremes count for little.",
           Steps(scale="robust", fences=True)),
    Preset("ranks", "By rank", "Only the order of customers counts, drawn as a bell.",
           Steps(scale="rank")),
    Preset("range", "0 to 1", "From the lowest to the highest after capping 1% at each end.",
           Steps(cap=0.01, scale="range")),
)  # fmt: skip


@dataclass(frozen=True)
class Fitted:
    """Steps with the constants learnt from one column; enough to prepare any later value.

    ``low``, ``high``: values beyond are clamped to them; ``fill``: NaN where nothing is filled
    or neighbours fill; ``knots``: for rank scaling, the values at equally spaced ranks;
    ``count``: of how many values; ``constant``: every value is the same, so the column says
    nothing; ``instead``: the SD took the place of quartiles that are alike.
    """

    steps: Steps
    fill: float
    low: float
    high: float
    centre: float
    spread: float
    knots: tuple[float, ...] = ()
    constant: bool = False
    instead: bool = False
    count: int = 0

    def as_json(self) -> dict[str, Any]:
        """Plain JSON, in which NaN is null."""
        data = asdict(self)
        return {k: None if isinstance(v, float) and v != v else v for k, v in data.items()}

    @staticmethod
    def from_json(data: dict[str, Any]) -> Fitted:
        plain: dict[str, Any] = {k: float("nan") if v is None else v for k, v in data.items()}
        steps, knots = Steps(**data["steps"]), tuple(data["knots"])
        return Fitted(**{**plain, "steps": steps, "knots": knots})


@dataclass(frozen=True)
class Touched:
    """(n,) bool each: who is filled, left out for want of a value, capped from below and above."""

    filled: NDArray[np.bool_]
    left_out: NDArray[np.bool_]
    raised: NDArray[np.bool_]
    lowered: NDArray[np.bool_]


def bend(values: NDArray[np.float64], how: Transform) -> NDArray[np.float64]:
    """``log``: sign(x)·ln(1 + |x|); ``root``: sign(x)·√|x|.

    >>> bend(np.array([0.0, 9.0, -9.0]), "root").tolist()
    [0.0, 3.0, -3.0]
    """
    if how == "log":
        return np.sign(values) * np.log1p(np.abs(values))
    if how == "root":
        return np.sign(values) * np.sqrt(np.abs(values))
    return values


def mode_of(values: NDArray[np.float64]) -> float:
    """The value that most have; the lowest of several. NaN without values.

    >>> mode_of(np.array([3.0, 1.0, 3.0, 1.0, 2.0]))
    1.0
    """
    if len(values) == 0:
        return float("nan")
    levels, counts = np.unique(values, return_counts=True)
    return float(levels[int(np.argmax(counts))])


def propose(column: Column) -> Steps:
    """The preparation a careful colleague would choose.

    A log or a root, whichever leaves less skew, where the skew is beyond 1 and one of them
    lowers it; then capped at 1% where values still stand far from everyone; then z. Missing
    values are left out: what is missing by definition is never filled silently.

    >>> from sortija.core.table import Column
    >>> propose(Column("spend", "number", np.exp(np.linspace(0, 9, 400)))).transform
    'log'
    """
    there = np.asarray(column.values, np.float64)[~column.missing]
    if len(there) == 0:
        return Steps()
    skew = abs(skewness(there))
    how: Transform = "none"
    if skew > 1:
        tries: list[tuple[float, Transform]] = [
            (abs(skewness(bend(there, "log"))), "log"),
            (abs(skewness(bend(there, "root"))), "root"),
        ]
        best, better = min(tries)
        how = better if best < WORTH * skew else "none"
    bent = bend(there, how)
    spread = float(bent.std())
    far = spread > 0 and float(np.abs(bent - bent.mean()).max()) > FAR * spread
    return Steps(transform=how, cap=0.01 if far else 0.0)


def fit(column: Column, steps: Steps) -> Fitted:
    """Learn the constants of ``steps`` from the values of ``column`` (missing ones left out).

    >>> from sortija.core.table import Column
    >>> spend = Column("spend", "number", np.array([10.0, 20.0, 30.0]))
    >>> apply(np.array([20.0]), fit(spend, Steps())).tolist()
    [0.0]
    """
    there = np.asarray(column.values, np.float64)[~column.missing]
    if len(there) == 0:
        return Fitted(steps, float("nan"), float("nan"), float("nan"), 0.0, 1.0, constant=True)
    fill = float("nan")
    if steps.fill == "median":
        fill = float(np.median(there))
    elif steps.fill == "mode":
        fill = mode_of(there)
    low, high = float(there.min()), float(there.max())
    if steps.fences:
        found = fences_of(there)
        low, high = max(low, found.low), min(high, found.high)
    elif steps.cap > 0:
        low, high = (float(v) for v in np.quantile(there, (steps.cap, 1 - steps.cap)))
    fitted = Fitted(steps, fill, low, high, 0.0, 1.0, constant=low == high)
    if fitted.constant:
        return fitted
    bent = bend(np.clip(there, low, high), steps.transform)
    if steps.scale == "z":
        return replace(fitted, centre=float(bent.mean()), spread=float(bent.std()))
    if steps.scale == "range":
        return replace(fitted, centre=float(bent.min()), spread=float(np.ptp(bent)))
    if steps.scale == "robust":
        q1, middle, q3 = (float(v) for v in np.quantile(bent, (0.25, 0.5, 0.75)))
        # With half of the values alike the middle half has no width: the SD takes its place.
        spread = (q3 - q1) or float(bent.std())
        return replace(fitted, centre=middle, spread=spread, instead=q3 == q1)
    if steps.scale == "rank":
        knots = np.quantile(bent, np.linspace(0, 1, RANK_KNOTS))
        return replace(fitted, knots=tuple(float(v) for v in knots), count=len(there))
    return fitted


def apply(values: NDArray[np.float64], fitted: Fitted) -> NDArray[np.float64]:
    """Prepare values by frozen constants; beyond the fitted range they are clamped to it.

    Missing values stay NaN unless the steps fill them by a constant; neighbours fill before.
    """
    filled = np.where(np.isnan(values), fitted.fill, values)
    bent = bend(np.clip(filled, fitted.low, fitted.high), fitted.steps.transform)
    if fitted.constant:
        return np.where(np.isnan(bent), np.nan, 0.0)
    if fitted.steps.scale == "rank":
        return _rank_normal(bent, np.array(fitted.knots), fitted.count)
    return (bent - fitted.centre) / fitted.spread


def restore(prepared: NDArray[np.float64], fitted: Fitted) -> NDArray[np.float64]:
    """Prepared values back in the column's own units: what a centre stands at.

    Capped values stay capped; a rank goes back to the value at it.

    >>> from sortija.core.table import Column
    >>> spend = Column("spend", "number", np.array([10.0, 20.0, 90.0]))
    >>> fitted = fit(spend, Steps(transform="log"))
    >>> restore(apply(np.array([20.0]), fitted), fitted).round(6).tolist()
    [20.0]
    """
    if fitted.steps.scale == "rank":
        from scipy.special import ndtr

        knots = np.array(fitted.knots)
        share = ndtr(prepared)
        if n := fitted.count:
            share = (share * (n + 0.25) - 0.625) / max(n - 1, 1)
        bent = np.interp(share, np.linspace(0, 1, len(knots)), knots)
    else:
        bent = np.asarray(prepared, np.float64) * fitted.spread + fitted.centre
    if fitted.steps.transform == "log":
        return np.sign(bent) * np.expm1(np.abs(bent))
    if fitted.steps.transform == "root":
        return np.sign(bent) * bent**2
    return bent


def touched(values: NDArray[np.float64], fitted: Fitted, rows: NDArray[np.bool_]) -> Touched:
    """Whom the steps touch among ``rows``."""
    missing = np.isnan(values) & rows
    fills = fitted.steps.fill != "leave out"
    nobody = np.zeros(len(values), np.bool_)
    with np.errstate(invalid="ignore"):
        return Touched(
            filled=missing if fills else nobody,
            left_out=nobody if fills else missing,
            raised=(values < fitted.low) & rows,
            lowered=(values > fitted.high) & rows,
        )


def _rank_normal(
    values: NDArray[np.float64], knots: NDArray[np.float64], count: int
) -> NDArray[np.float64]:
    """Normal scores of mid-ranks r among ``count`` values: Φ⁻¹((r − 3/8)/(n + 1/4)) (Blom 1958).

    ``count`` 0: as recipes from before it was kept were read, whose ends lie at ±3.29.
    """
    from scipy.special import ndtri

    low = np.searchsorted(knots, values, side="left")
    high = np.searchsorted(knots, values, side="right")
    inside = (low + high - 1) / 2.0
    share = inside / (len(knots) - 1)
    if count:
        rank = (1 + np.clip(share, 0, 1) * (count - 1) - 0.375) / (count + 0.25)
    else:
        rank = np.clip(share, 0.5 / len(knots), 1 - 0.5 / len(knots))
    return np.where(np.isnan(values), np.nan, ndtri(rank))
