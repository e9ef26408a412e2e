"""Everybody at the dates of a series: what is there, and the work that makes the rest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.measures.availability import measures_to_show
from sortija.server.measures.many_windows import make_or_job
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["PlacedDates", "placed_at"]


@dataclass(frozen=True)
class PlacedDates:
    """``dates``: one for each window, none while some are being made; ``status``: of that work,
    None when everything is current."""

    dates: list[AssignmentAt]
    status: Status | None


def placed_at(study: Study, yardstick: Yardstick, windows: Sequence[WindowInView]) -> PlacedDates:
    """Everybody at these windows, or what they wait for."""
    job = make_or_job(study, windows)
    if job is not None:
        return PlacedDates([], waiting_for(job))
    placed: list[AssignmentAt] = []
    waits: list[Status] = []
    for at in (measures_to_show(study, each) for each in windows):
        waits += [at.status] if at.status else []
        if at.made is None:
            empty = Status(state="empty", words="The log was removed. Import it again.")
            return PlacedDates([], at.status or empty)
        placed.append(assignment_from(study, yardstick, at.made))
    if len({each.made.size for each in placed}) > 1:  # customers came between two makings
        return PlacedDates([], waits[0])
    return PlacedDates(placed, waits[0] if waits else None)
