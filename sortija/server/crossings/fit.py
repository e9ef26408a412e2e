"""Does the yardstick still fit? Measures and distances against the day of its adoption."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from sortija.core.crossings.drift import drift, freeze_categories, freeze_numbers
from sortija.core.crossings.farther import Farther, farther
from sortija.server.crossings.dates import windows_of
from sortija.server.crossings.one_step import placed_step
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import shared_months
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt, ByLadder, frozen
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body
from sortija.server.ledger.store.coverage import covered
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["FitPage", "fit_page"]


class DriftRow(BaseModel):
    """How far a column that shapes the segments has moved: the stability index, what chance makes
    of it, and whether it is told. ``then``, ``now``: medians, null of a category."""

    name: str
    label: str
    unit: str
    index: float
    chance: float
    told: bool
    then: float | None
    now: float | None


class FartherRow(BaseModel):
    """A segment: mean distances to its centre, and the share that stands farther than 99 in 100
    did, with what chance seldom makes of it; null where too few are in it."""

    segment: int
    customers: int
    then: float | None
    now: float | None
    beyond: float | None
    chance: float | None
    told: bool


class FitPage(BaseModel):
    """``home``: the window of the adoption, ``to`` the one it is compared with; ``seasons``: what
    to know where they are of different seasons or share months; ``words``: why it cannot be told;
    ``same_again``: the share of customers who would stand in the same segment had the window of
    the adoption happened again."""

    status: Status
    adopted: Adopted | None
    states: list[SegmentKey]
    home: str
    to: str
    seasons: str
    rows: list[DriftRow]
    segments: list[FartherRow]
    words: str
    same_again: float | None = None


def fit_page(study: Study, window: WindowInView | None) -> FitPage:
    """The yardstick against the window in view; against a year before where that is its home."""
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    page = FitPage(
        status=Status(state="whole"), adopted=adopted, states=[], home="", to="", seasons="",
        rows=[], segments=[], words="",
    )  # fmt: skip
    if yardstick is None or window is None:
        page.status = Status(
            state="empty", words="A yardstick is an adopted grouping. Adopt groups first."
        )
        return page
    if yardstick.grouping is not None and (again := yardstick.grouping.outcome.same_again):
        page.same_again = again[0]
    home = WindowInView.parse(yardstick.home)
    other = window if window.key != home.key else windows_of(home, "year")[0]
    page.home, page.to = home.to.isoformat(), other.to.isoformat()
    lacking = next((words for each in (home, other) if (words := covered(study, each))), "")
    if lacking:
        page.words = f"It cannot be told: {lacking}."
        return page
    then, now = placed_step(study, yardstick, [home, other])
    page.states = states_of(yardstick)
    page.seasons = _seasons(home, other)
    page.rows = sorted(_drifts(then, now), key=lambda row: -row.index)
    if not isinstance(frozen(yardstick), ByLadder):
        page.segments = [_segment(each) for each in _farther(then, now)]
    return page


def _seasons(home: WindowInView, other: WindowInView) -> str:
    if home.to.month != other.to.month or home.back != other.back:
        return "The two windows are of different seasons, which moves measures by itself."
    first, second = sorted((home, other), key=lambda each: each.to)
    shared = shared_months(first, second)
    return f"The two windows share {shared} months, which hides a change." if shared else ""


def _drifts(then: AssignmentAt, now: AssignmentAt) -> list[DriftRow]:
    out = []
    for name in frozen(then.yardstick).names:
        first, second = then.made.column(name), now.made.column(name)
        before = np.asarray(first.values)[then.made.present]
        after = np.asarray(second.values)[now.made.present]
        if first.kind == "category":
            codes = np.array([0, *(
                first.levels.index(level) + 1 if level in first.levels else len(first.levels) + 1
                for level in second.levels
            )])  # fmt: skip
            found = drift(freeze_categories(before, max(len(first.levels), 1)), codes[after])
        else:
            found = drift(freeze_numbers(before), after)
        if found is None:
            continue
        number = first.kind != "category"
        about = then.made.about(name)
        out.append(DriftRow(
            name=name, label=about.label, unit=about.unit, index=found.index, chance=found.chance,
            told=found.told, then=float(np.nanmedian(before)) if number else None,
            now=float(np.nanmedian(after)) if number else None,
        ))  # fmt: skip
    return out


def _farther(then: AssignmentAt, now: AssignmentAt) -> list[Farther]:
    pairs = [
        (np.asarray(at.placement.state), np.sqrt(np.asarray(at.placement.distance)))
        for at in (then, now)
    ]
    return farther(then.placement.k, pairs[0], pairs[1])


def _segment(row: Farther) -> FartherRow:
    def plain(value: float) -> float | None:
        return None if np.isnan(value) else value

    return FartherRow(
        segment=row.segment, customers=row.customers, then=plain(row.then), now=plain(row.now),
        beyond=plain(row.beyond), chance=plain(row.chance), told=row.told,
    )  # fmt: skip
