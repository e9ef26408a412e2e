"""Two measures as small pictures, column by column, and each column's first customers by one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from sortija.core.engine import Engine
from sortija.core.measures.describe import steps_for
from sortija.core.portraits.multiples import Multiple, multiples
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.models import Card
from sortija.server.measures.everyone import base_from
from sortija.server.measures.lens_fields import field_of
from sortija.server.portraits.division import Against, ColumnHead, Division, divided, heads_of
from sortija.server.portraits.figures import or_none
from sortija.server.portraits.placed import placed_or_status
from sortija.server.portraits.sheet import NumericRow, row_names, sheet_of
from sortija.server.portraits.spread import MeasureOption
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["FirstPage", "MultiplesPage", "PairAsked", "first_page", "multiples_page"]

ENGINE = Engine()
STEPS = 24
#: Customers listed a column.
FIRST = 10


class AxisOf(BaseModel):
    """An axis of the pictures: a measure in its unit; ``field``: what a lens calls it."""

    name: str
    field: str
    label: str
    unit: str
    low: float
    high: float
    log: bool


class MultipleBody(BaseModel):
    """One column, or everyone at number 0: ``cells`` row by row from below; ``r`` with its 95%
    interval; ``line``: the trend's places at both ends of the x axis."""

    number: int
    customers: int
    cells: list[int]
    r: float | None
    low: float | None
    high: float | None
    line: list[float] | None


class MultiplesPage(BaseModel):
    status: Status
    made_from: str
    against: Against
    columns: list[ColumnHead]
    options: list[MeasureOption]
    x: AxisOf | None
    y: AxisOf | None
    across: int
    up: int
    panels: list[MultipleBody]


class FirstCustomer(BaseModel):
    number: int
    card: str
    value: float


class FirstOfColumn(BaseModel):
    """``known``: how many of the column have a value at all."""

    number: int
    known: int
    customers: list[FirstCustomer]


class FirstPage(BaseModel):
    """The first customers of every column by one measure."""

    status: Status
    made_from: str
    against: Against
    columns: list[ColumnHead]
    options: list[MeasureOption]
    by: AxisOf | None
    lists: list[FirstOfColumn]


@dataclass(frozen=True)
class PairAsked:
    """``measures``: those asked for, the most telling ones where there are none; ``least``: from
    the least value on."""

    measures: tuple[str, ...] = ()
    against: Against = "segments"
    lens: str = ""
    least: bool = False


def multiples_page(study: Study, window: WindowInView | None, asked: PairAsked) -> MultiplesPage:
    """Two measures against each other, for every column and for everyone."""
    placed, status = placed_or_status(study, window, "Against compares adopted groups.")
    division, rows = _begin(placed, asked, 2) if placed else (None, [])
    if placed is None or division is None or len(rows) < 2:
        return MultiplesPage(
            status=status, made_from="", against="segments", columns=[], options=[], x=None,
            y=None, across=0, up=0, panels=[],
        )  # fmt: skip
    x, y = rows
    steps = _steps(placed, x), _steps(placed, y)
    key = (division.stamp, placed.made.content((x.name, y.name)))
    found = _multiples(Keyed(key, (placed, division, x, y)), steps)
    numbers = [*range(1, division.shown + 1), 0]
    panels = [*found[: division.shown], found[-1]]
    return MultiplesPage(
        status=status, made_from=placed.stamp, across=steps[0], up=steps[1],
        options=_options(placed),
        against="segments" if division.stamp == placed.stamp else asked.against,
        columns=heads_of(division, placed, base_from(placed.made).money),
        x=_axis(placed, x), y=_axis(placed, y),
        panels=[_panel(n, each) for n, each in zip(numbers, panels, strict=True)],
    )  # fmt: skip


def _begin(placed: AssignmentAt, asked: PairAsked, many: int) -> tuple[Division, list[NumericRow]]:
    """The division, and the measures asked for, filled up by those that tell most."""
    division = divided(placed, asked.lens, asked.against)
    sheet = sheet_of(placed, division, asked.measures)
    there = {row.name: row for row in sheet.numeric if row.profile.counts.any()}
    told = sorted(there.values(), key=lambda row: not row.shaped)
    names = [name for name in asked.measures if name in there]
    names += [row.name for row in told if row.name not in names]
    return division, [there[name] for name in names[:many]]


def _options(placed: AssignmentAt) -> list[MeasureOption]:
    return [
        MeasureOption(name=row.name, label=row.label, family=row.family)
        for row in row_names(placed) if row.numeric and row.family != "offers"
    ]  # fmt: skip


def _axis(placed: AssignmentAt, row: NumericRow) -> AxisOf:
    return AxisOf(
        name=row.name, field=field_of(placed.made, row.name), label=row.label, unit=row.unit,
        low=row.axis.low, high=row.axis.high, log=row.axis.log,
    )  # fmt: skip


def _steps(placed: AssignmentAt, row: NumericRow) -> int:
    """Parts of an axis; of whole numbers each holds as many, so that no comb is drawn."""
    return steps_for(row.axis, placed.made.about(row.name).whole, STEPS)


@remembered
def _multiples(
    key: Keyed[tuple[AssignmentAt, Division, NumericRow, NumericRow]], steps: tuple[int, int]
) -> list[Multiple]:
    placed, division, x, y = key.value
    columns = [np.asarray(placed.made.column(row.name).values, np.float64) for row in (x, y)]
    return multiples(
        columns[0], columns[1], division.groups, division.k, (x.axis, y.axis), steps, ENGINE
    )


def _panel(number: int, found: Multiple) -> MultipleBody:
    drawn = np.isfinite(found.r)
    return MultipleBody(
        number=number, customers=found.n, cells=found.cells.ravel().tolist(), r=or_none(found.r),
        low=or_none(found.low), high=or_none(found.high), line=list(found.line) if drawn else None,
    )  # fmt: skip


def first_page(study: Study, window: WindowInView | None, asked: PairAsked) -> FirstPage:
    """The first customers of every column by a measure; equal ones in the order of their cards."""
    placed, status = placed_or_status(study, window, "Against compares adopted groups.")
    division, rows = _begin(placed, asked, 1) if placed else (None, [])
    if placed is None or division is None or not rows:
        return FirstPage(
            status=status, made_from="", against="segments", columns=[], options=[], by=None,
            lists=[],
        )  # fmt: skip
    values = np.asarray(placed.made.column(rows[0].name).values, np.float64)
    sign = 1 if asked.least else -1
    found: list[np.ndarray] = []
    known: list[int] = []
    for group in range(division.shown):
        mine = np.flatnonzero((division.groups == group) & ~np.isnan(values))
        found.append(mine[np.argsort(sign * values[mine], kind="stable")[:FIRST]])
        known.append(len(mine))
    wanted = [int(n) for each in found for n in each]
    cards = Card.objects.filter(study=study, number__in=wanted).values_list("number", "code")
    codes = dict(cards)
    return FirstPage(
        status=status, made_from=placed.stamp, options=_options(placed),
        against="segments" if division.stamp == placed.stamp else asked.against,
        columns=heads_of(division, placed, base_from(placed.made).money),
        by=_axis(placed, rows[0]),
        lists=[
            FirstOfColumn(number=n + 1, known=known[n], customers=[
                FirstCustomer(number=int(who), card=codes.get(int(who), ""),
                              value=float(values[who]))
                for who in found[n]
            ])
            for n in range(division.shown)
        ],
    )  # fmt: skip
