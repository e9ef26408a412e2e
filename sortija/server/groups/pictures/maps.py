"""The map of a grouping: its components, how far groups are apart, what can lie along an axis."""

from __future__ import annotations

import numpy as np

from sortija.core.groups.components import Components, Loading, scale_centres
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.mapped import (
    components_at,
    map_of,
    neighbourhood_columns,
    neighbourhood_stamp,
)
from sortija.server.groups.pictures.neighbourhood import NeighbourhoodDetails
from sortija.server.groups.pictures.payloads import (
    AxisName,
    LoadingRow,
    MapPage,
)
from sortija.server.jobs.models import Job
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.column_details import details_of
from sortija.server.studies.http import job_row

__all__ = ["map_page"]


def map_page(made: MeasureSet, grouping: Grouping) -> MapPage:
    """Components, loadings, how far groups are apart, and what can lie along an axis."""
    at = map_of(made, grouping)
    found = components_at(Keyed(at.stamp, at))
    told = min(4, len(found.axes))
    gammas = np.array([c.gamma for c in at.preparation.categories], np.float32)
    scaled = scale_centres(at.centres, gammas, at.preparation.gower)
    there = neighbourhood_columns(at)
    job = Job.objects.filter(
        study=made.study.pk, kind="groups.neighbourhood", key=neighbourhood_stamp(at)
    ).last()
    laid = details_of(there[0], NeighbourhoodDetails) if there else NeighbourhoodDetails()
    return MapPage(
        id=grouping.pk, k=grouping.k, customers=int((at.labels >= 0).sum()),
        explained=found.explained.tolist(),
        loadings=[_loading(made, loading, told) for loading in found.loadings],
        apart=scaled.distance.tolist(), centres=scaled.points.tolist(), kept=scaled.explained,
        neighbourhood=bool(there), trust=laid.trust, trust_exact=laid.exact,
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
