"""What Crossings shows: ribbons between dates, the matrix of a step, why customers crossed."""

from __future__ import annotations

from datetime import date
from functools import lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.crossings.matrix import Crossings, border_moves, cross, quarter_ends
from sortija.core.crossings.why import effect_size, explain, explain_bands
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.groups.views import Adopted, adopted_body
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    ByLadder,
    assignment_from,
    frozen,
)
from sortija.server.ledger.store.coverage import covered
from sortija.server.measures.measure_set import MeasureSet, measures_to_show
from sortija.server.scores.scored import scored_by
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["By", "CrossingsPage", "WhyPage", "crossings_page", "states_of", "why_page"]

#: Quarter ends that are looked at, the last one in view.
QUARTERS = 4
By = Literal["year", "quarter"]


class SegmentKey(BaseModel):
    """A state's place in the matrices: segments first, then *not yet*, *left*, *unplaced*."""

    name: str
    short: str
    mark: int | None


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


class WhyRow(BaseModel):
    """A variable's part: mean before and after of those who crossed, and its share of Δ."""

    name: str
    label: str
    unit: str
    before: float | None
    after: float | None
    share: float


class WhyPage(BaseModel):
    """Why the customers of one crossing crossed.

    ``kind``: *shares* of the change of distance; *stayers*: those who left (``before``) against
    those who stayed (``after``) at the earlier date, ``share`` the effect size; or *means* alone.
    """

    kind: str
    customers: int
    border: int
    money_before: int
    money_after: int
    rows: list[WhyRow]
    words: str


def windows_of(window: WindowInView, by: By) -> list[WindowInView]:
    """The dates placed, each looking back as far: the same season a year before and the window in
    view, or four quarter ends."""
    last = (window.to.year, window.to.month, window.to.day)
    ends = quarter_ends(last, QUARTERS if by == "quarter" else 5)
    ends = ends if by == "quarter" else [ends[0], ends[-1]]
    # Windows that begin on one day, or with the log, would grow from date to date: a year each.
    back = window.back if window.months else "12"
    return [WindowInView(date(*d), back) for d in ends]


def _whole_windows(study: Study, window: WindowInView, by: By) -> list[WindowInView]:
    """Those dates whose windows the log covers whole; others are compared with nothing."""
    return [each for each in windows_of(window, by) if not covered(study, each)]


def _lacks(study: Study, windows: list[WindowInView]) -> str:
    """Why there are no two dates to compare."""
    told = [(each, words) for each in windows if (words := covered(study, each))]
    each, words = told[0]
    return (
        f"A crossing needs two windows that the log covers whole. Of the window to "
        f"{each.to:%d %b %Y} {words}. Look back over fewer months, choose another step, or bring "
        "in an older log."
    )


def _money(made: MeasureSet) -> NDArray[np.int64]:
    return made.money


Pair = Keyed[tuple[AssignmentAt, AssignmentAt]]


def _keyed(before: AssignmentAt, after: AssignmentAt) -> Pair:
    return Keyed((before.stamp, after.stamp), (before, after))


def _prepared(at: AssignmentAt, preparation: Preparation) -> Prepared:
    table = table_for(at.yardstick.study, at.made, list(preparation.names))
    return preparation.rows(table, at.made.present)


@lru_cache(maxsize=64)
def _border(key: Pair) -> NDArray[np.bool_]:
    before, after = key.value
    by = frozen(before.yardstick)
    if isinstance(by, ByLadder):
        return np.zeros(len(before.placement.state), np.bool_)  # tiers have edges, no borders
    return border_moves(
        before.placement, after.placement, _prepared(before, by.preparation),
        _prepared(after, by.preparation), by.centres,
    )  # fmt: skip


@lru_cache(maxsize=64)
def _crossed(key: Pair) -> Crossings:
    before, after = key.value
    cash = _money(before.made), _money(after.made)
    return cross(before.placement, after.placement, *cash, _border(key))


