"""Spread: how each column spreads over every measure, and customers as lines."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from sortija.core.labels import within
from sortija.core.measures.describe import steps_for
from sortija.core.portraits.figures import in_words
from sortija.core.portraits.nearness import (
    furthest,
    furthest_words,
    hardest,
    hardest_words,
)
from sortija.core.portraits.spread import BINS, Spread, spread
from sortija.core.sampling import sample_rows
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.measures.everyone import base_from
from sortija.server.measures.lens_fields import field_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.portraits.division import Against, ColumnHead, Division, divided, heads_of
from sortija.server.portraits.figures import plain
from sortija.server.portraits.placed import placed_or_status
from sortija.server.portraits.sheet import NumericRow, RowName, row_names, sheet_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["SpreadAsked", "SpreadPage", "spread_page"]

#: Panels that are there before anybody chooses.
USUAL = 6
#: Customers drawn as lines, at most.
MOST_LINES = 300


@dataclass(frozen=True)
class SpreadAsked:
    """``rows``: the measures, in their order, the usual ones where there are none; ``customers``:
    whether some customers are told one by one."""

    rows: tuple[str, ...] = ()
    against: Against = "segments"
    lens: str = ""
    customers: bool = False


class Box(BaseModel):
    """One column on one measure: quantiles ``five`` (5, 25, 50, 75 and 95%) in the unit,
    ``places`` along the axis, ``among`` as percentiles among everyone; ``bins``: members by bin."""

    customers: int
    five: list[float | None]
    places: list[float | None]
    among: list[float | None]
    bins: list[int]


class Panel(BaseModel):
    """One measure: its axis, everyone by bin of it, a box a column; ``field``: what a lens calls
    it; ``beyond``: how many of everyone lie above the axis, in its last bin."""

    name: str
    field: str
    label: str
    unit: str
    definition: str
    shaped: bool
    low: float
    high: float
    log: bool
    everyone: list[int]
    beyond: int
    boxes: list[Box]


class SampledCustomer(BaseModel):
    """One customer: the column's number, places along the axes and percentiles among everyone."""

    column: int
    places: list[float | None]
    among: list[float | None]


class MeasureOption(BaseModel):
    name: str
    label: str
    family: str


class SpreadPage(BaseModel):
    """``furthest`` and ``hardest``: sentences, empty where nothing can be told; ``sampled``: of
    how many customers the lines are some."""

    status: Status
    made_from: str
    against: Against
    customers: int
    columns: list[ColumnHead]
    options: list[MeasureOption]
    panels: list[Panel]
    furthest: str
    hardest: str
    lines: list[SampledCustomer]
    sampled: int


def spread_page(study: Study, window: WindowInView | None, asked: SpreadAsked) -> SpreadPage:
    """The spread of the adopted segments, or of the lens and the rest, at a window."""
    placed, status = placed_or_status(study, window, "Spread shows adopted groups.")
    if placed is None:
        return _nothing(status)
    division = divided(placed, asked.lens, asked.against)
    rows = _rows(placed, division, asked.rows)
    found = [_spread(Keyed((division.stamp, placed.made.content((r.name,))), (placed, division, r)))
             for r in rows]  # fmt: skip
    heads = heads_of(division, placed, base_from(placed.made).money)
    inside = int(((division.groups >= 0) & (division.groups < division.k)).sum())
    far, near = _sentences(rows, heads, division, study.currency)
    return SpreadPage(
        status=status, made_from=placed.stamp, customers=inside, columns=heads,
        against="segments" if division.stamp == placed.stamp else asked.against,
        options=[_option(row) for row in _numbers(placed)],
        panels=[
            _panel(placed.made, r, s, division.shown) for r, s in zip(rows, found, strict=True)
        ],
        furthest=far, hardest=near,
        lines=_lines(placed, division, rows) if asked.customers else [], sampled=inside,
    )  # fmt: skip


