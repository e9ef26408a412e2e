"""One measure opened in place: its histogram, fences, choices and what each would do."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.measures.bivariate import line_through
from sortija.core.measures.describe import axis_for
from sortija.core.measures.neighbours import Donors, donors_for
from sortija.core.sampling import SEED, sample_rows
from sortija.core.table import REASONS
from sortija.server.measures.actions import Plan, plan_of
from sortija.server.measures.column_details import (
    BeginsBody,
    ExpectedDetails,
    HeldOutBody,
    ModelBody,
)
from sortija.server.measures.column_summaries import donors_of, likeness, plain, table_of, within
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.options import Option, options_of
from sortija.server.measures.plan import prepared_steps, role_of
from sortija.server.measures.reliability import Reliability, reliability_or_begin
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.column_details import details_of
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["Fill", "MeasureDetail", "detail_of", "fill_of"]

BARS = 30
POINTS = 600
EXTREMES = 5


class Extreme(BaseModel):
    """A customer at one end, and the value."""

    number: int
    name: str
    value: float


class Lacking(BaseModel):
    """A customer of the table without a value, and why."""

    number: int
    name: str
    reason: str


class Relative(BaseModel):
    """The measure most like this one, and some customers by both (``y`` is the relative)."""

    name: str
    label: str
    unit: str
    r: float
    slope: float | None
    intercept: float | None
    x: list[float]
    y: list[float]
    inside: list[bool]
    customers: int


class MeasureDetail(BaseModel):
    """``edges``: of the bars, in the measure's unit; ``lens``: their customers in the lens;
    ``reliability``: rank correlation of two years of the same customers, null while not known."""

    name: str
    edges: list[float]
    bars: list[int]
    lens: list[int] | None
    below: int
    above: int
    options: list[Option]
    lowest: list[Extreme]
    highest: list[Extreme]
    lacking: list[Lacking]
    relative: Relative | None
    donors: int
    check: HeldOutBody | None
    model: ModelBody | None
    begins: BeginsBody | None
    reliability: Reliability | None


class Donor(BaseModel):
    number: int
    name: str
    distance: float
    value: float


class Fill(BaseModel):
    """How neighbours would fill one customer's value, donor by donor, and by what they compare."""

    number: int
    name: str
    value: float | None
    donors: list[Donor]
    by: list[str]


def detail_of(made: MeasureSet, study: Study, name: str, lens: str) -> MeasureDetail:
    """Everything about one numeric measure of the window."""
    _numeric(made, name)
    plan, _ = plan_of(study, made.of)
    steps = prepared_steps(made, plan, name)
    column = within(made, name)
    values = np.asarray(column.values, np.float64)
    there = values[~np.isnan(values)]
    rows = lens_rows(study, made.window, lens, made)
    edges = _edges(there, made.about(name).whole)
    teal = None
    if rows is not None:
        mine = np.asarray(made.column(name).values, np.float64)[rows]
        teal = np.histogram(mine[~np.isnan(mine)], edges)[0].tolist() if len(edges) > 1 else []
    donors = _donors(made, plan, name)
    told = _expected(made, name)
    return MeasureDetail(
        name=name, edges=edges.tolist(),
        bars=np.histogram(there, edges)[0].tolist() if len(edges) > 1 else [],
        lens=teal,
        below=int((there < edges[0]).sum()) if len(edges) else 0,
        above=int((there > edges[-1]).sum()) if len(edges) else 0,
        options=options_of(made, name, steps, donors),
        lowest=_extremes(made, name, False), highest=_extremes(made, name, True),
        lacking=_lacking(made, name),
        relative=_relative(made, name, rows), donors=len(donors),
        check=told.check if told else None, model=told.model if told else None,
        begins=told.begins if told else None, reliability=reliability_or_begin(made, name),
    )  # fmt: skip


def _expected(made: MeasureSet, name: str) -> ExpectedDetails | None:
    """What the model of visits says of itself, beside what it tells."""
    return details_of(made.rows[name], ExpectedDetails) if name in made.rows else None


def _numeric(made: MeasureSet, name: str) -> None:
    if name not in made.sources:
        raise Problem(f"There is no measure called {name} in this window.", 404)
    if made.source(name).kind != "number":
        raise Problem(f"{made.about(name).label} is a category: it has levels, and no fences.")


