"""What Crossings shows: ribbons between dates, the matrix of a step, why customers crossed."""

from __future__ import annotations

from datetime import date
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.crossings.matrix import Crossings, border_moves, cross, quarter_ends
from sortija.core.crossings.why import effect_size, explain, explain_bands
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.core.table import Column
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.inputs import table_for
from sortija.server.groups.models import Yardstick
from sortija.server.groups.placed import ByLadder, PlacedAt, frozen, placed_at, placed_from
from sortija.server.groups.views import Adopted, adopted_body
from sortija.server.lens.fields import Field, field_kind
from sortija.server.measures.made import Made, standing
from sortija.server.scores.scored import scored_by
from sortija.server.studies.http import Status
from sortija.server.studies.keyed import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["CrossingsPage", "WhyPage", "crossings_page", "why_page"]

DATES = 4


class SegmentKey(BaseModel):
    """A state's place in the matrices: segments first, then *not yet*, *left*, *unplaced*."""

    name: str
    short: str
    mark: int | None


class DateRow(BaseModel):
    """How many customers are in each state at one date."""

    to: str
    counts: list[int]


class StepTable(BaseModel):
    """One step from date to date; matrices by state, border moves among the customers."""

    from_to: str
    to: str
    overlap: int
    customers: list[list[int]]
    money_before: list[list[int]]
    money_after: list[list[int]]
    border: list[list[int]]


class CrossingsPage(BaseModel):
    status: Status
    made_from: str
    adopted: Adopted | None
    states: list[SegmentKey]
    dates: list[DateRow]
    steps: list[StepTable]
    back: str


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


def windows_of(window: WindowInView) -> list[WindowInView]:
    """The dates placed: four quarter ends up to the window in view, each looking back as far."""
    last = (window.to.year, window.to.month, window.to.day)
    # From a given day on, windows of several dates would not be alike: a year each, then.
    back = "12" if window.since else window.back
    return [WindowInView(date(*d), back) for d in quarter_ends(last, DATES)]


def _money(made: Made) -> NDArray[np.int64]:
    return made.money


Pair = Keyed[tuple[PlacedAt, PlacedAt]]


def _keyed(before: PlacedAt, after: PlacedAt) -> Pair:
    return Keyed((before.stamp, after.stamp), (before, after))


def _prepared(at: PlacedAt, preparation: Preparation) -> Prepared:
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


def _states(yardstick: Yardstick) -> list[SegmentKey]:
    segments = [
        SegmentKey(name=s.name, short=s.short, mark=s.mark) for s in yardstick.segments.all()
    ]
    others = [
        SegmentKey(name=name, short=name, mark=None) for name in ("not yet", "left", "unplaced")
    ]
    return segments + others


def _nothing(status: Status, adopted: Adopted | None) -> CrossingsPage:
    return CrossingsPage(
        status=status, made_from="", adopted=adopted, states=[], dates=[], steps=[], back=""
    )


def crossings_page(study: Study, window: WindowInView | None) -> CrossingsPage:
    """The whole station in one answer; dates are placed by the frozen yardstick."""
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    if yardstick is None or window is None:
        words = "Crossings are counted between segments. Adopt groups first."
        return _nothing(Status(state="empty", words=words), adopted)
    placed: list[PlacedAt] = []
    waits: list[Status] = []
    for at in (standing(study, each) for each in windows_of(window)):
        waits += [at.status] if at.status else []
        if at.made is None:
            empty = Status(state="empty", words="The log was taken back. Bring it in again.")
            return _nothing(at.status or empty, adopted)
        placed.append(placed_from(study, yardstick, at.made))
    if len({p.made.size for p in placed}) > 1:  # customers came between two makings
        return _nothing(waits[0], adopted)
    k = placed[0].placement.k
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
        states=_states(yardstick),
        dates=[
            DateRow(
                to=p.window.to.isoformat(),
                counts=np.bincount(p.placement.state, minlength=k + 3).tolist(),
            )
            for p in placed
        ],
        steps=steps,
        back=window.back,
    )


def _pair(study: Study, window: WindowInView, step: int) -> tuple[Yardstick, PlacedAt, PlacedAt]:
    yardstick = yardstick_of(study)
    if yardstick is None or not 0 <= step < DATES - 1:
        raise Problem("There is no such step between two dates.", 404)
    before, after = windows_of(window)[step : step + 2]
    first, second = standing(study, before).made, standing(study, after).made
    if first is None or second is None or first.size != second.size:
        raise Problem("These dates are still being placed. Try again in a moment.", 503)
    return (
        yardstick,
        placed_from(study, yardstick, first),
        placed_from(study, yardstick, second),
    )


def why_page(study: Study, window: WindowInView, step: int, origin: int, target: int) -> WhyPage:
    """Why customers crossed from state ``origin`` to ``target`` in one step."""
    yardstick, before, after = _pair(study, window, step)
    k = before.placement.k
    if not (0 <= origin < k + 3 and 0 <= target < k + 3):
        raise Problem("There is no such crossing.", 404)
    who = (before.placement.state == origin) & (after.placement.state == target)
    hair = _border(_keyed(before, after)) & who
    rows: list[WhyRow] = []
    kind = "means"
    between = origin < k and target < k and origin != target and bool(who.any())
    if between:
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
        words="" if who.any() else "Nobody crossed here.",
    )


def _mean(made: Made, name: str, who: NDArray[np.bool_]) -> float | None:
    values = np.asarray(made.column(name).values)[who]
    values = values[~np.isnan(values)]
    return float(values.mean()) if len(values) else None


def _rows(
    before: PlacedAt, after: PlacedAt, who: NDArray[np.bool_], names: tuple[str, ...],
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
    yardstick: Yardstick, before: PlacedAt, after: PlacedAt,
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
    yardstick: Yardstick, at: PlacedAt, left: NDArray[np.bool_], stayed: NDArray[np.bool_]
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
    yardstick: Yardstick, before: PlacedAt, after: PlacedAt, who: NDArray[np.bool_]
) -> list[WhyRow]:
    names = tuple(n for n in frozen(yardstick).names if not n.startswith("trait:"))
    rows = _rows(before, after, who, names, np.zeros(len(names)))
    return [r for r in rows if r.before is not None or r.after is not None]


@field_kind("crossing")
def _crossing_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``crossing:2026-03-31>2026-06-30``: its levels are ``1>4``, states from 1 on."""
    first, _, second = name.partition(">")
    try:
        back = "12" if window.since else window.back
        pair = [WindowInView(date.fromisoformat(day), back) for day in (first, second)]
    except ValueError:
        return None
    yardstick = yardstick_of(study)
    if yardstick is None:
        return None
    before, after = (placed_at(study, yardstick, each) for each in pair)
    if before is None or after is None:
        return None
    width = before.placement.k + 3
    key = before.placement.state.astype(np.int64) * width + after.placement.state
    there, codes = np.unique(key, return_inverse=True)
    names = [s.short for s in _states(yardstick)]
    levels = tuple(f"{int(v) // width + 1}>{int(v) % width + 1}" for v in there)
    labels = tuple(f"{names[int(v) // width]} → {names[int(v) % width]}" for v in there)
    column = Column(name, "category", (codes + 1).astype(np.int32), "", levels)
    stamp = f"{before.stamp}:{after.stamp}"
    return Field(f"crossing:{name}", "Crossing", "", column, stamp, labels)


@station("crossings", 6, "Crossings")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        return Fact("not yet", "needs groups")
    words = f"{DATES} quarter ends, {yardstick.k} segments"
    return standing(study, window).fact(words)
