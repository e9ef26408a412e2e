"""Pictures of a grouping's customers: components, measures, neighbourhood, silhouettes."""

from __future__ import annotations

import io
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.groups.components import MOST as MOST_COMPONENTS
from sortija.core.groups.components import Components, Loading, components_of, scale_centres
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.core.groups.validity import measure_yard, silhouette
from sortija.core.measures.bivariate import MOST_POINTS, density, sample_rows
from sortija.core.measures.describe import Axis, axis_for
from sortija.core.table import Column
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.payloads import (
    AxisName,
    LoadingRow,
    MapPage,
    PlaneAxis,
    PlanePage,
    WidthsPage,
)
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.jobs.models import Job
from sortija.server.lens.evaluation import ENGINE
from sortija.server.lens.fields import Field, field_kind
from sortija.server.measures.column_summaries import LOG_REACH, LOG_SKEW
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.measures.payloads import AxisBody
from sortija.server.measures.rows import lens_rows
from sortija.server.studies import models
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import fresh_column, read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import job_row
from sortija.server.studies.models import Population, Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = [
    "Mapped",
    "map_of",
    "map_page",
    "map_points",
    "neighbourhood_stamp",
    "plane_page",
    "prepared_rows",
    "widths_page",
]  # fmt: skip

SEED, STEPS, MOST_AXES, MOST_WIDTHS = 4107, 60, 6, 4_500


@dataclass(frozen=True)
class Mapped:
    """A grouping in the measures of a window.

    ``stamp``: what its customers and their preparation were made from, the same for every number
    of groups; ``whole``: that and who is in which group.
    """

    made: MeasureSet
    grouping: Grouping
    preparation: Preparation
    centres: Centres
    labels: NDArray[np.int32]
    stamp: str
    whole: str


