"""What a station can show of a window's measures: current, or the last before a change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sortija.server.jobs.models import Job
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.measures.column_details import window_details
from sortija.server.measures.derivation import column_rows
from sortija.server.measures.measure_set import MeasureSet, from_columns, measures_or_job
from sortija.server.studies import models
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.trail import Fact
from sortija.server.studies.windows import WindowInView

__all__ = ["MeasuresToShow", "changes", "measures_to_show"]


@dataclass(frozen=True)
class MeasuresToShow:
    """What a station can show of a window: ``made`` is current unless a ``job`` is to make it anew.

    ``since`` says what changed since ``made``; both are empty while there was never anything.
    """

    made: MeasureSet | None
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


def measures_to_show(
    study: Study, window: WindowInView, person: Any = None, of: str = ""
) -> MeasuresToShow:
    """The measures of a window as they can be shown now: current, or the last before a change."""
    made = (
        measures_or_job(study, window, person, of) if of else measures_or_job(study, window, person)
    )
    if made is None or isinstance(made, MeasureSet):
        return MeasuresToShow(made)
    before = _made_before(study, window, of)
    ledger = ledger_of(study)
    since = changes(ledger, before) if ledger and before else ""
    return MeasuresToShow(before, made, since)


def _made_before(study: Study, window: WindowInView, of: str) -> MeasureSet | None:
    population = f"trait:{of}"[:40] if of else "customers"
    newest = models.Column.objects.filter(
        population__study=study, population__name=population, window=window.key, name="_money"
    ).last()
    if newest is None:
        return None
    rows = column_rows(study, window, newest.fingerprint)
    return from_columns(study, window, rows, newest.fingerprint, of)


def changes(ledger: Ledger, before: MeasureSet) -> str:
    """What has changed in the ledger since these measures, in words."""
    then = window_details(before.rows).ledger
    rules = len(set(ledger.on) ^ set(then.rules)) if then else 0
    if rules:
        return f"before {rules} rule{'s' if rules > 1 else ''} changed"
    if then is None or [i.pk for i in ledger.intakes] != then.intakes:
        return "before the ledger's files changed"
    return "before the customer table changed"
