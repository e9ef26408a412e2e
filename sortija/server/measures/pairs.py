"""Measures against each other: all pairs as a matrix, any two as points, several as small ones."""

from __future__ import annotations

import io

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.measures.association import SAME, order_by_likeness
from sortija.core.measures.bivariate import density, pair_of
from sortija.core.measures.describe import axis_for
from sortija.core.sampling import MOST_POINTS, SEED, sample_rows
from sortija.server.measures.actions import plan_of
from sortija.server.measures.column_summaries import likeness, plain, summary_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import AxisBody
from sortija.server.measures.plan import prepared_steps, role_of
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["AlikePage", "MatrixPage", "PairPage", "alike_page", "matrix_page", "pair_page",
           "pair_points"]  # fmt: skip

MOST_ALIKE = 45
MOST_MATRIX = 7
#: Customers in each panel of a matrix: five measures of them stay under 10,000 numbers.
MATRIX_ROWS = 700
DENSITY_STEPS = 60


class AlikeName(BaseModel):
    name: str
    label: str
    kind: str
    role: str


class Twin(BaseModel):
    """Two measures that say the same thing twice."""

    first: str
    second: str
    value: float


class AlikePage(BaseModel):
    """``values``: rows of the matrix in the order of ``names``; ``kinds``: pearson, spearman, v
    or eta; ``order``: places that put similar ones together; ``exact``: told on all customers."""

    names: list[AlikeName]
    kinds: list[list[str]]
    values: list[list[float | None]]
    order: list[int]
    twins: list[Twin]
    customers: int
    exact: bool
    left_out: int


class Edge(BaseModel):
    label: str
    unit: str
    whole: bool
    axis: AxisBody
    counts: list[int]


class PairPage(BaseModel):
    """Two measures: edges, the line of least squares in their own units, and how many have both.

    ``shown``: points that the picture gets, all of them or a seeded sample; ``cells``: customers
    in a grid over both axes, y by x, where there are more than can be shown.
    """

    x: Edge
    y: Edge
    customers: int
    without: int
    shown: int
    r: float | None
    rank_r: float | None
    slope: float | None
    intercept: float | None
    lens_r: float | None
    lens_customers: int | None
    cells: list[int] | None
    steps: int


class MatrixPage(BaseModel):
    """The same customers by several measures; ``places``: 0 to 1 along each measure's axis,
    None where missing."""

    names: list[str]
    labels: list[str]
    units: list[str]
    axes: list[AxisBody]
    shapes: list[list[int]]
    places: list[list[float | None]]
    r: list[list[float | None]]
    numbers: list[int]
    inside: list[bool] | None
    customers: int


def alike_page(made: MeasureSet, study: Study, rank: bool, every: bool) -> AlikePage:
    """Likeness of the measures in use or described; ``every``: of shares, offers and
    those left out too."""
    plan, _ = plan_of(study, made.of)
    names = [
        n for n in made.sources
        if role_of(made, plan, n) == "shapes"
        or every
        or (role_of(made, plan, n) == "describes" and not n.startswith(("offer:", "share_")))
    ]  # fmt: skip
    # Those that shape come first where there are more than a matrix can show.
    names.sort(key=lambda n: ("shapes", "describes", "out").index(role_of(made, plan, n)))
    shown = names[:MOST_ALIKE]
    found = likeness(made, shown, rank)
    strength = np.array([[np.nan if v is None else v for v in row] for row in found.values])
    pairs = [
        Twin(first=shown[i], second=shown[j], value=float(strength[i, j]))
        for i in range(len(shown))
        for j in range(i + 1, len(shown))
        if abs(np.nan_to_num(strength[i, j])) >= SAME
    ]
    return AlikePage(
        names=[
            AlikeName(name=n, label=made.about(n).label, kind=made.source(n).kind,
                      role=role_of(made, plan, n))
            for n in shown
        ],
        kinds=found.kinds, values=found.values, order=order_by_likeness(strength),
        twins=sorted(pairs, key=lambda t: -abs(t.value)), customers=found.customers,
        exact=found.exact, left_out=len(names) - len(shown),
    )  # fmt: skip


def _values(made: MeasureSet, name: str) -> NDArray[np.float64]:
    """A measure of everyone, missing for those outside the table."""
    if name not in made.sources or made.source(name).kind != "number":
        raise Problem(f"There is no measure called {name} in this window.", 404)
    return np.where(made.present, np.asarray(made.column(name).values, np.float64), np.nan)


