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
    study, at = before.yardstick.study, before.kept_from
    earlier: list[str] = []
    while at is not None:
        earlier, at = [at.window.to.isoformat(), *earlier], at.kept_from
    return work.join(
        study.pk, "crossings.chance", chance.stamp_of(before, after),
        "Telling movement from chance", None,
        {"before": before.window.to.isoformat(), "to": after.window.to.isoformat(),
         "back": after.window.back, "yardstick": before.yardstick.pk, "hold": after.hold,
         "earlier": earlier},
    )  # fmt: skip


@handles("crossings.chance", repeatable=True)
def _chance(job: Job, running: Running) -> None:
    asked = job.arguments
    study = Study.objects.get(pk=job.study)
    yardstick = Yardstick.objects.filter(study=study, pk=asked["yardstick"]).first()
    if yardstick is None:
        return  # put back to before it was adopted: nobody asks any more
    days = (*asked.get("earlier", []), asked["before"], asked["to"])
    found = [
        assignment_at(study, yardstick, WindowInView(date.fromisoformat(day), asked["back"]))
        for day in days
    ]
    placed = [each for each in found if each is not None]
    if len(placed) < len(days):
        raise JobError("The measures of these windows are not ready. Look at them first.")
    before, after = held_pair(placed, asked.get("hold", 0.0))
    if chance.kept(before, after) is not None:
        return
    try:
        chance.make(before, after, running.progress)
    except Problem as problem:
        raise JobError(str(problem)) from problem
