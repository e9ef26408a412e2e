"""What Measures shows: one thread a measure."""

from __future__ import annotations

import math
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.lens.evaluate import members
from sortija.core.measures.describe import Axis, Description, axis_for, describe, shape
from sortija.core.measures.preparation import Steps, apply, fit, propose
from sortija.core.table import Column
from sortija.server.ledger.ledger import ledger_of
from sortija.server.lens.evaluation import kept_clauses, selection_of
from sortija.server.lens.fields import base_of
from sortija.server.measures.actions import plan_of
from sortija.server.measures.made import (
    Made,
    Standing,
    base_from,
    standing,
)
from sortija.server.studies.http import Status
from sortija.server.studies.keyed import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.stations import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["MeasuresPage", "measures_page", "prepared_steps", "role_of"]

THREAD_STEPS = 48


class StepsBody(BaseModel):
    fill: str = "leave out"
    cap: float = 0.0
    transform: str = "none"
    scale: str = "z"


class Figures(BaseModel):
    count: int
    missing: dict[str, int]
    zeros: int
    mean: float | None
    sd: float | None
    low: float | None
    quartile_1: float | None
    median: float | None
    quartile_3: float | None
    high: float | None
    skew: float | None


class AxisBody(BaseModel):
    low: float
    high: float
    log: bool


class Thread(BaseModel):
    """One measure: figures, its shape on its axis, and the same after its preparation.

    ``places``: where quartiles and median stand on each axis, from 0 to 1. ``lens``: the shape
    of the customers in the lens, when one is on.
    """

    name: str
    label: str
    unit: str
    definition: str
    role: str
    proposed_role: str
    figures: Figures
    axis: AxisBody
    shape: list[int]
    places: list[float]
    lens: list[int] | None
    lens_median: float | None
    steps: StepsBody
    proposed: StepsBody
    prepared_axis: AxisBody
    prepared: list[int]
    prepared_places: list[float]
    prepared_skew: float | None
    constant: bool


class Balance(BaseModel):
    """The reconciliation: ledger = table + customers without a purchase + lines without one."""

    ledger: int
    table: int
    without_purchase: int
    without_customer: int


class MeasuresPage(BaseModel):
    status: Status
    made_from: str
    plan_revision: int
    customers: int
    with_purchase: int
    threads: list[Thread]
    reconciliation: Balance | None


def _plain(value: float) -> float | None:
    return None if math.isnan(value) else value


def _figures(described: Description) -> Figures:
    values: dict[str, Any] = {
        k: _plain(v) if isinstance(v, float) else v for k, v in described.__dict__.items()
    }
    return Figures(**values)


def role_of(made: Made, plan: dict[str, dict[str, Any]], name: str) -> str:
    """The role chosen for a measure, else the proposed one."""
    return str(plan.get(name, {}).get("role", made.about(name).role))


def prepared_steps(made: Made, plan: dict[str, dict[str, Any]], name: str) -> Steps:
    """The preparation chosen for a measure, else the proposed one."""
    chosen = plan.get(name, {}).get("steps")
    return Steps(**chosen) if chosen else propose(made.column(name))


@lru_cache(maxsize=1024)
def _thread(look: Keyed[tuple[Made, str, Steps | None]]) -> dict[str, Any]:
    """Everything about a measure that does not depend on the lens."""
    made, name, chosen = look.value
    column: Column = made.column(name)
    proposed = propose(column)
    steps = chosen or proposed
    there = np.asarray(column.values[~column.missing])
    figures = describe(column)
    axis = axis_for(there, log=abs(figures.skew) > 2 if figures.count else False)
    fitted = fit(column, steps)
    after = apply(np.asarray(column.values), fitted)
    after = after[~np.isnan(after)]
    bell = axis_for(after, log=False)
    quarters = np.array([figures.quartile_1, figures.median, figures.quartile_3])
    after_quarters = np.quantile(after, (0.25, 0.5, 0.75)) if len(after) else np.zeros(3)
    after_figures = describe(Column(name, "number", after))
    return {
        "figures": _figures(figures),
        "axis": AxisBody(**asdict(axis)),
        "shape": shape(there, axis, THREAD_STEPS).tolist(),
        "places": axis.place(quarters).tolist() if figures.count else [],
        "steps": StepsBody(**asdict(steps)),
        "proposed": StepsBody(**asdict(proposed)),
        "prepared_axis": AxisBody(**asdict(bell)),
        "prepared": shape(after, bell, THREAD_STEPS).tolist(),
        "prepared_places": bell.place(after_quarters).tolist(),
        "prepared_skew": _plain(after_figures.skew),
        "constant": fitted.constant,
    }


def _chosen_rows(study: Study, window: WindowInView, lens: str) -> NDArray[np.int64] | None:
    clauses = kept_clauses(study, lens)
    base = base_of(study, window)
    if not clauses or base is None:
        return None
    return members(selection_of(study, window, clauses, base))


def measures_page(
    study: Study, window: WindowInView | None, lens: str, person: Any
) -> MeasuresPage:
    """The whole station in one answer."""
    at = standing(study, window, person) if window else Standing(None)
    made = at.made
    plan, revision = plan_of(study)
    if made is None:
        empty = Status(state="empty", words="Measures come from a log. Bring one in at the Ledger.")
        status = at.status or empty
        return MeasuresPage(
            status=status, made_from="", plan_revision=revision, customers=0, with_purchase=0,
            threads=[], reconciliation=None,
        )  # fmt: skip
    assert window is not None
    rows = _chosen_rows(study, window, lens)
    threads = []
    for name in made.names:
        about = made.about(name)
        chosen = plan.get(name, {}).get("steps")
        steps = Steps(**chosen) if chosen else None
        look = _thread(Keyed((made.stamp, name, steps), (made, name, steps)))
        teal, middle = None, None
        if rows is not None:
            values = np.asarray(made.column(name).values[rows])
            values = values[~np.isnan(values)]
            teal = shape(values, Axis(**look["axis"].model_dump()), THREAD_STEPS).tolist()
            middle = float(np.median(values)) if len(values) else None
        threads.append(
            Thread(
                name=name,
                label=about.label,
                unit=about.unit,
                definition=about.definition,
                role=role_of(made, plan, name),
                proposed_role=about.role,
                lens=teal,
                lens_median=middle,
                **look,
            )
        )
    base = base_from(made)
    present = threads[0].figures.count if threads else 0
    return MeasuresPage(
        status=at.status or Status(state="whole"),
        made_from=made.stamp,
        plan_revision=revision,
        customers=int(base.known.sum()),
        with_purchase=present,
        threads=threads,
        reconciliation=Balance(**made.reconciliation),
    )


@station("measures", 2, "Measures")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    ledger = ledger_of(study)
    if ledger is None or window is None:
        return Fact("not yet", "needs a log")
    at = standing(study, window)
    if at.made is None:
        return at.fact("")
    plan, _ = plan_of(study)
    used = sum(role_of(at.made, plan, name) == "shapes" for name in at.made.names)
    return at.fact(f"{used} of {len(at.made.names)} in use")
