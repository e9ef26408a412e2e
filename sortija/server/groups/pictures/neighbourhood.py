"""The neighbourhood of customers: laid out as a job, kept as two columns."""

from __future__ import annotations

from typing import Any

import numpy as np

from sortija.core.groups.neighbourhood import neighbourhood_of
from sortija.core.table import Column
from sortija.server.groups.jobs import fresh_measures
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.mapped import map_of, neighbourhood_stamp, prepared_rows
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.actions import touch
from sortija.server.studies.column_details import Details
from sortija.server.studies.columns import write_columns
from sortija.server.studies.models import Population
from sortija.server.studies.problems import Problem

__all__ = ["NeighbourhoodDetails", "lay_out"]


class NeighbourhoodDetails(Details):
    """How far neighbours stay neighbours; ``exact``: told of all rows, not of a sample."""

    trust: float | None = None
    exact: bool = True


def lay_out(made: MeasureSet, person: Any, grouping: Grouping) -> Job:
    """Lay out the customers as this grouping prepares them."""
    at = {"to": made.window.to.isoformat(), "back": made.window.back, "grouping": grouping.pk}
    key = neighbourhood_stamp(map_of(made, grouping))
    words = "Laying out the neighbourhood"
    return work.start(made.study.pk, "groups.neighbourhood", key, words, person, at, "long")


@handles("groups.neighbourhood", repeatable=True)
def _lay_out(job: Job, running: Running) -> None:
    study, window, made = fresh_measures(job)
    grouping = Grouping.objects.select_related("labels").get(
        pk=job.arguments["grouping"], study=study
    )
    engine = engine_for(running.progress)
    try:
        at = map_of(made, grouping)
        rows = prepared_rows(at)
        seed = int(grouping.recipe.get("seed", 4107))
        found = neighbourhood_of(rows, seed, engine, running.progress)
    except Problem as problem:
        raise JobError(problem.detail) from problem
    finally:
        engine.release()
    population = Population.objects.get(study=study, name="customers")
    told = NeighbourhoodDetails(trust=found.trustworthiness, exact=found.exact)
    columns = []
    for place in (0, 1):
        values = np.full(made.size, np.nan)
        values[rows.rows] = found.points[:, place]
        columns.append((Column(f"neighbour:{place + 1}", "number", values), told))
    write_columns(population, columns, window.key, neighbourhood_stamp(at))
    touch(study)
