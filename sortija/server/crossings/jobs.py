"""The job that tells movement from chance."""

from __future__ import annotations

from datetime import date

from sortija.server.crossings import chance
from sortija.server.crossings.steps import held_pair
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_at
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["chance_or_job"]


def chance_or_job(before: AssignmentAt, after: AssignmentAt) -> chance.Kept | Job:
    """What chance would have moved in a step, or the job that finds out."""
    there = chance.kept(before, after)
    if there is not None:
        return there
    study = before.yardstick.study
    return work.join(
        study.pk, "crossings.chance", chance.stamp_of(before, after),
        "Telling movement from chance", None,
        {"before": before.window.to.isoformat(), "to": after.window.to.isoformat(),
         "back": after.window.back, "yardstick": before.yardstick.pk, "hold": after.hold},
    )  # fmt: skip


@handles("crossings.chance", repeatable=True)
def _chance(job: Job, running: Running) -> None:
    asked = job.arguments
    study = Study.objects.get(pk=job.study)
    yardstick = Yardstick.objects.filter(study=study, pk=asked["yardstick"]).first()
    if yardstick is None:
        return  # put back to before it was adopted: nobody asks any more
    placed = [
        assignment_at(study, yardstick, WindowInView(date.fromisoformat(day), asked["back"]))
        for day in (asked["before"], asked["to"])
    ]
    before, after = placed
    if before is None or after is None:
        raise JobError("The measures of these windows are not ready. Look at them first.")
    before, after = held_pair(before, after, asked.get("hold", 0.0))
    if chance.kept(before, after) is not None:
        return
    try:
        chance.make(before, after, running.progress)
    except Problem as problem:
        raise JobError(str(problem)) from problem
