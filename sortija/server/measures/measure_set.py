"""Measures of a window: made when first looked at, kept by what they were made from."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.catalogue import Measure
from sortija.core.table import Column
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.customers.traits import traits_of
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.lens.fields import (
    customer_names,
)
from sortija.server.measures.column_details import Balance, measure_of, window_details
from sortija.server.measures.derivation import column_rows, make, stamp_of, too_long_for_a_look
from sortija.server.measures.formulas import formula_sources
from sortija.server.measures.sources import Source, level_sources, offer_sources, trait_sources
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.request_cache import once
from sortija.server.studies.windows import WindowInView

__all__ = ["MeasureSet", "from_columns", "measures_or_job"]

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
    reconciliation: Balance | None
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

    def _flag(self, name: str) -> NDArray[np.bool_]:
        return np.asarray(read_column(self.rows[name]).values).astype(np.bool_, copy=False)

    @cached_property
    def known(self) -> NDArray[np.bool_]:
        """(n,) who is known at the window's end."""
        return self._flag("_known") if self.rows else np.ones(self.size, np.bool_)

    @cached_property
    def present(self) -> NDArray[np.bool_]:
        """(n,) who made a purchase in the window; everyone where there is no log."""
        return ~read_column(self.rows["recency"]).missing if self.rows else self.known

    @cached_property
    def bought(self) -> NDArray[np.bool_]:
        """(n,) who made a purchase before the window's end; everyone where there is no log."""
        return self._flag("_bought") if self.rows else self.known

    @cached_property
    def at_least(self) -> NDArray[np.bool_]:
        """(n,) whose tenure may be longer than the log tells."""
        return self._flag("_at_least") if self.rows else np.zeros(self.size, np.bool_)

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
        return np.asarray(read_column(self.rows["_money"]).values).astype(np.int64, copy=False)


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
    return from_columns(study, window, rows, stamp, of)


def from_columns(
    study: Study, window: WindowInView, rows: dict[str, models.Column], stamp: str, of: str
) -> MeasureSet:
    """The measures that these kept columns are."""
    told, size = window_details(rows), rows["_known"].size
    return MeasureSet(study, window, rows, stamp, told.reconciliation, size, of, tuple(told.rows))


def _from_tables(study: Study, window: WindowInView) -> MeasureSet | None:
    """Without a log the customer table's columns are the measures; None without one."""
    traits = traits_of(study, window.to)
    if not traits:
        return None
    size = Population.objects.get(study=study, name="customers").size
    stamp = fingerprint("tables", window.key, size, [t.stamp for t in traits])
    return MeasureSet(study, window, {}, stamp, None, size)
