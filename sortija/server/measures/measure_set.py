"""Measures of a window: made when first looked at, kept by what they were made from."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.catalogue import Measure
from sortija.core.table import Column
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.customers.traits import traits_of
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.lens.fields import (
    Base,
    Field,
    FieldName,
    customer_names,
    field_kind,
    lists_fields,
    provides_base,
)
from sortija.server.measures.derivation import column_rows, make, stamp_of, too_long_for_a_look
from sortija.server.measures.formulas import formula_sources
from sortija.server.measures.measure_metadata import measure_of
from sortija.server.measures.sources import Source, level_sources, offer_sources, trait_sources
from sortija.server.studies import models
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Population, Study
from sortija.server.studies.request_cache import once
from sortija.server.studies.trail import Fact
from sortija.server.studies.windows import WindowInView

__all__ = ["MeasureSet", "MeasuresToShow", "base_from", "measures_or_job", "measures_to_show"]

#: Measures that do not come from the log, beside the study's own.
_USED = ("offers_used",)
_HIDDEN = ("_known", "_bought", "_money", "_at_least")


@dataclass(frozen=True)
class MeasureSet:
    """The columns of one window, and the digest of what they were made from.

    ``rows``: the kept columns, none where a study has no log; ``size``: how many customers the
    columns have a row for; ``of``: the trait whose levels stand in the place of customers, with
    ``levels`` their names; empty for customers.
    """

    study: Study
    window: WindowInView
    rows: dict[str, models.Column]
    stamp: str
    reconciliation: dict[str, int]
    size: int
    of: str = ""
    levels: tuple[str, ...] = ()

    @property
    def names(self) -> list[str]:
        """The measures: derived ones, then the study's own."""
        return [*self.derived, *self.own]

    @cached_property
    def derived(self) -> dict[str, Source]:
        """What came out of the log."""
        return {name: self._kept(row) for name, row in self.rows.items() if name not in _HIDDEN}

    @cached_property
    def others(self) -> dict[str, Source]:
        """Traits as measures, and offers."""
        if self.of:
            return dict(level_sources(self))
        return dict([*trait_sources(self), *offer_sources(self)])

    @cached_property
    def own(self) -> dict[str, Source]:
        """The study's own formulas."""
        return formula_sources(self)

    @cached_property
    def sources(self) -> dict[str, Source]:
        """Everything that has a value per customer."""
        return {**self.derived, **self.others, **self.own}

    def source(self, name: str) -> Source:
        """Where a column comes from; KeyError where there is none."""
        return self.derived[name] if name in self.derived else self.sources[name]

    def content(self, names: Iterable[str]) -> tuple[tuple[str, str, str], ...]:
        """What these columns hold and are called, for the key of what is made from them."""
        there = [(name, self.source(name)) for name in names if name in self.sources]
        return tuple((name, source.stamp, source.about.label) for name, source in there)

    def column(self, name: str) -> Column:
        return self.source(name).load()

    def about(self, name: str) -> Measure:
        return self.source(name).about

    def _kept(self, row: models.Column) -> Source:
        about = measure_of(row)
        return Source(about, "number", f"{self.stamp}:{row.name}", lambda: read_column(row))

    def _hidden(self, name: str) -> NDArray[Any]:
        return np.asarray(read_column(self.rows[name]).values)

    @cached_property
    def known(self) -> NDArray[np.bool_]:
        """(n,) who is known at the window's end."""
        return self._hidden("_known") > 0 if self.rows else np.ones(self.size, np.bool_)

    @cached_property
    def present(self) -> NDArray[np.bool_]:
        """(n,) who made a purchase in the window; everyone where there is no log."""
        return ~read_column(self.rows["recency"]).missing if self.rows else self.known

    @cached_property
    def bought(self) -> NDArray[np.bool_]:
        """(n,) who made a purchase before the window's end; everyone where there is no log."""
        return self._hidden("_bought") > 0 if self.rows else self.known

    @cached_property
    def at_least(self) -> NDArray[np.bool_]:
        """(n,) whose tenure may be longer than the log tells."""
        return self._hidden("_at_least") > 0 if self.rows else np.zeros(self.size, np.bool_)

    def called(self, rows: list[int]) -> list[str]:
        """What customers are called by their cards, or levels by their names."""
        if self.of:
            return [self.levels[row] for row in rows]
        return customer_names(self.study, rows)

    @property
    def money(self) -> NDArray[np.int64]:
        """(n,) sales less returns at the study's scale."""
        if not self.rows:
            return np.zeros(self.size, np.int64)
        return np.rint(self._hidden("_money")).astype(np.int64)


