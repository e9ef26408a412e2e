"""Make the measures of a window: from the log's lines to kept columns."""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import suppress
from datetime import date

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.measures.derive import VERSION, Derived, Names, derive
from sortija.core.measures.rollup import roll_up
from sortija.core.progress import Progress, silent
from sortija.core.table import Column
from sortija.server.hooks import Hooks
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.customers.traits import Trait, joined_trait, trait_column, traits_of
from sortija.server.ledger.rules.choices import rates_of
from sortija.server.ledger.store.ledger import Ledger, ledger_of, texts
from sortija.server.measures.column_details import (
    Decided,
    WindowDetails,
    balance_of,
    measure_details,
)
from sortija.server.measures.expected import make_expected
from sortija.server.studies import models
from sortija.server.studies.column_details import Details
from sortija.server.studies.columns import read_column, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = [
    "column_rows",
    "inputs_of_window",
    "keep_derived",
    "make",
    "rolled_trait",
    "stamp_of",
    "too_long_for_a_look",
    "when_made",
]

#: Up to so many lines a request makes what it shows; beyond, a job does.
INLINE_LINES = 2_000_000

#: Raised when columns are stored in another form.
_STORED = 2


def rolled_trait(study: Study, window: WindowInView, of: str) -> Trait:
    """The trait whose levels are looked at; 404 where there is none such."""
    for trait in traits_of(study, window.to):
        if trait.name == of and trait.kind == "category":
            return trait
    raise Problem(f"There is no category called {of} to look at by its levels.", 404)


def stamp_of(ledger: Ledger, window: WindowInView, of: str = "") -> str:
    """What the measures of this window are made from; ``of``: the levels of this trait."""
    if of:
        trait = rolled_trait(ledger.study, window, of)
        return fingerprint("rolled", VERSION, _STORED, stamp_of(ledger, window), trait.stamp)
    joined = joined_trait(ledger.study)
    return fingerprint(
        "measures", VERSION, _STORED, ledger.made_from, window.key, ledger.customers,
        joined.stamp if joined else None, *_rates(ledger.study),
    )  # fmt: skip


def _rates(study: Study) -> tuple[list[float | None], ...]:
    """What margins hang on; nothing where none are said, as before anybody could."""
    told = rates_of(study, texts(study, "department"))
    return ([None if math.isnan(rate) else rate for rate in told],) if told else ()


def column_rows(study: Study, window: WindowInView, stamp: str) -> dict[str, models.Column]:
    """The kept columns of this making, by name; empty while there are none."""
    rows = models.Column.objects.filter(
        population__study=study, window=window.key, fingerprint=stamp
    ).order_by("id")
    return {row.name: row for row in rows}


Prepares = Callable[[Study, WindowInView, str], None]
_WHEN_MADE: Hooks[Prepares] = Hooks("what is worked out beside a window's measures")


def when_made(function: Prepares) -> Prepares:
    """Register who works out what is looked at next, while a job is at a window's measures."""
    return _WHEN_MADE.add(function)


def too_long_for_a_look(ledger: Ledger) -> bool:
    """Whether a pass over the log takes a job; a short one is done while a person waits."""
    lines = sum(i.came.lines for i in ledger.intakes)
    return lines > INLINE_LINES or not ledger.built


def inputs_of_window(ledger: Ledger) -> tuple[Names, NDArray[np.float64] | None]:
    """What a derivation takes beside the lines: names of what they carry, joining dates."""
    study, joined = ledger.study, joined_trait(ledger.study)
    departments = texts(study, "department")
    names = Names(
        departments, texts(study, "channel"), rates_of(study, departments), texts(study, "site"),
        any("offer" in i.mapping.get("roles", {}) for i in ledger.intakes),
    )  # fmt: skip
    return names, trait_column(study, joined, ledger.customers).values if joined else None


def make(ledger: Ledger, window: WindowInView, progress: Progress = silent, of: str = "") -> None:
    """Derive and keep the measures of one window; what is there already stays.

    ``of``: of the levels of this trait, each with the purchases of its customers.
    """
    stamp = stamp_of(ledger, window, of)
    names, dates = inputs_of_window(ledger)
    log = ledger.lines().log
    levels: tuple[str, ...] = ()
    if of:
        trait = rolled_trait(ledger.study, window, of)
        progress("handing lines to levels", 0, 1)
        log = roll_up(log, trait_column(ledger.study, trait, ledger.customers))
        levels, dates = trait.levels, None
    engine = engine_for(progress)
    try:
        derived = derive(
            log, window.window, ledger.mask, ledger.study.scale, names, dates, engine, progress
        )
        keep_derived(ledger, window, stamp, derived, of, levels)
        if of:
            return
        make_expected(ledger, window, stamp, derived.present, engine, progress)
    finally:
        engine.release()


def keep_derived(
    ledger: Ledger, window: WindowInView, stamp: str, derived: Derived, of: str = "",
    levels: tuple[str, ...] = (),
) -> None:  # fmt: skip
    """All columns of one derivation, or none."""
    about = WindowDetails(
        ledger=Decided(rules=sorted(ledger.on), intakes=[i.pk for i in ledger.intakes]),
        trend=derived.trend, rows=list(levels), reconciliation=balance_of(derived.reconciliation),
    )  # fmt: skip
    columns: list[tuple[Column, Details | None]] = [
        *((column, measure_details(derived.about[column.name])) for column in derived.table),
        (Column("_known", "flag", derived.known), None),
        (Column("_bought", "flag", derived.bought), None),
        (Column("_at_least", "flag", derived.at_least), None),
        (Column("_money", "whole", derived.money), about),
    ]
    with transaction.atomic():
        name = f"trait:{of}"[:40] if of else "customers"
        population, _ = Population.objects.select_for_update(no_key=True).get_or_create(
            study=ledger.study, name=name, defaults={"size": len(derived.present)}
        )
        write_columns(population, columns, window.key, stamp)


def _expect(
    ledger: Ledger, window: WindowInView, rows: dict[str, models.Column], progress: Progress
) -> None:
    engine = engine_for(progress)
    try:
        present = ~read_column(rows["recency"]).missing
        make_expected(ledger, window, rows["recency"].fingerprint, present, engine, progress)
    finally:
        engine.release()


@handles("measures.derive", repeatable=True)
def _derive(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    ledger = ledger_of(study)
    if ledger is None:
        return
    window = WindowInView(date.fromisoformat(job.arguments["to"]), job.arguments["back"])
    of = job.arguments.get("of", "")
    rows = column_rows(study, window, stamp_of(ledger, window, of))
    if not rows:
        make(ledger, window, running.progress, of)
    elif not of and "expected" not in rows:  # broken off between the two
        _expect(ledger, window, rows, running.progress)
    for place, prepare in enumerate(_WHEN_MADE.values()):
        running.progress("looking at them", place, len(_WHEN_MADE))
        with suppress(Problem):  # what cannot be shown yet says so when it is asked for
            prepare(study, window, of)