def _edges(values: NDArray[np.float64], whole: bool) -> NDArray[np.float64]:
    """Equal bars over the middle 99%; of whole numbers each bar holds as many of them."""
    if len(values) == 0:
        return np.zeros(0)
    axis = axis_for(values, log=False)
    if not whole:
        return np.linspace(axis.low, axis.high, BARS + 1)
    low, high = np.floor(axis.low), np.ceil(axis.high)
    step = max(1.0, np.ceil((high - low + 1) / BARS))
    return np.arange(low, high + step + 0.5, step) - 0.5


def _donors(made: MeasureSet, plan: Plan, name: str) -> Donors:
    """Donors that carry ``name``, compared by what shapes the groups."""
    shaping = [n for n in made.sources if role_of(made, plan, n) == "shapes"]
    numbers = [n for n in dict.fromkeys([*shaping, name]) if made.source(n).kind == "number"]
    categories = tuple(n for n in shaping if made.source(n).kind == "category")
    return donors_of(made, {n: prepared_steps(made, plan, n) for n in numbers}, categories)


def _extremes(made: MeasureSet, name: str, high: bool) -> list[Extreme]:
    values = np.where(made.present, np.asarray(made.column(name).values, np.float64), np.nan)
    there = np.flatnonzero(~np.isnan(values))
    keys = -values[there] if high else values[there]
    if len(keys) > EXTREMES:
        limit = np.partition(keys, EXTREMES - 1)[EXTREMES - 1]
        there, keys = there[keys <= limit], keys[keys <= limit]
    rows = there[np.lexsort((there, keys))][:EXTREMES]
    names = made.called(rows.tolist())
    return [
        Extreme(number=int(row), name=who, value=float(values[row]))
        for row, who in zip(rows, names, strict=True)
    ]


def _lacking(made: MeasureSet, name: str) -> list[Lacking]:
    column = made.column(name)
    rows = np.flatnonzero(column.missing & made.present)[:EXTREMES]
    names = made.called(rows.tolist())
    codes = [3] * len(rows) if column.reasons is None else np.asarray(column.reasons)[rows].tolist()
    return [
        Lacking(number=int(row), name=who, reason=REASONS[code])
        for row, who, code in zip(rows, names, codes, strict=True)
    ]


def _relative(made: MeasureSet, name: str, rows: NDArray[np.int64] | None) -> Relative | None:
    numbers = [
        n for n, s in made.sources.items()
        if s.kind == "number" and not n.startswith(("offer:", "share_"))
    ]  # fmt: skip
    if name not in numbers:
        numbers.append(name)
    found = likeness(made, numbers, rank=True)
    mine = found.values[numbers.index(name)]
    others = [
        (abs(v), n) for n, v in zip(numbers, mine, strict=True) if v is not None and n != name
    ]
    if not others:
        return None
    other = max(others)[1]
    x = np.asarray(made.column(name).values, np.float64)
    y = np.asarray(made.column(other).values, np.float64)
    both = np.flatnonzero(made.present & ~np.isnan(x) & ~np.isnan(y))
    line = line_through(x[both], y[both])
    shown = sample_rows(both, POINTS, SEED)
    inside = np.ones(made.size, np.bool_)
    if rows is not None:
        inside[:] = False
        inside[rows] = True
    about = made.about(other)
    value = mine[numbers.index(other)]
    return Relative(
        name=other, label=about.label, unit=about.unit, r=value if value is not None else 0.0,
        slope=line.slope if line else None, intercept=line.intercept if line else None,
        x=x[shown].tolist(), y=y[shown].tolist(), inside=inside[shown].tolist(),
        customers=len(both),
    )  # fmt: skip


def fill_of(made: MeasureSet, study: Study, name: str, number: int) -> Fill:
    """Who would give a customer the value that is missing."""
    _numeric(made, name)
    if not 0 <= number < made.size or not made.present[number]:
        raise Problem("This customer has no purchase in the window, so nothing is filled.", 404)
    value = float(np.asarray(made.column(name).values)[number])
    if not np.isnan(value):
        raise Problem("This customer has a value: there is nothing to fill.")
    plan, _ = plan_of(study, made.of)
    donors = _donors(made, plan, name)
    names = [*donors.names, *(n for n, _ in donors.categories)]
    given = donors_for(donors, table_of(made, names), name, number)
    rows = [row for row, _, _ in given.donors]
    called = made.called([number, *rows])
    return Fill(
        number=number, name=called[0], value=plain(given.value),
        donors=[
            Donor(number=row, name=who, distance=away, value=gift)
            for (row, away, gift), who in zip(given.donors, called[1:], strict=True)
        ],
        by=[made.about(n).label for n in names if n != name],
    )  # fmt: skip
