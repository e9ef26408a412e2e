"""One customer's way over the dates that are compared, and whether it has changed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from pydantic import BaseModel

from sortija.server.crossings import chance
from sortija.server.crossings.customers import ChangedRow, rows_of
from sortija.server.crossings.dates import whole_windows
from sortija.server.crossings.one_step import Cell
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.measures.availability import measures_to_show
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["CustomerPath", "customer_path"]


class PathStop(BaseModel):
    """Where a customer stands at a date; ``margin``: 0 on the border to 1 at the centre, null in
    no segment, or in a tier."""

    to: str
    state: SegmentKey
    margin: float | None


class CustomerPath(BaseModel):
    """``stops``: the dates, oldest first; none where nothing is adopted or the log is too short.

    ``changed``: whether the customer has changed between the last two, and what moved most; null
    where that is not told.
    """

    stops: list[PathStop]
    changed: ChangedRow | None


def customer_path(study: Study, window: WindowInView | None, customer: int) -> CustomerPath:
    """One customer at the same season a year before and at the window in view."""
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return CustomerPath(stops=[], changed=None)
    placed: list[AssignmentAt] = []
    for each in whole_windows(study, window, "year"):
        made = measures_to_show(study, each).made
        if made is not None:
            placed.append(assignment_from(study, yardstick, made))
    if any(customer >= at.made.size for at in placed):
        raise Problem("There is no such customer.", 404)
    states = states_of(yardstick)
    stops = [_stop(at, states, customer) for at in placed]
    changed = None
    for before, after in pairwise(placed):
        found = chance.kept(before, after)
        if found is not None and before.made.size == after.made.size:
            cell = Cell(yardstick, before, after, 0, 0)
            who = np.array([customer])
            changed = rows_of(cell, who, found.changed[who])[0]
    return CustomerPath(stops=stops, changed=changed)


def _stop(at: AssignmentAt, states: list[SegmentKey], customer: int) -> PathStop:
    margin = float(at.placement.margin[customer])
    return PathStop(
        to=at.window.to.isoformat(), state=states[int(at.placement.state[customer])],
        margin=None if np.isnan(margin) else margin,
    )  # fmt: skip