@once
def measures_or_job(
    study: Study, window: WindowInView, person: Any = None, of: str = ""
) -> MeasureSet | Job | None:
    """The measures of a window, or the job that makes them; None without a log or a table.

    ``of``: the trait whose levels stand in the place of customers.
    """
    ledger = ledger_of(study)
    if ledger is None:
        return None if of else _from_tables(study, window)
    stamp = stamp_of(ledger, window, of)
    rows = column_rows(study, window, stamp)
    if not rows:
        if too_long_for_a_look(ledger):
            return work.join(
                study.pk, "measures.derive", stamp, f"Deriving measures to {window.to:%d %b %Y}",
                person, {"to": window.to.isoformat(), "back": window.back, "of": of},
            )  # fmt: skip
        make(ledger, window, of=of)
        rows = column_rows(study, window, stamp)
    return _made(study, window, rows, stamp, of)


def _made(
    study: Study, window: WindowInView, rows: dict[str, models.Column], stamp: str, of: str
) -> MeasureSet:
    told = rows["_money"].details
    levels = tuple(told.get("rows", ()))
    size = rows["_known"].size
    return MeasureSet(study, window, rows, stamp, told["reconciliation"], size, of, levels)


def _from_tables(study: Study, window: WindowInView) -> MeasureSet | None:
    """Without a log the customer table's columns are the measures; None without one."""
    traits = traits_of(study, window.to)
    if not traits:
        return None
    size = Population.objects.get(study=study, name="customers").size
    stamp = fingerprint("tables", window.key, size, [t.stamp for t in traits])
    return MeasureSet(study, window, {}, stamp, {}, size)


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
    return _made(study, window, rows, newest.fingerprint, of)


def changes(ledger: Ledger, before: MeasureSet) -> str:
    """What has changed in the ledger since these measures, in words."""
    then = before.rows["_money"].details.get("ledger", {})
    rules = len(set(ledger.on) ^ set(then.get("rules", ledger.on)))
    if rules:
        return f"before {rules} rule{'s' if rules > 1 else ''} changed"
    if [i.pk for i in ledger.intakes] != then.get("intakes"):
        return "before the ledger's files changed"
    return "before the customer table changed"


@provides_base
def base(study: Study, window: WindowInView) -> Base | None:
    """Everyone known at the window's end, with their money in it."""
    made = measures_or_job(study, window)
    return base_from(made) if isinstance(made, MeasureSet) else None


@lru_cache(maxsize=16)
def _base(keyed: Keyed[MeasureSet]) -> Base:
    made = keyed.value
    return Base(made.known, made.money, made.stamp)


def base_from(made: MeasureSet) -> Base:
    """Everyone of one making, current or not."""
    return _base(Keyed((made.study.pk, made.stamp), made))


@field_kind("measure")
def _measure_field(study: Study, window: WindowInView, name: str) -> Field | None:
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet) or name not in made.sources:
        return None
    about, source = made.about(name), made.source(name)
    return Field(
        f"measure:{name}", about.label, about.unit, source.load(), source.stamp,
        definition=about.definition,
    )  # fmt: skip


@lists_fields
def _measure_names(study: Study, window: WindowInView) -> list[FieldName]:
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        return []
    own = [made.about(name) for name in (*made.names, *_USED) if name in made.sources]
    return [FieldName(f"measure:{m.name}", m.label, "number", m.unit, "Measures") for m in own]
