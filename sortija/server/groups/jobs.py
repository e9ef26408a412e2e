"""The sweep: every k is kept whole as soon as it is judged; taken up again, it goes on."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import date
from typing import Any

import numpy as np
from django.db import transaction

from sortija.core import table
from sortija.core.engine import Engine
from sortija.core.groups.null_models import Gap, gap_statistic, null_figures
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError, prepare
from sortija.core.groups.stability import OPENED, jaccard_stability
from sortija.core.groups.sweep import Candidate, sweep
from sortija.core.groups.verdict import judge
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import Inputs, inputs_from, inputs_of, table_for
from sortija.server.groups.runs.result import GroupingResult
from sortija.server.groups.runs.swept import tell_of_run
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.measures.one_population import population_of
from sortija.server.studies.actions import changing, touch
from sortija.server.studies.columns import read_column, write_column
from sortija.server.studies.models import Population, Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["fresh_measures", "keep_candidate"]


def fresh_measures(job: Job) -> tuple[Study, WindowInView, MeasureSet]:
    """The study, the window and the measures that a job is to work on."""
    study = Study.objects.get(pk=job.study)
    window = WindowInView(date.fromisoformat(job.arguments["to"]), job.arguments["back"])
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        raise JobError("The measures of this window are not ready. Look at them first.")
    return study, window, made


@handles("groups.sweep", repeatable=True)
def _sweep(job: Job, running: Running) -> None:
    study, window, made = fresh_measures(job)
    try:
        inputs = inputs_of(study, made)
        names = [*inputs.recipe.numeric, *inputs.recipe.categories]
        rows = prepare(table_for(study, made, names), inputs.recipe, made.present)
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    there = Grouping.objects.filter(study=study, made_from=inputs.stamp)
    there.filter(binned=True).update(binned=False)
    done = set(there.values_list("k", flat=True))
    wanted = range(int(job.arguments.get("least", 2)), int(job.arguments.get("most", 8)) + 1)
    ks = [k for k in wanted if k not in done and k < len(rows)]
    engine, began = engine_for(running.progress), time.monotonic()
    try:
        try:
            for candidate in sweep(rows, ks, inputs.recipe, engine, running.progress, settled=True):
                took, began = time.monotonic() - began, time.monotonic()
                keep_candidate(study, window, inputs, rows, candidate, job.person, took)
                running.kept_one()
        except RecipeError as problem:
            if not there.exists():
                raise JobError(str(problem)) from problem
        made_ks = list(there.order_by("k").values_list("k", flat=True))
        _judge(study, made, inputs, rows, engine, running)
        if job.arguments.get("gap") and not rows.gower:
            gap = gap_statistic(rows, made_ks, inputs.recipe, engine, running.progress)
            _beside(study, inputs.stamp, {k: _with_gap(gap, n) for n, k in enumerate(gap.ks)})
    finally:
        engine.release()
    tell_of_run(study, inputs.stamp)


def _judge(
    study: Study, made: MeasureSet, inputs: Inputs, rows: Prepared, engine: Engine,
    running: Running,
) -> None:  # fmt: skip
    """How the several groups that were made stand against tables without any."""
    there = Grouping.objects.filter(study=study, made_from=inputs.stamp, k__gt=1).order_by("k")
    results = [(row.k, row.outcome) for row in there]
    if not results:
        return
    ks = [k for k, _ in results]

    def known(values: list[float | None]) -> list[float]:
        return [np.nan if value is None else value for value in values]

    own = known([r.silhouette for _, r in results]), known([r.valley for _, r in results])
    without = null_figures(
        rows, ks, inputs.recipe, engine, running.progress, population_of(made), own
    )
    verdict = judge(ks, *own, without).as_json()

    def judged(outcome: GroupingResult) -> None:
        outcome.verdict = verdict

    _beside(study, inputs.stamp, dict.fromkeys(ks, judged))


def _with_gap(gap: Gap, place: int) -> Callable[[GroupingResult], None]:
    def add(outcome: GroupingResult) -> None:
        outcome.criteria["gap"] = float(gap.gap[place])
        outcome.gap_error = float(gap.error[place])

    return add


def keep_candidate(
    study: Study, window: WindowInView, inputs: Inputs, rows: Prepared, candidate: Candidate,
    person: Any, seconds: float,
) -> Grouping:  # fmt: skip
    """One candidate, whole or not at all."""
    with transaction.atomic():
        population = Population.objects.get(study=study, name="customers")
        codes = np.zeros(population.size, np.int32)
        codes[rows.rows] = candidate.fit.labels + 1
        levels = tuple(str(number) for number in range(1, candidate.k + 1))
        column = table.Column(f"grouping:{candidate.k}", "category", codes, "", levels)
        row = write_column(population, column, window.key, inputs.stamp)
        grouping, _ = Grouping.objects.update_or_create(
            study=study, made_from=inputs.stamp, k=candidate.k,
            defaults={"binned": False},
            create_defaults={
                "window": window.key, "recipe": inputs.recipe.as_json(), "labels": row,
                "preparation": rows.preparation.as_json(), "kin": inputs.kin, "person": person,
                "seconds": seconds, "centres": candidate.fit.centres.as_json(),
                "result": GroupingResult.of(
                    candidate, rows, population.size, inputs.recipe
                ).model_dump(),
            },
        )  # fmt: skip
    return grouping


def _beside(study: Study, stamp: str, by_k: dict[int, Callable[[GroupingResult], None]]) -> None:
    """What is found out once every k is there, such as what customers without groups reach."""
    with changing(study):
        for row in Grouping.objects.filter(study=study, made_from=stamp, k__in=by_k):
            row.add_to_outcome(by_k[row.k])
        touch(study)


@handles("groups.open", repeatable=True)
def _open(job: Job, running: Running) -> None:
    """A hundred resamplings of one candidate, instead of the sweep's twenty."""
    study, _, made = fresh_measures(job)
    grouping = Grouping.objects.select_related("labels").get(
        pk=job.arguments["grouping"], study=study
    )
    recipe = Recipe.from_json(grouping.recipe)
    try:
        names = [*recipe.numeric, *recipe.categories]
        rows = prepare(table_for(study, made, names), recipe, made.present)
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    codes = np.asarray(read_column(grouping.labels).values)
    labels = codes[np.minimum(rows.rows, len(codes) - 1)] - 1
    if (labels < 0).any() or inputs_from(made, recipe).stamp != grouping.made_from:
        raise JobError("The ledger changed since this was grouped. Group again, then look closer.")
    engine = engine_for(running.progress)
    try:
        stability = jaccard_stability(
            rows, labels, grouping.k, recipe, OPENED, engine=engine, progress=running.progress
        )
    finally:
        engine.release()
    with changing(study):
        row = Grouping.objects.get(pk=grouping.pk)

        def opened(outcome: GroupingResult) -> None:
            outcome.stability_100 = stability.tolist()

        row.add_to_outcome(opened)
        touch(study)
