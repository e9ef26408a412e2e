"""The sweep: every k is kept whole as soon as it is judged; taken up again, it goes on."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core import table
from sortija.core.engine import Engine
from sortija.core.groups.nulls import null_bound, null_silhouettes
from sortija.core.groups.recipe import Prepared, RecipeError, prepare
from sortija.core.groups.sweep import Candidate, sweep
from sortija.server.groups.inputs import inputs_of, table_for
from sortija.server.groups.models import Grouping
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.measures.made import Made, made_or_job
from sortija.server.studies.actions import touch
from sortija.server.studies.columns import write_column
from sortija.server.studies.models import Population, Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["KS"]

KS = tuple(range(2, 9))


@handles("groups.sweep", repeatable=True)
def _sweep(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    window = WindowInView(date.fromisoformat(job.arguments["to"]), job.arguments["back"])
    made = made_or_job(study, window)
    if not isinstance(made, Made):
        raise JobError("The measures of this window are not ready. Look at them first.")
    try:
        inputs = inputs_of(study, made)
        names = [*inputs.recipe.numeric, *inputs.recipe.categories]
        rows = prepare(table_for(study, made, names), inputs.recipe, made.present)
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    there = Grouping.objects.filter(study=study, made_from=inputs.stamp)
    done = set(there.values_list("k", flat=True))
    ks = [k for k in KS if k not in done and k < len(rows)]
    engine = Engine()
    try:
        try:
            for candidate in sweep(rows, ks, inputs.recipe, engine, running.progress, settled=True):
                _keep(study, window, inputs.stamp, inputs.recipe.as_json(), rows, candidate)
        except RecipeError as problem:
            if not there.exists():
                raise JobError(str(problem)) from problem
        made_ks = sorted(there.values_list("k", flat=True))
        without = null_silhouettes(rows, made_ks, inputs.recipe, engine, running.progress)
        _bound(study, inputs.stamp, null_bound(without))
    finally:
        engine.release()


def _keep(
    study: Study, window: WindowInView, stamp: str, recipe: dict[str, Any],
    rows: Prepared, candidate: Candidate,
) -> None:  # fmt: skip
    """One candidate, whole or not at all."""
    with transaction.atomic():
        population = Population.objects.get(study=study, name="customers")
        codes = np.zeros(population.size, np.int32)
        codes[rows.rows] = candidate.fit.labels + 1
        levels = tuple(str(number) for number in range(1, candidate.k + 1))
        column = table.Column(f"grouping:{candidate.k}", "category", codes, "", levels)
        row = write_column(population, column, window.key, stamp)
        counts = candidate.fit.counts
        Grouping.objects.get_or_create(
            study=study, made_from=stamp, k=candidate.k,
            defaults={
                "window": window.key, "recipe": recipe, "labels": row,
                "preparation": rows.preparation.as_json(),
                "centres": candidate.fit.centres.as_json(),
                "result": {
                    "counts": counts.tolist(), "cost": candidate.fit.cost,
                    "silhouette": candidate.silhouette,
                    "silhouettes": _plain(candidate.silhouettes),
                    "exact": candidate.exact, "stability": candidate.stability.tolist(),
                    "passes": candidate.fit.passes, "left_out": int(population.size - len(rows)),
                    "dropped": list(rows.preparation.dropped),
                },
            },
        )  # fmt: skip
        touch(study)


def _bound(study: Study, stamp: str, bound: float) -> None:
    """Beside every candidate, what customers without groups reach."""
    with transaction.atomic():
        for row in Grouping.objects.select_for_update().filter(study=study, made_from=stamp):
            row.result["bound"] = bound
            row.save(update_fields=["result"])
        touch(study)


def _plain(values: NDArray[np.float64]) -> list[float | None]:
    return [None if np.isnan(value) else float(value) for value in values]
