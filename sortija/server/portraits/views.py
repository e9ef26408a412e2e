"""What Portraits shows: rings on threads, the table, who stands on the border."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from pydantic import BaseModel

from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body
from sortija.server.ledger.models import Card
from sortija.server.measures.availability import measures_to_show
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.sheet import CategoryRow, NumericRow, Sheet, sheet_of
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["PortraitsPage", "SegmentHead", "portraits_page", "segment_heads"]

TYPICAL = 3


class ProposalBody(BaseModel):
    name: str
    short: str
    reason: str


class Typical(BaseModel):
    """One of the customers nearest to the centre, with values in the threads' order."""

    card: str
    values: list[float | None]


class SegmentHead(BaseModel):
    """A segment: its mark, name, size and money, and who stands on its border."""

    id: int
    number: int
    mark: int
    name: str
    short: str
    revision: int
    customers: int
    money: int
    border: int
    border_towards: int | None
    border_towards_customers: int
    proposals: list[ProposalBody]
    notes: str
    typical: list[Typical]


class NumericThread(BaseModel):
    """A measure by segment; ``places``: means on the axis, 0 to 1; deviations in SD."""

    name: str
    label: str
    unit: str
    definition: str
    shaped: bool
    eta_squared: float | None
    p: float | None
    low: float
    high: float
    log: bool
    everyone: float | None
    quartiles: list[float]
    means: list[float | None]
    medians: list[float | None]
    places: list[float | None]
    deviations: list[float | None]


class CategoryThread(BaseModel):
    """A category by segment: the most telling level of each, its share and its index."""

    name: str
    label: str
    levels: list[str]
    shaped: bool
    v_squared: float
    p: float | None
    everyone_level: int
    everyone: list[float]
    shares: list[list[float | None]]
    telling: list[int]
    index: list[float | None]


class PortraitsPage(BaseModel):
    status: Status
    made_from: str
    adopted: Adopted | None
    at_home: bool
    customers: int
    money: int
    outside: dict[str, int]
    segments: list[SegmentHead]
    numeric: list[NumericThread]
    categories: list[CategoryThread]


def _plain(values: Any) -> list[float | None]:
    return [float(v) if math.isfinite(v) else None for v in values]


def _or_none(value: float) -> float | None:
    return value if math.isfinite(value) else None


def segment_heads(
    placed: AssignmentAt, money: np.ndarray, sheet: Sheet | None
) -> list[SegmentHead]:
    """The heads of all segments at one placement."""
    placement, k = placed.placement, placed.placement.k
    state = np.asarray(placement.state)
    counts = np.bincount(state, minlength=placement.states)
    sums = np.zeros(placement.states, np.int64)
    np.add.at(sums, state, money)
    border = placement.border & (state < k)
    towards = np.zeros((k, k), np.int64)
    rival = np.asarray(placement.rival)
    known = border & (rival >= 0)
    np.add.at(towards, (state[known], rival[known]), 1)
    typical = _typical(placed, sheet) if sheet else [[] for _ in range(k)]
    heads = []
    for place, segment in enumerate(placed.yardstick.segments.all()):
        row = towards[place]
        heads.append(
            SegmentHead(
                id=segment.pk, number=segment.number, mark=segment.mark, name=segment.name,
                short=segment.short, revision=segment.revision, customers=int(counts[place]),
                money=int(sums[place]), border=int(row.sum()),
                border_towards=int(row.argmax()) + 1 if row.sum() else None,
                border_towards_customers=int(row.max()),
                proposals=[ProposalBody(**p) for p in segment.proposals], notes=segment.notes,
                typical=typical[place],
            )
        )  # fmt: skip
    return heads