def _is_log(made: MeasureSet, study: Study, name: str) -> bool:
    """Whether the measure's own thread has a log axis: the same here as there."""
    plan, _ = plan_of(study, made.of)
    return bool(summary_of(made, name, prepared_steps(made, plan, name))["axis"]["log"])


def pair_page(made: MeasureSet, study: Study, x: str, y: str, lens: str) -> PairPage:
    """Everything about two measures but the points."""
    a, b = _values(made, x), _values(made, y)
    found = pair_of(
        a, b, (_is_log(made, study, x), _is_log(made, study, y)),
        (made.about(x).whole, made.about(y).whole),
    )  # fmt: skip
    rows = lens_rows(study, made.window, lens, made)
    mine = None if rows is None else rows[~np.isnan(a[rows]) & ~np.isnan(b[rows])]
    ranks = likeness(made, [x, y], rank=True).values[0][1] if x != y else 1.0
    many = len(found.rows) > MOST_POINTS
    cells = None
    if many:
        grid = density(
            a[found.rows], b[found.rows], found.x_axis, found.y_axis, (DENSITY_STEPS,) * 2
        )
        cells = grid.ravel().tolist()
    line = found.line

    def edge(name: str, axis: object, counts: NDArray[np.int64]) -> Edge:
        about = made.about(name)
        return Edge(label=about.label, unit=about.unit, whole=about.whole,
                    axis=AxisBody(**vars(axis)), counts=counts.tolist())  # fmt: skip

    inner = pair_of(a[mine], b[mine]).line if mine is not None else None
    return PairPage(
        x=edge(x, found.x_axis, found.x_edge), y=edge(y, found.y_axis, found.y_edge),
        customers=len(found.rows), without=int(made.present.sum()) - len(found.rows),
        shown=min(len(found.rows), MOST_POINTS), r=line.r if line else None, rank_r=ranks,
        slope=line.slope if line else None, intercept=line.intercept if line else None,
        lens_r=inner.r if inner else None,
        lens_customers=len(mine) if mine is not None else None, cells=cells, steps=DENSITY_STEPS,
    )  # fmt: skip


def pair_points(made: MeasureSet, study: Study, x: str, y: str, lens: str) -> bytes:
    """At most 20,000 customers by two measures as Arrow IPC: number, x, y, inside the lens."""
    a, b = _values(made, x), _values(made, y)
    both = sample_rows(np.flatnonzero(~np.isnan(a) & ~np.isnan(b)), MOST_POINTS, SEED)
    inside = np.ones(made.size, np.uint8)
    rows = lens_rows(study, made.window, lens, made)
    if rows is not None:
        inside[:] = 0
        inside[rows] = 1
    table = pa.table({
        "number": both.astype(np.int32), "x": a[both], "y": b[both], "inside": inside[both],
    })  # fmt: skip
    sink = io.BytesIO()
    with pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    return sink.getvalue()


def matrix_page(made: MeasureSet, study: Study, names: list[str], lens: str) -> MatrixPage:
    """The same sampled customers by up to seven measures."""
    if not 2 <= len(names) <= MOST_MATRIX:
        raise Problem(f"A matrix of pairs takes 2 to {MOST_MATRIX} measures.")
    columns = [_values(made, name) for name in names]
    axes = [
        axis_for(values[~np.isnan(values)], _is_log(made, study, name))
        for name, values in zip(names, columns, strict=True)
    ]
    shown = sample_rows(np.flatnonzero(made.present), MATRIX_ROWS, SEED)
    found = likeness(made, names, rank=False)
    rows = lens_rows(study, made.window, lens, made)
    inside = None
    if rows is not None:
        within = np.zeros(made.size, np.bool_)
        within[rows] = True
        inside = within[shown].tolist()
    places, shapes = [], []
    for values, axis in zip(columns, axes, strict=True):
        there = values[~np.isnan(values)]
        where = np.minimum((axis.place(there) * 24).astype(np.int64), 23)
        shapes.append(np.bincount(where, minlength=24).tolist())
        mine = values[shown]
        at = np.where(np.isnan(mine), np.nan, axis.place(mine))
        places.append([plain(round(float(v), 4)) for v in at])
    return MatrixPage(
        names=names, labels=[made.about(n).label for n in names],
        units=[made.about(n).unit for n in names],
        axes=[AxisBody(**vars(axis)) for axis in axes], shapes=shapes, places=places,
        r=found.values, numbers=shown.tolist(), inside=inside, customers=int(made.present.sum()),
    )  # fmt: skip
