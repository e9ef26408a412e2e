"""Paths: which ways customers went through the dates of a series, and who follows a pattern."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from pydantic import BaseModel

from sortija.core.crossings.paths import ANY, Paths, paths_of
from sortija.server.crossings.against_chance import Against, chance_of_step
from sortija.server.crossings.dates import what_is_lacking, whole_windows, windows_of
from sortija.server.crossings.placed import placed_at
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import shared_months
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["PathsPage", "paths_page", "paths_through", "pattern_of"]

#: Ways that are listed.
MOST = 12


class PathRow(BaseModel):
    """A way: its states from 0, who went it, and what they spent in the first window; ``told``: of
    how many of them chance can be told, ``chance``: what it makes; null where there are more than
    two dates, or it is not told yet."""

    states: list[int]
    customers: int
    spent: int
    told: int = 0
    chance: Against | None = None


class PathsPage(BaseModel):
    """``dates``: last days of the windows; ``overlap``: months that two in turn share; ``ways``:
    how many there are; ``listed``: what share of the customers went a listed one; ``matched``:
    those who follow the pattern that is asked for; ``chance``: why chance is not told
    of two dates."""

    status: Status
    states: list[SegmentKey]
    dates: list[str]
    back: str
    overlap: int
    rows: list[PathRow]
    customers: int
    ways: int
    listed: float
    matched: PathRow | None
    lacks: str
    chance: str = ""


def pattern_of(text: str, dates: int, states: int) -> tuple[int, ...]:
    """A pattern such as ``1.*.3.*``: states from 1 on, and anything.

    Raises
    ------
    Problem
        It is none for so many dates and states.
    """
    parts = text.split(".")
    good = all(p == "*" or (is_whole(p) and 1 <= int(p) <= states) for p in parts)
    if len(parts) != dates or not good:
        raise Problem(f"A path has {dates} places, each a state from 1 to {states} or *.")
    return tuple(ANY if p == "*" else int(p) - 1 for p in parts)


@remembered
def paths_through(key: Keyed[Callable[[], Sequence[AssignmentAt]]]) -> Paths:
    """Everybody's way through these dates, known by their stamps; placed where nobody asked yet."""
    return paths_of([np.asarray(at.placement.state, np.int32) for at in key.value()])


def paths_page(study: Study, window: WindowInView | None, by: str, pattern: str) -> PathsPage:
    """The ways that most went through the dates of a series that the log covers whole."""
    page = PathsPage(
        status=Status(state="whole"), states=[], dates=[], back="", overlap=0, rows=[],
        customers=0, ways=0, listed=0.0, matched=None, lacks="",
    )  # fmt: skip
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        words = "Paths lead from segment to segment. Adopt groups first."
        page.status = Status(state="empty", words=words)
        return page
    whole = whole_windows(study, window, by)
    if len(whole) < 2:
        page.lacks = what_is_lacking(study, windows_of(window, by))
        return page
    at = placed_at(study, yardstick, whole)
    placed, page.status = at.dates, at.status or page.status
    if not placed:
        return page
    found = paths_through(Keyed(tuple(each.stamp for each in placed), lambda: placed))
    spent = found.sums(placed[0].made.money)
    page.states, page.dates = states_of(yardstick), [each.window.to.isoformat() for each in placed]
    page.back = placed[0].window.back
    page.overlap = shared_months(placed[0].window, placed[1].window)
    # Who was in no segment at any of the dates went no way that is worth a line.
    told = (found.ways < yardstick.k).any(axis=1)
    page.customers, page.ways = int(found.customers[told].sum()), int(told.sum())
    shown = np.flatnonzero(told)[:MOST]
    page.listed = float(found.customers[shown].sum()) / max(page.customers, 1)
    page.rows = [
        PathRow(
            states=found.ways[p].tolist(), customers=int(found.customers[p]), spent=int(spent[p])
        )
        for p in shown
    ]  # fmt: skip
    if len(placed) == 2:
        against = chance_of_step(placed[0], placed[1])
        page.chance = against.words or against.status.words
        for row in page.rows if against.moves else ():
            origin, target = row.states
            row.told, row.chance = against.seen[origin][target], against.moves[origin][target]
    if pattern:
        asked = pattern_of(pattern, len(placed), len(page.states))
        fits = found.matching(asked)
        page.matched = PathRow(
            states=list(asked), customers=int(found.customers[fits].sum()),
            spent=int(spent[fits].sum()),
        )  # fmt: skip
    return page
