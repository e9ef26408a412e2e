"""One of the steps that are looked at: both ends of it, placed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.server.crossings.dates import whole_windows
from sortija.server.crossings.steps import checked_hold, held_pair
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.measures.availability import measures_to_show
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["Cell", "cell_of", "placed_step", "step_of"]


@dataclass(frozen=True)
class Cell:
    """Customers who went from state ``origin`` to ``target`` between two dates."""

    yardstick: Yardstick
    before: AssignmentAt
    after: AssignmentAt
    origin: int
    target: int

    @property
    def crossed(self) -> NDArray[np.bool_]:
        """(n,) who went so."""
        return self.started & np.asarray(self.after.placement.state == self.target)

    @property
    def started(self) -> NDArray[np.bool_]:
        """(n,) who was in the state that they left."""
        return np.asarray(self.before.placement.state == self.origin)

    @property
    def stayed(self) -> NDArray[np.bool_]:
        """(n,) who was there, and is there still."""
        return self.started & np.asarray(self.after.placement.state == self.origin)


def step_of(
    study: Study, window: WindowInView, by: str, step: int, hold: float = 0.0
) -> tuple[Yardstick, AssignmentAt, AssignmentAt]:
    """Both ends of a step, counted from 0, the oldest first.

    Raises
    ------
    Problem
        404: there is no such step; 503: its dates are still being placed.
    """
    yardstick, whole = yardstick_of(study), whole_windows(study, window, by)
    if yardstick is None or not 0 <= step < len(whole) - 1:
        raise Problem("There is no such step between two dates.", 404)
    checked_hold(hold, whole)
    windows = whole[: step + 2] if hold else whole[step : step + 2]
    return yardstick, *placed_step(study, yardstick, windows, hold)


def placed_step(
    study: Study, yardstick: Yardstick, windows: Sequence[WindowInView], hold: float = 0.0
) -> tuple[AssignmentAt, AssignmentAt]:
    """Everybody at the last two of these windows, kept in place from the first one on; 503 while
    they are still being placed."""
    found = [measures_to_show(study, each).made for each in windows]
    made = [each for each in found if each is not None]
    if len(made) < len(windows) or len({each.size for each in made}) > 1:
        raise Problem("These dates are still being placed. Try again in a moment.", 503)
    return held_pair([assignment_from(study, yardstick, each) for each in made], hold)


def cell_of(
    study: Study, window: WindowInView, by: str, step: int, origin: int, target: int,
    hold: float = 0.0,
) -> Cell:  # fmt: skip
    """The customers of one crossing; 404 where there is no such state."""
    yardstick, before, after = step_of(study, window, by, step, hold)
    states = range(before.placement.states)
    if not (origin in states and target in states):
        raise Problem("There is no such crossing.", 404)
    return Cell(yardstick, before, after, origin, target)
