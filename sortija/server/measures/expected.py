"""Visits expected and chances of being active: fitted on the log, checked on its last months."""

from __future__ import annotations

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.measures.catalogue import MEASURES
from sortija.core.measures.expected import (
    WEEK,
    Rhythm,
    already_there,
    chance_active,
    expected_visits,
    fit_expected,
    rhythm_of,
)
from sortija.core.measures.heldout import check_expected, next_days
from sortija.core.progress import Progress
from sortija.core.table import NO_VISIT, Column
from sortija.server.ledger.store.ledger import Ledger
from sortija.server.measures.column_details import (
    BeginsBody,
    ExpectedDetails,
    held_out,
    measure_details,
    model_body,
)
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
    checked = check_expected(log, ledger.mask, window.to, max(ledger.first_day(), 0), engine)
    check = held_out(checked[0]) if checked else None
    begins = _begins(ledger, window, found)
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
        details = ExpectedDetails(
            **measure_details(about).model_dump(), model=model_body(model), check=check,
            begins=begins,
        )  # fmt: skip
        columns.append((column, details))
    with transaction.atomic():
        population = Population.objects.select_for_update(no_key=True).get(
            study=ledger.study, name="customers"
        )
        write_columns(population, columns, window.key, stamp)


def _begins(ledger: Ledger, window: WindowInView, found: Rhythm) -> BeginsBody | None:
    """Where the log begins long after its first customers did: its first day, and their share."""
    first = max(ledger.first_day(), 0)
    share = already_there(found, (window.window.as_of - first) / WEEK)
    return None if share is None else BeginsBody(day=first, share=share)
