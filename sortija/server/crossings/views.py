"""What Crossings shows: ribbons between dates, the matrix of a step, why customers crossed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.server.crossings.against_chance import (
    StepChance,
    chance_of_step,
    of_a_lens,
    price_of,
)
from sortija.server.crossings.dates import dates_in_view, what_is_lacking, whole_windows
from sortija.server.crossings.of_a_lens import OF_ALL, crossed_inside, inside_lens
from sortija.server.crossings.placed import placed_at
from sortija.server.crossings.silent import gone_silent
from sortija.server.crossings.sizes import NOT_ALIKE, SizesBody, sizes_of, untold
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import (
    can_hold,
    checked_hold,
    crossed,
    held_along,
    of_one_season,
    pair_of,
    shared_months,
)
from sortija.server.crossings.watches.page import fired_at
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt
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

    ``silent``: how many of them have been away longer than three of their own usual gaps;
    ``covered``: what the log has of its window; where that is not empty, the date counts in no
    matrix and has no counts.
    """

    to: str
    counts: list[int]
    silent: list[int]
    covered: str


class StepTable(BaseModel):
    """One step from date to date; matrices by state, border moves among the customers.

    ``overlap``: months that both windows share; ``same_season``: whole years lie between them.
    """

    from_to: str
    to: str
    overlap: int
    same_season: bool
    customers: list[list[int]]
    money_before: list[list[int]]
    money_after: list[list[int]]
    border: list[list[int]]
    chance: StepChance
    sizes: SizesBody


class CrossingsPage(BaseModel):
    """``by``: what lies between two dates; ``can_hold``: whether customers can be kept in place;
    ``lacks``: why there is no step to look at; ``only``: of
    how many customers it is told, where it is of a lens alone; null: of all."""

    status: Status
    made_from: str
    adopted: Adopted | None
    states: list[SegmentKey]
    dates: list[DateRow]
    steps: list[StepTable]
    back: str
    by: str
    lacks: str
    only: int | None = None
    hold: float = 0.0
    can_hold: bool = False


def _nothing(status: Status, adopted: Adopted | None, by: str) -> CrossingsPage:
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


#: Of so few steps all are told from chance at once; of more the one that is looked at.
FEW_STEPS = 3


def crossings_page(
    study: Study, window: WindowInView | None, by: str = "year", looked_at: int = -1,
    lens: str = "", hold: float = 0.0,
) -> CrossingsPage:  # fmt: skip
    """The whole station in one answer; dates are placed by the frozen yardstick.

    ``hold``: customers stay in their segment until another's margin exceeds it; ``looked_at``: the
    step that is told from chance where there are many, −1 the last; ``lens``: of its customers
    alone, whatever crossings it names; chance is told of all customers, or not.
    """
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    if yardstick is None or window is None:
        words = "Crossings are counted between segments. Adopt groups first."
        return _nothing(Status(state="empty", words=words), adopted, by)
    windows, whole = dates_in_view(study, window, by), whole_windows(study, window, by)
    if len(whole) < 2:
        page = _nothing(Status(state="whole"), adopted, by)
        page.dates = [
            DateRow(to=w.to.isoformat(), counts=[], silent=[], covered=covered(study, w))
            for w in windows
        ]
        page.lacks = what_is_lacking(study, windows)
        return page
    checked_hold(hold, whole)
    found = placed_at(study, yardstick, whole)
    placed = found.dates
    if not placed:
        return _nothing(found.status or Status(state="whole"), adopted, by)
    states = placed[0].placement.states
    inside = inside_lens(study, window, lens, placed[0].made.size)
    kept = held_along(placed, hold)
    dates = {each.window: _date(each, states, inside) for each in kept}
    steps = []
    many = len(placed) - 1
    wanted = looked_at if 0 <= looked_at < many else many - 1
    for place, (before, after) in enumerate(pairwise(kept)):
        pair = pair_of(before, after)
        moved = crossed(pair) if inside is None else crossed_inside(pair, inside)
        told = many <= FEW_STEPS or place == wanted
        against = chance_of_step(before, after, told) if inside is None else of_a_lens()
        if after.hold and inside is None and told and not against.words:
            against.price = price_of(pair_of(*placed[place : place + 2]), pair)
        steps.append(
            StepTable(
                from_to=before.window.to.isoformat(), to=after.window.to.isoformat(),
                overlap=shared_months(before.window, after.window),
                same_season=of_one_season(before.window, after.window),
                customers=moved.customers.tolist(), money_before=moved.money_before.tolist(),
                money_after=moved.money_after.tolist(), border=moved.border.tolist(),
                chance=against,
                sizes=(
                    untold(OF_ALL) if inside is not None
                    else untold(NOT_ALIKE) if after.hold
                    else sizes_of(pair)
                ),
            )
        )  # fmt: skip
    return CrossingsPage(
        status=found.status or Status(state="whole"),
        made_from=placed[-1].stamp,
        adopted=adopted,
        states=states_of(yardstick),
        dates=[
            dates.get(each)
            or DateRow(to=each.to.isoformat(), counts=[], silent=[], covered=covered(study, each))
            for each in windows
        ],
        steps=steps,
        back=whole[0].back,
        by=by,
        lacks="",
        only=None if inside is None else int(inside.sum()),
        hold=hold,
        can_hold=can_hold(yardstick, whole),
    )


def _date(at: AssignmentAt, states: int, inside: NDArray[np.bool_] | None) -> DateRow:
    state = np.asarray(at.placement.state)
    here = np.ones(len(state), np.bool_) if inside is None else inside
    gone = gone_silent(at.made)
    return DateRow(
        to=at.window.to.isoformat(), covered="",
        counts=np.bincount(state[here], minlength=states).tolist(),
        silent=np.bincount(state[here & gone], minlength=states).tolist(),
    )  # fmt: skip


@station("crossings", 6, "Crossings")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return Fact("not yet", "needs groups")
    fired = fired_at(study, window)
    told = f", {fired} watch{'es' if fired > 1 else ''} fired" if fired else ", a year apart"
    words = f"{yardstick.k} segments{told}"
    return measures_to_show(study, window).fact(words)
