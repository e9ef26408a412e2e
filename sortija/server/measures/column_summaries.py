"""What a column looks like under one preparation: worked out once, kept beside the columns."""

from __future__ import annotations

import json
import math
import os
import tempfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.measures.association import alike
from sortija.core.measures.describe import (
    Description,
    axis_for,
    describe,
    shape,
    skewness,
    steps_for,
    wants_log,
)
from sortija.core.measures.fences import fences_of
from sortija.core.measures.neighbours import Donors, choose_donors, fill_column
from sortija.core.measures.preparation import Fitted, Steps, apply, fit, propose, touched
from sortija.core.sampling import SEED, sample_rows
from sortija.core.table import REASONS, Column, Table
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.process_cache import remembered

__all__ = [
    "ENGINE",
    "THREAD_STEPS",
    "Likeness",
    "category_summary",
    "donors_key",
    "donors_of",
    "filled_by_neighbours",
    "find_summary",
    "keep_summary",
    "kept_summary",
    "likeness",
    "plain",
    "proposed_for",
    "summary_of",
    "table_of",
    "within",
]

VERSION = 5
THREAD_STEPS = 48
#: Parts of the customers whose places are told: lowest twentieth, quartiles, highest twentieth.
TENTHS = (0.05, 0.25, 0.5, 0.75, 0.95)
#: Customers that likeness is told on.
LIKENESS_ROWS = 20_000
ENGINE = Engine()


def plain(value: float) -> float | None:
    """A float for the wire: NaN is null."""
    return None if math.isnan(value) else value


def within(made: MeasureSet, name: str) -> Column:
    """The column for the customers of the table: those with a purchase in the window."""
    column = made.column(name)
    reasons = None if column.reasons is None else np.asarray(column.reasons)[made.present]
    values = np.asarray(column.values)[made.present]
    return Column(name, column.kind, values, column.unit, column.levels, reasons)


