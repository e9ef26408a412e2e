"""Visits expected and chances of being active: fitted on the log, checked on its last months."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.ledger.log import Log
from sortija.core.measures.catalogue import MEASURES
from sortija.core.measures.expected import (
    WEEK,
    ExpectedModel,
    Rhythm,
    already_there,
    chance_active,
    expected_visits,
    fit_expected,
    rhythm_of,
)
from sortija.core.measures.heldout import HeldOut, check_expected, next_days
from sortija.core.progress import Progress
from sortija.core.table import NO_VISIT, Column
from sortija.server.ledger.store.ledger import Ledger
from sortija.server.measures.measure_metadata import metadata_of
from sortija.server.studies.columns import write_columns
from sortija.server.studies.models import Population
from sortija.server.studies.windows import WindowInView

__all__ = ["NEXT_MONTHS", "make_expected"]

NEXT_MONTHS = 3


def make_expected(
    ledger: Ledger, window: WindowInView, stamp: str, present: NDArray[np.bool_],
    engine: Engine, progress: Progress,
) -> None:  # fmt: skip
    """Fit, check and keep the two columns; nothing where too few customers came again."""
    log, as_of = ledger.lines().log, window.window.as_of
    found = rhythm_of(log, ledger.mask, as_of, engine)
    model = fit_expected(found, engine, progress)
    if model is None:
        return
    weeks = next_days(window.to, NEXT_MONTHS) / WEEK
    columns = []
    details = _details(log, ledger, window, model, engine)
    details["begins"] = _begins(ledger, window, found)
    for name, mine in (
        ("expected", expected_visits(model, found, weeks, engine)),
        ("active", chance_active(model, found)),
    ):
        values = np.full(len(present), np.nan)
        values[found.rows] = mine
        values[~present] = np.nan
        reasons = np.where(np.isnan(values), NO_VISIT, 0).astype(np.uint8)
        about = MEASURES[name]
        column = Column(name, "number", values, about.unit, why=reasons)
        columns.append((column, {**metadata_of(about), **details}))
    with transaction.atomic():
        population = Population.objects.select_for_update(no_key=True).get(
            study=ledger.study, name="customers"
        )
        write_columns(population, columns, window.key, stamp)


def _details(
    log: Log, ledger: Ledger, window: WindowInView, model: ExpectedModel, engine: Engine
) -> dict[str, Any]:
    """What the model is, and how it stood the months held out."""
    checked = check_expected(log, ledger.mask, window.to, max(ledger.first_day(), 0), engine)
    return {
        "model": {
            "r": model.r, "alpha": model.alpha, "a": model.a, "b": model.b,
            "errors": [_plain(e) for e in model.errors],
            "customers": model.customers, "converged": model.converged,
        },
        "check": _held_out(checked[0]) if checked else None,
    }  # fmt: skip


def _begins(ledger: Ledger, window: WindowInView, found: Rhythm) -> dict[str, Any] | None:
    """Where the log begins long after its first customers did: its first day, and their share."""
    first = max(ledger.first_day(), 0)
    share = already_there(found, (window.window.as_of - first) / WEEK)
    return None if share is None else {"day": first, "share": share}


def _plain(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _held_out(found: HeldOut) -> dict[str, Any]:
    return {
        "split": found.split, "ends": list(found.ends),
        "expected": found.expected.tolist(), "observed": found.observed.tolist(),
        "classes": list(found.classes), "by_class": found.by_class.tolist(),
        "customers": found.customers, "error": _plain(found.error), "worst": _plain(found.worst),
        "fits": found.fits,
    }  # fmt: skip