def _typical(placed: AssignmentAt, sheet: Sheet) -> list[list[Typical]]:
    """The customers nearest to each centre; equal ones in the order of their cards."""
    state, distance = np.asarray(placed.placement.state), np.asarray(placed.placement.distance)
    nearest = []
    for segment in range(placed.placement.k):
        mine = np.flatnonzero(state == segment)
        nearest.append(mine[np.argsort(distance[mine], kind="stable")[:TYPICAL]])
    wanted = [int(n) for rows in nearest for n in rows]
    codes = dict(
        Card.objects.filter(study=placed.yardstick.study_id, number__in=wanted).values_list(
            "number", "code"
        )
    )
    columns = [placed.made.column(row.name) for row in sheet.numeric]
    return [
        [
            Typical(card=codes.get(int(n), ""), values=_plain(c.values[n] for c in columns))
            for n in rows
        ]
        for rows in nearest
    ]


def _numeric(row: NumericRow) -> NumericThread:
    profile = row.profile
    quartiles = row.axis.place(np.array(profile.quartiles))
    return NumericThread(
        name=row.name, label=row.label, unit=row.unit, definition=row.definition,
        shaped=row.shaped, eta_squared=_or_none(profile.eta_squared),
        p=None if row.shaped else _or_none(profile.p), low=row.axis.low, high=row.axis.high,
        log=row.axis.log, everyone=_or_none(profile.everyone_mean),
        quartiles=np.nan_to_num(quartiles, nan=0.5).tolist(), means=_plain(profile.means),
        medians=_plain(profile.medians), places=_plain(row.axis.place(profile.means)),
        deviations=_plain(profile.deviations),
    )  # fmt: skip


def _category(row: CategoryRow) -> CategoryThread:
    profile = row.profile
    telling = profile.telling.tolist()
    return CategoryThread(
        name=row.name, label=row.label, levels=list(row.levels), shaped=row.shaped,
        v_squared=profile.v**2, p=None if row.shaped else profile.p,
        everyone_level=int(profile.everyone.argmax()), everyone=profile.everyone.tolist(),
        shares=[_plain(shares) for shares in profile.shares], telling=telling,
        index=_plain(profile.index[place, level] for place, level in enumerate(telling)),
    )  # fmt: skip


def _nothing(status: Status, adopted: Adopted | None) -> PortraitsPage:
    return PortraitsPage(
        status=status, made_from="", adopted=adopted, at_home=True, customers=0, money=0,
        outside={}, segments=[], numeric=[], categories=[],
    )  # fmt: skip


def portraits_page(study: Study, window: WindowInView | None) -> PortraitsPage:
    """The whole station in one answer."""
    yardstick, adopted = yardstick_of(study), adopted_body(study)
    if yardstick is None or window is None:
        words = "Portraits show adopted groups. Adopt some at Groups."
        return _nothing(Status(state="empty", words=words), adopted)
    at = measures_to_show(study, window)
    if at.made is None:
        empty = Status(state="empty", words="The log was removed. Import it again.")
        return _nothing(at.status or empty, adopted)
    placed, base = assignment_from(study, yardstick, at.made), base_from(at.made)
    sheet = sheet_of(placed)
    heads = segment_heads(placed, base.money, sheet)
    state = np.asarray(placed.placement.state)
    states = placed.placement.states
    outside = np.bincount(state[base.known], minlength=states)[placed.placement.k :]
    return PortraitsPage(
        status=at.status or Status(state="whole"),
        made_from=placed.stamp,
        adopted=adopted,
        at_home=yardstick.home == window.key,
        customers=sum(h.customers for h in heads),
        money=sum(h.money for h in heads),
        outside=dict(zip(("not yet", "left", "unplaced"), outside.tolist(), strict=True)),
        segments=heads,
        numeric=[_numeric(row) for row in sheet.numeric],
        categories=[_category(row) for row in sheet.categories],
    )


@station("portraits", 5, "Portraits")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None:
        return Fact("not yet", "needs groups")
    notes = sum(bool(s.notes) for s in yardstick.segments.all())
    words = f"{yardstick.k} named"
    words = f"{words}, {notes} notes" if notes else words
    return measures_to_show(study, window).fact(words) if window else Fact("current", words)