def kept_summary(key: str, make: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """A look by its key, from its file where it was made before; files can be made again."""
    return _kept(Keyed(key, make))


@remembered
def _kept(keyed: Keyed[Callable[[], dict[str, Any]]]) -> dict[str, Any]:
    key = str(keyed.key)
    found = find_summary(key)
    return keep_summary(key, keyed.value()) if found is None else found


def _path(key: str) -> Path:
    return Path(settings.COLUMN_FILES) / "looks" / f"{key}.json"


def find_summary(key: str) -> dict[str, Any] | None:
    """What is kept under this key; None where there is nothing, or nothing whole."""
    try:
        found: dict[str, Any] = json.loads(_path(key).read_text())
    except (OSError, ValueError):
        return None
    return found


def keep_summary(key: str, made: dict[str, Any]) -> dict[str, Any]:
    """Write a look aside and rename it, so that it is there whole or not at all."""
    path = _path(key)
    path.parent.mkdir(parents=True, exist_ok=True)
    number, aside = tempfile.mkstemp(prefix=".aside-", dir=path.parent)
    with os.fdopen(number, "w") as file:
        json.dump(made, file)
    Path(aside).rename(path)
    return made


def proposed_for(made: MeasureSet, name: str) -> Steps:
    """The preparation that is proposed for a measure of this window."""
    return Steps(**_raw(made, name)["proposed"])


def donors_of(made: MeasureSet, steps: dict[str, Steps], categories: tuple[str, ...]) -> Donors:
    """Whom neighbours' fills would be taken from under these choices."""
    stamps = [made.source(name).stamp for name in (*steps, *categories)]
    key = fingerprint("donors", stamps, made.stamp, [asdict(s) for s in steps.values()])
    return _donors(Keyed(key, (made, steps, categories)))


@remembered
def _donors(keyed: Keyed[tuple[MeasureSet, dict[str, Steps], tuple[str, ...]]]) -> Donors:
    made, steps, categories = keyed.value
    return choose_donors(
        table_of(made, [*steps, *categories]), steps, categories, made.present, SEED
    )


def table_of(made: MeasureSet, names: list[str]) -> Table:
    """These columns of everyone."""
    return Table(tuple(made.column(name) for name in names))


def _prepared_values(
    made: MeasureSet, name: str, fitted: Fitted, donors: Donors | None
) -> NDArray[np.float64]:
    """The table's customers as prepared; neighbours fill from ``donors`` where they carry it."""
    column = within(made, name)
    values = np.asarray(column.values, np.float64)
    if fitted.steps.fill == "neighbours" and donors is not None and name in donors.names:
        values = filled_by_neighbours(made, name, donors)
    return apply(values, fitted)


def filled_by_neighbours(made: MeasureSet, name: str, donors: Donors) -> NDArray[np.float64]:
    """The table's customers with what is missing taken from ``donors``, who carry it."""
    names = [*donors.names, *(n for n, _ in donors.categories)]
    table = Table(tuple(within(made, n) for n in names))
    everyone = np.ones(len(table), np.bool_)
    return fill_column(donors, table, name, everyone, engine=ENGINE)


def donors_key(made: MeasureSet, donors: Donors) -> list[Any]:
    """What a fill by these donors hangs on: their columns, and how each is bent."""
    names = [*donors.names, *(name for name, _ in donors.categories)]
    return [[made.source(n).stamp for n in names], [asdict(s) for s in donors.steps]]


def summary_of(
    made: MeasureSet, name: str, steps: Steps, donors: Donors | None = None
) -> dict[str, Any]:
    """Figures, fences and shapes of a measure, on its own scale and as prepared."""
    by_others = steps.fill == "neighbours" and donors is not None
    key = fingerprint(
        "look", VERSION, made.source(name).stamp, made.stamp, asdict(steps),
        donors_key(made, donors) if by_others and donors else None,
    )  # fmt: skip
    raw = _raw(made, name)
    prepared = kept_summary(
        key, lambda: _prepared_summary(made, name, steps, donors if by_others else None)
    )
    return raw | prepared


def _raw(made: MeasureSet, name: str) -> dict[str, Any]:
    key = fingerprint("raw look", VERSION, made.source(name).stamp, made.stamp)
    return kept_summary(key, lambda: _raw_summary(made, name))


def _raw_summary(made: MeasureSet, name: str) -> dict[str, Any]:
    """What a measure looks like whatever its preparation, and the one that is proposed."""
    column = within(made, name)
    values = np.asarray(column.values, np.float64)
    there = values[~np.isnan(values)]
    figures = describe(column)
    far = float(np.quantile(there, 0.99)) if len(there) else 0.0
    axis = axis_for(there, wants_log(figures.skew, far))
    steps = steps_for(axis, made.about(name).whole, THREAD_STEPS)
    tenths = np.quantile(there, TENTHS) if len(there) else np.zeros(len(TENTHS))
    fences = asdict(fences_of(there))
    return {
        "figures": _figures(figures),
        "fences": {k: plain(v) if isinstance(v, float) else v for k, v in fences.items()},
        "axis": asdict(axis),
        "shape": shape(there, axis, steps).tolist(),
        "places": axis.place(tenths).tolist() if figures.count else [],
        "proposed": asdict(propose(column)),
    }


def _prepared_summary(
    made: MeasureSet, name: str, steps: Steps, donors: Donors | None
) -> dict[str, Any]:
    """The same as prepared by some steps, and whom they touch."""
    column = within(made, name)
    values = np.asarray(column.values, np.float64)
    fitted = fit(column, steps)
    after = _prepared_values(made, name, fitted, donors)
    after = after[~np.isnan(after)]
    bell = axis_for(after, log=False)
    tenths = np.quantile(after, TENTHS) if len(after) else np.zeros(len(TENTHS))
    hit = touched(values, fitted, np.ones(len(values), np.bool_))
    return {
        "prepared_axis": asdict(bell),
        "prepared": shape(after, bell, THREAD_STEPS).tolist(),
        "prepared_places": bell.place(tenths).tolist() if len(after) else [],
        "prepared_skew": plain(skewness(after) if len(after) else float("nan")),
        "constant": fitted.constant,
        "instead": fitted.instead,
        "touched": {k: int(v.sum()) for k, v in hit.__dict__.items()},
        "low": plain(fitted.low), "high": plain(fitted.high), "fill": plain(fitted.fill),
    }  # fmt: skip


def _figures(found: Description) -> dict[str, Any]:
    return {k: plain(v) if isinstance(v, float) else v for k, v in found.__dict__.items()}


def category_summary(made: MeasureSet, name: str) -> dict[str, Any]:
    """Levels of a category with their customers, most first, and how many have none."""

    def make() -> dict[str, Any]:
        column = within(made, name)
        counts = np.bincount(np.asarray(column.values), minlength=len(column.levels) + 1)
        order = np.argsort(-counts[1:], kind="stable")
        return {
            "levels": [column.levels[i] for i in order],
            "counts": counts[1:][order].tolist(),
            "missing": {REASONS[3]: int(counts[0])} if counts[0] else {},
        }

    key = fingerprint("category", VERSION, made.source(name).stamp, made.stamp)
    return kept_summary(key, make)


class Likeness:
    """Association of every pair of columns; ``values`` (c, c), None where there is none."""

    def __init__(self, data: dict[str, Any]) -> None:
        self.names: list[str] = data["names"]
        self.kinds: list[list[str]] = data["kinds"]
        self.values: list[list[float | None]] = data["values"]
        self.customers: int = data["customers"]
        self.exact: bool = data["exact"]


def likeness(made: MeasureSet, names: list[str], rank: bool) -> Likeness:
    """Pearson or Spearman, V or η of every pair, on at most 20,000 seeded customers."""

    def make() -> dict[str, Any]:
        chosen = sample_rows(np.flatnonzero(made.present), LIKENESS_ROWS, SEED)
        columns = []
        for name in names:
            column = made.column(name)
            values = np.asarray(column.values)[chosen]
            columns.append(Column(name, column.kind, values, column.unit, column.levels))
        found = alike(columns, rank, ENGINE)
        return {
            "names": list(found.names), "kinds": [list(row) for row in found.kinds],
            "values": [[plain(float(v)) for v in row] for row in found.values],
            "customers": len(chosen), "exact": len(chosen) == int(made.present.sum()),
        }  # fmt: skip

    stamps = [made.source(name).stamp for name in names]
    return Likeness(kept_summary(fingerprint("alike", VERSION, stamps, made.stamp, rank), make))