def _nothing(status: Status) -> SpreadPage:
    return SpreadPage(
        status=status, made_from="", against="segments", customers=0, columns=[], options=[],
        panels=[], furthest="", hardest="", lines=[], sampled=0,
    )  # fmt: skip


def _option(row: RowName) -> MeasureOption:
    return MeasureOption(name=row.name, label=row.label, family=row.family)


def _numbers(placed: AssignmentAt) -> list[RowName]:
    """Every number that there can be a panel of; offers are yes or no and spread over nothing."""
    return [r for r in row_names(placed) if r.numeric and r.family != "offers"]


def _rows(placed: AssignmentAt, division: Division, wanted: tuple[str, ...]) -> list[NumericRow]:
    """The rows asked for in their order; else those that shaped, then the most telling ones."""
    sheet = sheet_of(placed, division, wanted)
    known = {row.name: row for row in sheet.numeric if row.profile.counts.any()}
    if any(name in known for name in wanted):
        return [known[name] for name in wanted if name in known]
    rows = sorted(known.values(), key=lambda row: not row.shaped)
    return rows[: max(USUAL, sum(row.shaped for row in rows))][:12]


@remembered
def _spread(key: Keyed[tuple[AssignmentAt, Division, NumericRow]]) -> Spread:
    placed, division, row = key.value
    values = np.asarray(placed.made.column(row.name).values, np.float64)
    bins = steps_for(row.axis, placed.made.about(row.name).whole, BINS)
    return spread(values, division.groups, division.k, row.axis, bins)


def _panel(made: MeasureSet, row: NumericRow, found: Spread, shown: int) -> Panel:
    return Panel(
        name=row.name, field=field_of(made, row.name), label=row.label, unit=row.unit,
        definition=row.definition,
        shaped=row.shaped, low=row.axis.low, high=row.axis.high, log=row.axis.log,
        everyone=found.everyone.tolist(), beyond=found.beyond,
        boxes=[
            Box(customers=int(found.counts[n]), five=plain(found.five[n]),
                places=plain(row.axis.place(found.five[n])), among=plain(found.among[n]),
                bins=found.bins[n].tolist())
            for n in range(shown)
        ],
    )  # fmt: skip


def _sentences(
    rows: list[NumericRow], heads: list[ColumnHead], division: Division, currency: str
) -> tuple[str, str]:
    if division.shown < 2:
        return "", ""
    profiles, names = [row.profile for row in rows], [head.name for head in heads]
    labels = [within(row.label) for row in rows]
    far, near = furthest(profiles), hardest(profiles)
    said = ""
    if far is not None:
        row = rows[far.measure]
        means = [in_words(float(mean), row.unit, currency) for mean in row.profile.means]
        said = furthest_words(far, names, labels[far.measure], means)
    return said, hardest_words(near, names, labels) if near and division.shown > 2 else ""


def _lines(
    placed: AssignmentAt, division: Division, rows: list[NumericRow]
) -> list[SampledCustomer]:
    """Some customers of each column, as many as its share."""
    inside = np.flatnonzero((division.groups >= 0) & (division.groups < division.shown))
    chosen = sample_rows(inside, MOST_LINES)
    columns = [np.asarray(placed.made.column(row.name).values, np.float64) for row in rows]
    places = [row.axis.place(values[chosen]) for row, values in zip(rows, columns, strict=True)]
    among = [_among(values[inside], values[chosen]) for values in columns]
    return [
        SampledCustomer(column=int(division.groups[who]) + 1,
                     places=plain(place[n] for place in places),
                     among=plain(each[n] for each in among))
        for n, who in enumerate(chosen)
    ]  # fmt: skip


def _among(everyone: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Mid-rank percentiles of values among everyone, NaN where a value is missing."""
    known = np.sort(everyone[~np.isnan(everyone)])
    first, last = (np.searchsorted(known, values, side) for side in ("left", "right"))
    return np.where(np.isnan(values), np.nan, 100 * (first + last) / 2 / max(len(known), 1))
