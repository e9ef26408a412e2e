"""Measures of a window: made when first looked at, kept by what they were made from."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.measures.catalogue import Measure
from sortija.core.measures.derive import VERSION, Names, derive
from sortija.core.progress import Progress, silent
from sortija.core.table import Column
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.choices import rates_of
from sortija.server.ledger.ledger import Ledger, ledger_of, texts
from sortija.server.ledger.traits import joined_trait, trait_column
from sortija.server.lens.fields import (
    Base,
    Field,
    FieldName,
    field_kind,
    lists_fields,
    provides_base,
)
from sortija.server.studies import models
from sortija.server.studies.columns import read_column, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Population, Study
from sortija.server.studies.stations import Fact
from sortija.server.studies.windows import WindowInView

__all__ = [
    "Made",
    "Standing",
    "base_from",
    "column_rows",
    "made_or_job",
    "make",
    "stamp_of",
    "standing",
]

#: Up to so many lines a request makes what it shows; beyond, a job does.
INLINE_LINES = 2_000_000
_HIDDEN = ("_known", "_bought", "_money")


@dataclass(frozen=True)
class Made:
    """The columns of one window, and the digest of what they were made from."""

    window: WindowInView
    rows: dict[str, models.Column]
    stamp: str
    reconciliation: dict[str, int]

    @property
    def names(self) -> list[str]:
        return [name for name in self.rows if name not in _HIDDEN]

    @property
    def size(self) -> int:
        """How many customers the columns have a row for."""
        return self.rows["_known"].size

    def column(self, name: str) -> Column:
        return read_column(self.rows[name])

    def about(self, name: str) -> Measure:
        details = self.rows[name].details
        return Measure(
            name, details["label"], self.rows[name].unit, details["definition"],
            details["role"], details["higher_is_better"],
        )  # fmt: skip


def stamp_of(ledger: Ledger, window: WindowInView) -> str:
    """What the measures of this window are made from."""
    joined = joined_trait(ledger.study)
    return fingerprint(
        "measures", VERSION, ledger.made_from, window.key, ledger.customers,
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


def made_or_job(study: Study, window: WindowInView, person: Any = None) -> Made | Job | None:
    """The measures of a window, or the job that makes them; None without a ledger."""
    ledger = ledger_of(study)
    if ledger is None:
        return None
    stamp = stamp_of(ledger, window)
    rows = column_rows(study, window, stamp)
    if not rows:
        lines = sum(int(i.report.get("lines", 0)) for i in ledger.intakes)
        if lines > INLINE_LINES or not ledger.built:
            last = Job.objects.filter(study=study.pk, kind="measures.derive", key=stamp).last()
            if last is not None and last.state in (Job.FAILED, Job.CANCELLED):
                return last  # a look does not begin again what somebody stopped
            return work.start(
                study.pk, "measures.derive", stamp, f"Deriving measures to {window.to:%d %b %Y}",
                person, {"to": window.to.isoformat(), "back": window.back},
            )  # fmt: skip
        make(ledger, window)
        rows = column_rows(study, window, stamp)
    return Made(window, rows, stamp, rows["_money"].details["reconciliation"])


@dataclass(frozen=True)
class Standing:
    """What a station can show of a window: ``made`` is current unless a ``job`` is to make it anew.

    ``since`` says what changed since ``made``; both are empty while there was never anything.
    """

    made: Made | None
    job: Job | None = None
    since: str = ""

    @property
    def status(self) -> Status | None:
        """The station's status while it waits; None when what it shows is current."""
        return waiting_for(self.job, self.since) if self.job else None

    def fact(self, words: str) -> Fact:
        """What the trail says of a station that stands on these measures."""
        if self.job is None:
            return Fact("current", words)
        if self.job.state == Job.FAILED:
            return Fact("failed", words, self.since)
        if self.made is None and self.job.state in Job.OPEN:
            return Fact("working", "waits for measures")
        return Fact("out of date", words if self.made else "waits for measures", self.since)


def standing(study: Study, window: WindowInView, person: Any = None) -> Standing:
    """The measures of a window as they can be shown now: current, or the last before a change."""
    made = made_or_job(study, window, person)
    if made is None or isinstance(made, Made):
        return Standing(made)
    before = _made_before(study, window)
    ledger = ledger_of(study)
    since = changes(ledger, before) if ledger and before else ""
    return Standing(before, made, since)


