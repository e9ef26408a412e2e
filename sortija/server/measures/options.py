"""What each choice of a preparation would do to a measure, everything else as it is."""

from __future__ import annotations

from dataclasses import asdict, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.measures.describe import axis_for, shape, skewness
from sortija.core.measures.neighbours import Donors
from sortija.core.measures.preparation import Steps, apply, fit, touched
from sortija.core.table import Column
from sortija.server.measures.column_summaries import (
    ENGINE,
    donors_key,
    filled_by_neighbours,
    find_summary,
    kept_summary,
    plain,
    within,
)
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import StepsBody, TouchedBody
from sortija.server.studies.fingerprints import fingerprint

__all__ = ["Option", "options_of"]

VERSION = 1
CHOICE_STEPS = 28
_OPTIONS: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "fill": [(fill, {"fill": fill}) for fill in ("leave out", "median", "mode", "neighbours")],
    "cap": [
        ("not capped", {"cap": 0.0, "fences": False}),
        ("1%", {"cap": 0.01, "fences": False}),
        ("2%", {"cap": 0.02, "fences": False}),
        ("5%", {"cap": 0.05, "fences": False}),
        ("at the fences", {"cap": 0.0, "fences": True}),
    ],
    "transform": [(way, {"transform": way}) for way in ("none", "log", "root")],
    "scale": [(way, {"scale": way}) for way in ("z", "range", "robust", "rank", "none")],
}


class Option(BaseModel):
    """One choice of a step with everything else as it is: whom it touches, what comes out."""

    step: str
    label: str
    steps: StepsBody
    chosen: bool
    touched: TouchedBody
    skew: float | None
    low: float | None
    high: float | None
    shape: list[int]


def options_of(made: MeasureSet, name: str, steps: Steps, donors: Donors) -> list[Option]:
    """Every choice of every step; what was worked out once is kept."""
    found = [
        (step, label, replace(steps, **change))
        for step, choices in _OPTIONS.items()
        for label, change in choices
    ]
    keys = [_key(made, name, mine, donors) for _, _, mine in found]
    column = within(made, name)
    given = np.asarray(column.values, np.float64)
    fills = {False: given}
    lacking = any(find_summary(key) is None for key in keys)
    if lacking and name in donors.names and any(s.fill == "neighbours" for _, _, s in found):
        fills[True] = filled_by_neighbours(made, name, donors)  # for all at once, on all threads

    def told(place: int) -> dict[str, Any]:
        mine = found[place][2]
        values = fills.get(mine.fill == "neighbours", given)
        return kept_summary(keys[place], partial(_outcome, column, values, mine))

    outcomes = ENGINE.map(told, range(len(found)))
    return [
        Option(step=step, label=label, steps=StepsBody(**asdict(mine)), chosen=mine == steps, **out)
        for (step, label, mine), out in zip(found, outcomes, strict=True)
    ]


def _key(made: MeasureSet, name: str, steps: Steps, donors: Donors) -> str:
    by_others = steps.fill == "neighbours" and name in donors.names
    return fingerprint(
        "option", VERSION, made.source(name).stamp, made.stamp, asdict(steps),
        donors_key(made, donors) if by_others else None,
    )  # fmt: skip


def _outcome(column: Column, filled: NDArray[np.float64], steps: Steps) -> dict[str, Any]:
    """Whom the steps touch, and the shape that comes out."""
    fitted = fit(column, steps)
    values = np.asarray(column.values, np.float64)
    hit = touched(values, fitted, np.ones(len(values), np.bool_))
    after = apply(filled, fitted)
    after = after[~np.isnan(after)]
    some = len(after) > 0
    return {
        "touched": TouchedBody(
            **{k: int(np.count_nonzero(v)) for k, v in hit.__dict__.items()}
        ).model_dump(),
        "skew": plain(skewness(after)),
        "low": float(after.min()) if some else None,
        "high": float(after.max()) if some else None,
        "shape": shape(after, axis_for(after, log=False), CHOICE_STEPS).tolist(),
    }