def map_of(made: MeasureSet, grouping: Grouping) -> Mapped:
    codes = np.asarray(read_column(grouping.labels).values)[: made.size]
    labels = np.full(made.size, -1, np.int32)
    labels[: len(codes)] = codes - 1
    preparation = Preparation.from_json(grouping.preparation)
    gone = next((n for n in preparation.names if n not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study. Group again.")
    stamps = [made.source(name).stamp for name in preparation.names]
    stamp = fingerprint("map", grouping.preparation, made.stamp, stamps, grouping.made_from)
    return Mapped(made, grouping, preparation, Centres.from_json(grouping.centres), labels, stamp,
                  fingerprint(stamp, grouping.labels.token))  # fmt: skip


def prepared_rows(at: Mapped) -> Prepared:
    """The grouped customers as prepared."""
    return _prepared(Keyed(at.stamp, at))


@lru_cache(maxsize=2)
def _prepared(key: Keyed[Mapped]) -> Prepared:
    at = key.value
    table = table_for(at.made.study, at.made, list(at.preparation.names))
    return at.preparation.rows(table, at.labels >= 0)


@lru_cache(maxsize=8)
def _components(key: Keyed[Mapped]) -> Components:
    return components_of(prepared_rows(key.value), MOST_COMPONENTS, ENGINE)


@lru_cache(maxsize=4)
def _scores(key: Keyed[Mapped]) -> NDArray[np.float64]:
    """(n, c) places of all customers along the components, NaN for those not grouped."""
    at = key.value
    found, rows = _components(key), prepared_rows(at)
    out = np.full((at.made.size, len(found.axes)), np.nan)
    out[rows.rows] = found.scores(rows, ENGINE)
    return out


def neighbourhood_stamp(at: Mapped) -> str:
    """What a neighbourhood is made from: the prepared customers, however they are grouped."""
    return fingerprint("neighbourhood", 1, at.stamp)


def map_page(made: MeasureSet, grouping: Grouping) -> MapPage:
    """Components, loadings, how far groups are apart, and what can lie along an axis."""
    at = map_of(made, grouping)
    found = _components(Keyed(at.stamp, at))
    told = min(4, len(found.axes))
    gammas = np.array([c.gamma for c in at.preparation.categories], np.float32)
    scaled = scale_centres(at.centres, gammas, at.preparation.gower)
    there = _neighbours(at)
    job = Job.objects.filter(
        study=made.study.pk, kind="groups.neighbourhood", key=neighbourhood_stamp(at)
    ).last()
    trust = there[0].details if there else {}
    return MapPage(
        id=grouping.pk, k=grouping.k, customers=int((at.labels >= 0).sum()),
        explained=found.explained.tolist(),
        loadings=[_loading(made, loading, told) for loading in found.loadings],
        apart=scaled.distance.tolist(), centres=scaled.points.tolist(), kept=scaled.explained,
        neighbourhood=bool(there), trust=trust.get("trust"), trust_exact=trust.get("exact", True),
        job=job_row(job) if job and (job.state in Job.OPEN or job.state == Job.FAILED) else None,
        axes=_axes(made, found, bool(there)), colours=_colours(made),
    )  # fmt: skip


def _loading(made: MeasureSet, loading: Loading, told: int) -> LoadingRow:
    return LoadingRow(
        name=loading.name, label=made.about(loading.name).label, level=loading.level,
        along=[float(v) for v in loading.along[:told]],
    )  # fmt: skip


def _axes(made: MeasureSet, found: Components, neighbourhood: bool) -> list[AxisName]:
    out = [
        AxisName(key=f"component:{n}", label=f"Component {n}", kind="component")
        for n in range(1, len(found.axes) + 1)
    ]
    if neighbourhood:
        out += [AxisName(key=f"neighbour:{n}", label=f"Neighbourhood {n}", kind="neighbourhood")
                for n in (1, 2)]  # fmt: skip
    return out + [
        AxisName(key=f"measure:{name}", label=made.about(name).label, kind="measure")
        for name, source in made.sources.items()
        if source.kind == "number"
    ]


def _colours(made: MeasureSet) -> list[AxisName]:
    out = [AxisName(key="group", label="these groups", kind="grouping")]
    out += [
        AxisName(key=name, label=made.about(name).label, kind="trait")
        for name, source in made.others.items()
        if source.kind == "category"
    ]
    return out + [
        AxisName(key=f"measure:{name}", label=made.about(name).label, kind="measure")
        for name, source in made.sources.items()
        if source.kind == "number"
    ]


def _neighbours(at: Mapped) -> list[models.Column]:
    population = Population.objects.get(study=at.made.study, name="customers")
    stamp = neighbourhood_stamp(at)
    found = [fresh_column(population, f"neighbour:{n}", at.made.window.key, stamp) for n in (1, 2)]
    return [row for row in found if row is not None] if all(found) else []


@dataclass(frozen=True)
class _Along:
    """One axis of a picture: everybody's values, and where they are drawn."""

    key: str
    label: str
    unit: str
    whole: bool
    field: str
    values: NDArray[np.float64]
    log: bool = False


def _along(at: Mapped, key: str) -> _Along:
    kind, _, name = key.partition(":")
    made, grouping = at.made, at.grouping
    if kind == "component" and is_whole(name):
        scores = _scores(Keyed(at.stamp, at))
        place = int(name) - 1
        if 0 <= place < scores.shape[1]:
            share = _components(Keyed(at.stamp, at)).explained[place]
            label = f"Component {name}, {share:.0%} of the differences"
            field = f"component:{grouping.pk}.{name}"
            return _Along(key, label, "", False, field, scores[:, place])
    if kind == "neighbour" and name in ("1", "2"):
        there = _neighbours(at)
        if there:
            values = np.full(made.size, np.nan)
            own = np.asarray(read_column(there[int(name) - 1]).values)[: made.size]
            values[: len(own)] = own
            field = f"neighbour:{grouping.pk}.{name}"
            return _Along(key, f"Neighbourhood {name}", "", False, field, values)
    if kind == "measure" and name in made.sources and made.source(name).kind == "number":
        about = made.about(name)
        values = np.where(at.labels >= 0, np.asarray(made.column(name).values, float), np.nan)
        return _Along(key, about.label, about.unit, about.whole, key, values, _bends(values))
    raise Problem(f"Nothing called {key} can lie along an axis here.", 404)


def _bends(values: NDArray[np.float64]) -> bool:
    """Whether an axis tells more on a log: a long upper tail of large values."""
    there = values[sample_rows(np.flatnonzero(~np.isnan(values)), MOST_POINTS, SEED)]
    if len(there) < 3 or there.std() == 0:
        return False
    skew = float((((there - there.mean()) / there.std()) ** 3).mean())
    return skew > LOG_SKEW and float(np.quantile(there, 0.99)) > LOG_REACH


def plane_page(made: MeasureSet, grouping: Grouping, keys: list[str], colour: str) -> PlanePage:
    """The axes of a picture with the centres on them, and density where there are many."""
    at = map_of(made, grouping)
    content = made.content([name.removeprefix("measure:") for name in (*keys, colour)])
    return _plane(Keyed((at.whole, tuple(keys), colour, content), (at, tuple(keys), colour)))


@lru_cache(maxsize=32)
def _plane(key: Keyed[tuple[Mapped, tuple[str, ...], str]]) -> PlanePage:
    at, keys, colour = key.value
    if not 1 <= len(keys) <= MOST_AXES:
        raise Problem(f"A picture has 1 to {MOST_AXES} axes.")
    found = [_along(at, each) for each in keys]
    good = at.labels >= 0
    for each in found:
        good = good & ~np.isnan(each.values)
    axes = [_axis(each, good) for each in found]
    count = int(good.sum())
    cells = None
    if count > MOST_POINTS and len(found) >= 2:
        grid = density(found[0].values[good], found[1].values[good], axes[0], axes[1], STEPS)
        cells = grid.ravel().tolist()
    tint = _tint(at, colour)
    return PlanePage(
        axes=[
            PlaneAxis(
                key=each.key, label=each.label, unit=each.unit, whole=each.whole,
                field=each.field, axis=AxisBody(**vars(axis)), centres=_middles(at, each, good),
            )
            for each, axis in zip(found, axes, strict=True)
        ],
        customers=count, shown=min(count, MOST_POINTS), cells=cells, steps=STEPS,
        colour=tint.label, colour_unit=tint.unit, levels=list(tint.levels), low=tint.low,
        high=tint.high,
    )  # fmt: skip


def _axis(along: _Along, good: NDArray[np.bool_]) -> Axis:
    """Over the middle 99%; over all of a neighbourhood, which has no outliers, with room."""
    values = along.values[good]
    if not along.key.startswith("neighbour:") or len(values) == 0:
        return axis_for(values, along.log)
    low, high = float(values.min()), float(values.max())
    room = 0.02 * (high - low) or 0.5
    return Axis(low - room, high + room, False)


def _middles(at: Mapped, along: _Along, good: NDArray[np.bool_]) -> list[float | None]:
    """Means of the groups along an axis."""
    k = at.grouping.k
    labels, values = at.labels[good], along.values[good]
    counts = np.bincount(labels, minlength=k)
    sums = np.bincount(labels, values, minlength=k)
    return [float(s / c) if c else None for s, c in zip(sums, counts, strict=True)]


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
    if colour in ("", "group"):
        levels = tuple(f"Group {n}" for n in range(1, at.grouping.k + 1))
        return _Tint("these groups", "", (at.labels + 1).astype(np.float64), levels)
    if colour in made.others and made.source(colour).kind == "category":
        column = made.column(colour)
        codes = np.asarray(column.values, np.float64)[: made.size]
        return _Tint(made.about(colour).label, "", codes, column.levels)
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
    """At most 20,000 customers as Arrow IPC: number, a0 … a5 (values), group, tint, inside."""
    at = map_of(made, grouping)
    if not 1 <= len(keys) <= MOST_AXES:
        raise Problem(f"A picture has 1 to {MOST_AXES} axes.")
    found = [_along(at, key) for key in keys]
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


def widths_page(made: MeasureSet, grouping: Grouping, lens: str) -> WidthsPage:
    """Silhouettes by customer, and where the lens stands among them."""
    at = map_of(made, grouping)
    page = _widths(Keyed(at.whole, at))
    rows = lens_rows(made.study, made.window, lens, made)
    if rows is None:
        return page
    within = np.zeros(made.size, np.bool_)
    within[rows] = True
    inside = [within[np.array(numbers, np.int64)].tolist() for numbers in page.numbers]
    return page.model_copy(update={"inside": inside})


@lru_cache(maxsize=16)
def _widths(key: Keyed[Mapped]) -> WidthsPage:
    at = key.value
    rows, k = prepared_rows(at), at.grouping.k
    labels = at.labels[rows.rows]
    yard = measure_yard(rows, int(at.grouping.recipe.get("seed", SEED)), ENGINE)
    found = silhouette(yard, labels, k, ENGINE)
    share = min(1.0, MOST_WIDTHS / max(len(found.places), 1))
    groups, numbers = [], []
    for g in range(k):
        mine = np.flatnonzero(labels[found.places] == g)
        mine = mine[np.argsort(-found.widths[mine], kind="stable")]
        count = max(1, round(len(mine) * share)) if len(mine) else 0
        shown = mine[np.linspace(0, len(mine) - 1, count).astype(np.int64)] if count else mine
        groups.append(np.rint(1000 * found.widths[shown]).astype(int).tolist())
        numbers.append(rows.rows[found.places[shown]].tolist())
    means = [float(v) if np.isfinite(v) else None for v in found.by_group]
    return WidthsPage(groups=groups, numbers=numbers, inside=None, means=means, mean=found.mean,
                      exact=found.exact)  # fmt: skip


def _field_of(study: Study, window: WindowInView, kind: str, name: str) -> Field | None:
    number, _, axis = name.partition(".")
    grouping = (
        Grouping.objects.filter(study=study, pk=number).select_related("labels").first()
        if is_whole(number)
        else None
    )
    made = measures_or_job(study, window)
    if grouping is None or not isinstance(made, MeasureSet):
        return None
    at = map_of(made, grouping)
    try:
        along = _along(at, f"{kind}:{axis}")
    except Problem:
        return None
    column = Column(name, "number", along.values)
    return Field(f"{kind}:{name}", along.label, "", column, f"{at.stamp}:{kind}:{axis}")


@field_kind("component")
def _component_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``component:12.1``: the first component of the customers as grouping 12 prepares them."""
    return _field_of(study, window, "component", name)


@field_kind("neighbour")
def _neighbour_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``neighbour:12.2``: the place along the second axis of the neighbourhood of grouping 12."""
    return _field_of(study, window, "neighbour", name)


MapPage.model_rebuild()