def _made_before(study: Study, window: WindowInView) -> Made | None:
    newest = models.Column.objects.filter(
        population__study=study, window=window.key, name="_money"
    ).last()
    if newest is None:
        return None
    rows = column_rows(study, window, newest.fingerprint)
    return Made(window, rows, newest.fingerprint, newest.details["reconciliation"])


def changes(ledger: Ledger, before: Made) -> str:
    """What has changed in the ledger since these measures, in words."""
    then = before.rows["_money"].details.get("ledger", {})
    rules = len(set(ledger.on) ^ set(then.get("rules", ledger.on)))
    if rules:
        return f"before {rules} rule{'s' if rules > 1 else ''} changed"
    if [i.pk for i in ledger.intakes] != then.get("intakes"):
        return "before the ledger's files changed"
    return "before the customer table changed"


def make(ledger: Ledger, window: WindowInView, progress: Progress = silent) -> None:
    """Derive and keep the measures of one window; what is there already stays."""
    study = ledger.study
    stamp = stamp_of(ledger, window)
    joined = joined_trait(study)
    departments = texts(study, "department")
    names = Names(departments, texts(study, "channel"), rates_of(study, departments))
    dates = trait_column(study, joined, ledger.customers).values if joined else None
    engine = Engine()
    try:
        derived = derive(
            ledger.lines().log, window.window, ledger.mask, study.scale, names,
            dates, engine, progress,
        )  # fmt: skip
    finally:
        engine.release()
    columns: list[tuple[Column, Any]] = []
    for column in derived.table:
        about = derived.about[column.name]
        columns.append((column, {
            "label": about.label, "definition": about.definition, "role": about.role,
            "higher_is_better": about.higher_is_better,
        }))  # fmt: skip
    known = Column("_known", "number", derived.known.astype(np.float64))
    money = Column("_money", "number", derived.money.astype(np.float64))
    balance = derived.reconciliation
    columns.append((known, None))
    columns.append((Column("_bought", "number", derived.bought.astype(np.float64)), None))
    decided = {"rules": sorted(ledger.on), "intakes": [i.pk for i in ledger.intakes]}
    columns.append((money, {"ledger": decided, "reconciliation": {
        "ledger": balance.ledger, "table": balance.table,
        "without_purchase": balance.without_purchase, "without_customer": balance.without_customer,
    }}))  # fmt: skip
    with transaction.atomic():
        population = Population.objects.select_for_update().get(study=study, name="customers")
        write_columns(population, columns, window.key, stamp)


@handles("measures.derive", repeatable=True)
def _derive(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    ledger = ledger_of(study)
    if ledger is None:
        return
    window = WindowInView(date.fromisoformat(job.arguments["to"]), job.arguments["back"])
    if not column_rows(study, window, stamp_of(ledger, window)):
        make(ledger, window, running.progress)


@lru_cache(maxsize=16)
def _base(known: int, money: int) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    rows = models.Column.objects.in_bulk([known, money])
    return (
        read_column(rows[known]).values.astype(np.bool_),
        np.rint(read_column(rows[money]).values).astype(np.int64),
    )


@provides_base
def base(study: Study, window: WindowInView) -> Base | None:
    """Everyone known at the window's end, with their money in it."""
    made = made_or_job(study, window)
    return base_from(made) if isinstance(made, Made) else None


def base_from(made: Made) -> Base:
    """Everyone of one making, current or not."""
    known, money = _base(made.rows["_known"].pk, made.rows["_money"].pk)
    return Base(known, money, made.stamp)


@field_kind("measure")
def _measure_field(study: Study, window: WindowInView, name: str) -> Field | None:
    made = made_or_job(study, window)
    if not isinstance(made, Made) or name not in made.names:
        return None
    about = made.about(name)
    return Field(
        f"measure:{name}", about.label, about.unit, made.column(name), f"{made.stamp}:{name}"
    )


@lists_fields
def _measure_names(study: Study, window: WindowInView) -> list[FieldName]:
    made = made_or_job(study, window)
    if not isinstance(made, Made):
        return []
    about = [made.about(name) for name in made.names]
    return [FieldName(f"measure:{m.name}", m.label, "number", m.unit, "Measures") for m in about]