def _overlap(before: WindowInView, after: WindowInView) -> int:
    """Months that two windows share; 0 where they share none or look back over all."""
    if before.months is None:
        return 0
    apart = (after.to.year - before.to.year) * 12 + after.to.month - before.to.month
    return max(0, before.months - apart)


def states_of(yardstick: Yardstick) -> list[SegmentKey]:
    """Segments in their order, then the states that are none."""
    segments = [
        SegmentKey(name=s.name, short=s.short, mark=s.mark) for s in yardstick.segments.all()
    ]
    others = [
        SegmentKey(name=name, short=name, mark=None) for name in ("not yet", "left", "unplaced")
    ]
    return segments + others


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
    windows, whole = windows_of(window, by), _whole_windows(study, window, by)
    if len(whole) < 2:
        page = _nothing(Status(state="whole"), adopted, by)
        page.dates = [
            DateRow(to=w.to.isoformat(), counts=[], covered=covered(study, w)) for w in windows
        ]
        page.lacks = _lacks(study, windows)
        return page
    placed: list[AssignmentAt] = []
    waits: list[Status] = []
    for at in (measures_to_show(study, each) for each in whole):
        waits += [at.status] if at.status else []
        if at.made is None:
            empty = Status(state="empty", words="The log was taken back. Bring it in again.")
            return _nothing(at.status or empty, adopted, by)
        placed.append(assignment_from(study, yardstick, at.made))
    if len({p.made.size for p in placed}) > 1:  # customers came between two makings
        return _nothing(waits[0], adopted, by)
    k = placed[0].placement.k
    counts = {p.window: np.bincount(p.placement.state, minlength=k + 3).tolist() for p in placed}
    steps = []
    for before, after in pairwise(placed):
        found = _crossed(_keyed(before, after))
        steps.append(
            StepTable(
                from_to=before.window.to.isoformat(), to=after.window.to.isoformat(),
                overlap=_overlap(before.window, after.window),
                customers=found.customers.tolist(), money_before=found.money_before.tolist(),
                money_after=found.money_after.tolist(), border=found.border.tolist(),
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


def _pair(
    study: Study, window: WindowInView, by: By, step: int
) -> tuple[Yardstick, AssignmentAt, AssignmentAt]:
    yardstick, whole = yardstick_of(study), _whole_windows(study, window, by)
    if yardstick is None or not 0 <= step < len(whole) - 1:
        raise Problem("There is no such step between two dates.", 404)
    before, after = whole[step : step + 2]
    first, second = measures_to_show(study, before).made, measures_to_show(study, after).made
    if first is None or second is None or first.size != second.size:
        raise Problem("These dates are still being placed. Try again in a moment.", 503)
    return (
        yardstick,
        assignment_from(study, yardstick, first),
        assignment_from(study, yardstick, second),
    )


def why_page(
    study: Study, window: WindowInView, by: By, step: int, origin: int, target: int
) -> WhyPage:
    """Why customers crossed from state ``origin`` to ``target`` in one step."""
    yardstick, before, after = _pair(study, window, by, step)
    k = before.placement.k
    if not (0 <= origin < k + 3 and 0 <= target < k + 3):
        raise Problem("There is no such crossing.", 404)
    who = (before.placement.state == origin) & (after.placement.state == target)
    hair = _border(_keyed(before, after)) & who
    rows: list[WhyRow] = []
    kind = "means"
    between = origin < k and target < k and origin != target and bool(who.any())
    single = int(who.sum()) == 1 and bool(hair.any())  # shares of next to nothing say nothing
    if between and not single:
        rows = _shares(yardstick, before, after, who, origin, target)
        kind = "shares" if any(row.share for row in rows) else "means"
    elif who.any() and origin < k and target == k + 1:
        stayed = (before.placement.state == origin) & (after.placement.state == origin)
        rows = _against_stayers(yardstick, before, who, stayed)
        kind = "stayers"
    elif who.any():
        rows = _means(yardstick, before, after, who)
    return WhyPage(
        kind=kind,
        customers=int(who.sum()),
        border=int(hair.sum()),
        money_before=int(_money(before.made)[who].sum()),
        money_after=int(_money(after.made)[who].sum()),
        rows=rows,
        words=_word_of(int(who.sum()), single),
    )


def _word_of(customers: int, single: bool) -> str:
    if not customers:
        return "Nobody crossed here."
    return "One customer, by a hair: what moved it can hardly be told." if single else ""


def _mean(made: MeasureSet, name: str, who: NDArray[np.bool_]) -> float | None:
    values = np.asarray(made.column(name).values)[who]
    values = values[~np.isnan(values)]
    return float(values.mean()) if len(values) else None


def _rows(
    before: AssignmentAt, after: AssignmentAt, who: NDArray[np.bool_], names: tuple[str, ...],
    shares: NDArray[np.float64],
) -> list[WhyRow]:  # fmt: skip
    rows = []
    for name, share in zip(names, shares, strict=True):
        trait = name.startswith("trait:")
        if trait and abs(share) < 0.005:
            continue  # a trait that did not change explains nothing
        label = name.removeprefix("trait:").replace("_", " ").capitalize()
        rows.append(
            WhyRow(
                name=name, share=float(share),
                label=label if trait else before.made.about(name).label,
                unit="" if trait else before.made.about(name).unit,
                before=None if trait else _mean(before.made, name, who),
                after=None if trait else _mean(after.made, name, who),
            )
        )  # fmt: skip
    return sorted(rows, key=lambda r: -r.share)


def _shares(
    yardstick: Yardstick, before: AssignmentAt, after: AssignmentAt,
    who: NDArray[np.bool_], origin: int, target: int,
) -> list[WhyRow]:  # fmt: skip
    by = frozen(yardstick)
    if isinstance(by, ByLadder):
        bands = scored_by(before.made, by.ladder), scored_by(after.made, by.ladder)
        told = explain_bands(*bands, by.ladder.score, who)
        return _rows(before, after, who, told.names, told.shares)
    first, second = _prepared(before, by.preparation), _prepared(after, by.preparation)
    first = first.take(np.flatnonzero(who[first.rows]))
    second = second.take(np.flatnonzero(who[second.rows]))
    found = explain(first, second, by.centres, origin, target)
    return _rows(before, after, who, found.names, found.shares)


def _against_stayers(
    yardstick: Yardstick, at: AssignmentAt, left: NDArray[np.bool_], stayed: NDArray[np.bool_]
) -> list[WhyRow]:
    """What set those who left apart from those who stayed, at the earlier date."""
    rows = []
    for name in frozen(yardstick).names:
        if name.startswith("trait:"):
            continue
        values = np.asarray(at.made.column(name).values)
        effect = effect_size(values[left], values[stayed])
        about = at.made.about(name)
        rows.append(
            WhyRow(
                name=name, label=about.label, unit=about.unit, before=_mean(at.made, name, left),
                after=_mean(at.made, name, stayed), share=0.0 if np.isnan(effect) else effect,
            )
        )  # fmt: skip
    return sorted(rows, key=lambda r: -abs(r.share))


def _means(
    yardstick: Yardstick, before: AssignmentAt, after: AssignmentAt, who: NDArray[np.bool_]
) -> list[WhyRow]:
    names = tuple(n for n in frozen(yardstick).names if not n.startswith("trait:"))
    rows = _rows(before, after, who, names, np.zeros(len(names)))
    return [r for r in rows if r.before is not None or r.after is not None]


@station("crossings", 6, "Crossings")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return Fact("not yet", "needs groups")
    words = f"{yardstick.k} segments, a year apart"
    return measures_to_show(study, window).fact(words)
