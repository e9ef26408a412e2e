"""What Crossings shows: ribbons between dates, the matrix of a step, why customers crossed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from pydantic import BaseModel

from sortija.server.crossings.against_chance import StepChance, chance_of_step
from sortija.server.crossings.dates import By, what_is_lacking, whole_windows, windows_of
from sortija.server.crossings.sizes import SizesBody, sizes_of
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import crossed, pair_of, shared_months
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    assignment_from,
)
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body
from sortija.server.ledger.store.coverage import covered
from sortija.server.measures.availability import measures_to_show
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["CrossingsPage", "crossings_page"]


class DateRow(BaseModel):
    """How many customers are in each state at one date.

    ``covered``: what the log has of its window; where that is not empty, the date counts in no
    matrix and has no counts.
    """

    to: str
    counts: list[int]
    covered: str


class StepTable(BaseModel):
    """One step from date to date; matrices by state, border moves among the customers.

    ``overlap``: months that both windows share.
    """

    from_to: str
    to: str
    overlap: int
    customers: list[list[int]]
    money_before: list[list[int]]
    money_after: list[list[int]]
    border: list[list[int]]
    chance: StepChance
    sizes: SizesBody


class CrossingsPage(BaseModel):
    """``by``: what lies between two dates; ``lacks``: why there is no step to look at."""

    status: Status
    made_from: str
    adopted: Adopted | None
    states: list[SegmentKey]
    dates: list[DateRow]
    steps: list[StepTable]
    back: str
    by: By
    lacks: str


def _nothing(status: Status, adopted: Adopted | None, by: By) -> CrossingsPage:
    return CrossingsPage(
        status=status,
        made_from="",
        adopted=adopted,
        states=[],
        dates=[],
        steps=[],
        back="",
        by=by,
        lacks="",
    )


def crossings_page(study: Study, window: WindowInView | None, by: By = "year") -> CrossingsPage:
    """The whole station in one answer; dates are placed by the frozen yardstick."""
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    if yardstick is None or window is None:
        words = "Crossings are counted between segments. Adopt groups first."
        return _nothing(Status(state="empty", words=words), adopted, by)
    windows, whole = windows_of(window, by), whole_windows(study, window, by)
    if len(whole) < 2:
        page = _nothing(Status(state="whole"), adopted, by)
        page.dates = [
            DateRow(to=w.to.isoformat(), counts=[], covered=covered(study, w)) for w in windows
        ]
        page.lacks = what_is_lacking(study, windows)
        return page
    placed: list[AssignmentAt] = []
    waits: list[Status] = []
    for at in (measures_to_show(study, each) for each in whole):
        waits += [at.status] if at.status else []
        if at.made is None:
            empty = Status(state="empty", words="The log was removed. Import it again.")
            return _nothing(at.status or empty, adopted, by)
        placed.append(assignment_from(study, yardstick, at.made))
    if len({p.made.size for p in placed}) > 1:  # customers came between two makings
        return _nothing(waits[0], adopted, by)
    states = placed[0].placement.states
    counts = {p.window: np.bincount(p.placement.state, minlength=states).tolist() for p in placed}
    steps = []
    for before, after in pairwise(placed):
        pair = pair_of(before, after)
        found = crossed(pair)
        steps.append(
            StepTable(
                from_to=before.window.to.isoformat(), to=after.window.to.isoformat(),
                overlap=shared_months(before.window, after.window),
                customers=found.customers.tolist(), money_before=found.money_before.tolist(),
                money_after=found.money_after.tolist(), border=found.border.tolist(),
                chance=chance_of_step(before, after), sizes=sizes_of(pair),
            )
        )  # fmt: skip
    return CrossingsPage(
        status=waits[0] if waits else Status(state="whole"),
        made_from=placed[-1].stamp,
        adopted=adopted,
        states=states_of(yardstick),
        dates=[
            DateRow(
                to=each.to.isoformat(), counts=counts.get(each, []), covered=covered(study, each)
            )
            for each in windows
        ],
        steps=steps,
        back=whole[0].back,
        by=by,
        lacks="",
    )


@station("crossings", 6, "Crossings")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return Fact("not yet", "needs groups")
    words = f"{yardstick.k} segments, a year apart"
    return measures_to_show(study, window).fact(words)
