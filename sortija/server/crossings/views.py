"""What Crossings shows: ribbons between dates, the matrix of a step, why customers crossed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from pydantic import BaseModel

from sortija.server.crossings.against_chance import StepChance, chance_of_step
from sortija.server.crossings.dates import dates_in_view, what_is_lacking, whole_windows
from sortija.server.crossings.placed import placed_at
from sortija.server.crossings.sizes import SizesBody, sizes_of
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import crossed, of_one_season, pair_of, shared_months
from sortija.server.crossings.watches.page import fired_at
from sortija.server.groups.actions import yardstick_of
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
    """``by``: what lies between two dates; ``lacks``: why there is no step to look at."""

    status: Status
    made_from: str
    adopted: Adopted | None
    states: list[SegmentKey]
    dates: list[DateRow]
    steps: list[StepTable]
    back: str
    by: str
    lacks: str


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
    study: Study, window: WindowInView | None, by: str = "year", looked_at: int = -1
) -> CrossingsPage:
    """The whole station in one answer; dates are placed by the frozen yardstick.

    ``looked_at``: the step that is told from chance where there are many; −1: the last.
    """
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    if yardstick is None or window is None:
        words = "Crossings are counted between segments. Adopt groups first."
        return _nothing(Status(state="empty", words=words), adopted, by)
    windows, whole = dates_in_view(study, window, by), whole_windows(study, window, by)
    if len(whole) < 2:
        page = _nothing(Status(state="whole"), adopted, by)
        page.dates = [
            DateRow(to=w.to.isoformat(), counts=[], covered=covered(study, w)) for w in windows
        ]
        page.lacks = what_is_lacking(study, windows)
        return page
    found = placed_at(study, yardstick, whole)
    placed = found.dates
    if not placed:
        return _nothing(found.status or Status(state="whole"), adopted, by)
    states = placed[0].placement.states
    counts = {p.window: np.bincount(p.placement.state, minlength=states).tolist() for p in placed}
    steps = []
    many = len(placed) - 1
    wanted = looked_at if 0 <= looked_at < many else many - 1
    for place, (before, after) in enumerate(pairwise(placed)):
        pair = pair_of(before, after)
        moved = crossed(pair)
        steps.append(
            StepTable(
                from_to=before.window.to.isoformat(), to=after.window.to.isoformat(),
                overlap=shared_months(before.window, after.window),
                same_season=of_one_season(before.window, after.window),
                customers=moved.customers.tolist(), money_before=moved.money_before.tolist(),
                money_after=moved.money_after.tolist(), border=moved.border.tolist(),
                chance=chance_of_step(before, after, many <= FEW_STEPS or place == wanted),
                sizes=sizes_of(pair),
            )
        )  # fmt: skip
    return CrossingsPage(
        status=found.status or Status(state="whole"),
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
    fired = fired_at(study, window)
    told = f", {fired} watch{'es' if fired > 1 else ''} fired" if fired else ", a year apart"
    words = f"{yardstick.k} segments{told}"
    return measures_to_show(study, window).fact(words)
