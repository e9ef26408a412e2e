"""Customers on two or three axes: as points, or as density where there are many."""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.measures.bivariate import density
from sortija.core.sampling import MOST_POINTS, SEED, sample_rows
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.axes import MOST_AXES, along_axis, axis_of, middles
from sortija.server.groups.pictures.mapped import (
    Mapped,
    map_of,
)
from sortija.server.groups.pictures.names import names_of
from sortija.server.groups.pictures.payloads import (
    PlaneAxis,
    PlanePage,
)
from sortija.server.ledger.customers.traits import said
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import AxisBody
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = ["map_points", "plane_page"]

STEPS = 60
_BY_GROUP = ("", "group")


def plane_page(made: MeasureSet, grouping: Grouping, keys: list[str], colour: str) -> PlanePage:
    """The axes of a picture with the centres on them, and density where there are many."""
    at = map_of(made, grouping)
    content = made.content([name.removeprefix("measure:") for name in (*keys, colour)])
    page = _plane(Keyed((at.whole, tuple(keys), colour, content), (at, tuple(keys), colour)))
    names = names_of(grouping)
    levels = [each.name for each in names] if colour in _BY_GROUP else page.levels
    return page.model_copy(update={"names": names, "levels": levels})


@remembered
def _plane(key: Keyed[tuple[Mapped, tuple[str, ...], str]]) -> PlanePage:
    at, keys, colour = key.value
    if not 1 <= len(keys) <= MOST_AXES:
        raise Problem(f"A picture has 1 to {MOST_AXES} axes.")
    found = [along_axis(at, each) for each in keys]
    good = at.labels >= 0
    for each in found:
        good = good & ~np.isnan(each.values)
    axes = [axis_of(each, good) for each in found]
    count = int(good.sum())
    cells = None
    if count > MOST_POINTS and len(found) >= 2:
        grid = density(
            found[0].values[good], found[1].values[good], axes[0], axes[1], (STEPS, STEPS)
        )
        cells = grid.ravel().tolist()
    tint = _tint(at, colour)
    return PlanePage(
        axes=[
            PlaneAxis(
                key=each.key, label=each.label, unit=each.unit, whole=each.whole,
                field=each.field, axis=AxisBody(**vars(axis)), centres=middles(at, each, good),
            )
            for each, axis in zip(found, axes, strict=True)
        ],
        customers=count, shown=min(count, MOST_POINTS), cells=cells, steps=STEPS, names=[],
        colour=tint.label, colour_unit=tint.unit, levels=list(tint.levels), low=tint.low,
        high=tint.high,
    )  # fmt: skip


@dataclass(frozen=True)
class _Tint:
    label: str
    unit: str
    values: NDArray[np.float64]
    levels: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None


def _tint(at: Mapped, colour: str) -> _Tint:
    """What points are coloured by: level codes from 1 (0 for none), or values."""
    made = at.made
    if colour in _BY_GROUP:
        levels = tuple(f"Group {n}" for n in range(1, at.grouping.k + 1))
        return _Tint("these groups", "", (at.labels + 1).astype(np.float64), levels)
    if colour in made.others and made.source(colour).kind == "category":
        column = made.column(colour)
        codes = np.asarray(column.values, np.float64)[: made.size]
        words = said(made.study, colour, column.levels)
        return _Tint(made.about(colour).label, "", codes, words)
    name = colour.removeprefix("measure:")
    if name not in made.sources or made.source(name).kind != "number":
        raise Problem(f"Points cannot be coloured by {name}.", 404)
    values = np.asarray(made.column(name).values, np.float64)
    there = values[(at.labels >= 0) & ~np.isnan(values)]
    low, high = np.quantile(there, (0.02, 0.98)) if len(there) else (0.0, 1.0)
    return _Tint(made.about(name).label, made.about(name).unit, values, (), float(low), float(high))


def map_points(
    made: MeasureSet, grouping: Grouping, keys: list[str], colour: str, lens: str, most: int
) -> bytes:
    """At most 20,000 customers as Arrow IPC: number, a0 … (values), group, tint, inside."""
    at = map_of(made, grouping)
    if not 1 <= len(keys) <= MOST_AXES:
        raise Problem(f"A picture has 1 to {MOST_AXES} axes.")
    found = [along_axis(at, key) for key in keys]
    good = at.labels >= 0
    for each in found:
        good = good & ~np.isnan(each.values)
    rows = sample_rows(np.flatnonzero(good), min(max(most, 1), MOST_POINTS), SEED)
    inside = np.ones(made.size, np.uint8)
    chosen = lens_rows(made.study, made.window, lens, made)
    if chosen is not None:
        inside[:] = 0
        inside[chosen] = 1
    tint = _tint(at, colour).values
    columns = {f"a{n}": each.values[rows].astype(np.float64) for n, each in enumerate(found)}
    table = pa.table({
        "number": rows.astype(np.int32), **columns, "group": at.labels[rows].astype(np.int32),
        "tint": tint[rows].astype(np.float64), "inside": inside[rows],
    })  # fmt: skip
    sink = io.BytesIO()
    with pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    return sink.getvalue()
