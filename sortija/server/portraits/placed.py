"""Everybody in the adopted segments at a window, or why there is nothing to show."""

from __future__ import annotations

from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.measures.availability import measures_to_show
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["placed_or_status"]


def placed_or_status(
    study: Study, window: WindowInView | None, what: str
) -> tuple[AssignmentAt | None, Status]:
    """The placement by the yardstick in use, with the status of what is shown of it; None with
    the reason why there is none. ``what``: what would be shown, as "Rules retell adopted groups.".
    """
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return None, Status(state="empty", words=f"{what} Adopt some at Groups.")
    at = measures_to_show(study, window)
    if at.made is None:
        empty = Status(state="empty", words="The log was removed. Import it again.")
        return None, at.status or empty
    return assignment_from(study, yardstick, at.made), at.status or Status(state="whole")
