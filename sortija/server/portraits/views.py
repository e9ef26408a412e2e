"""What Portraits shows: rings on threads, the table, who stands on the border."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from sortija.core.portraits.curve import money_curve
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body
from sortija.server.measures.availability import measures_to_show
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.division import (
    Against,
    ColumnHead,
    Division,
    divided,
    heads_of,
)
from sortija.server.portraits.figures import or_none
from sortija.server.portraits.heads import SegmentHead, segment_heads
from sortija.server.portraits.models import Book
from sortija.server.portraits.placed import placed_or_status
from sortija.server.portraits.sheet import by_their_ranks, row_names, sheet_of
from sortija.server.portraits.threads import CategoryThread, NumericThread, Pair, threads_of
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["Asked", "PortraitsPage", "portraits_page"]


@dataclass(frozen=True)
class Asked:
    """How the table is looked at: rows beside the usual ones, two columns to compare (numbers from
    1), the columns: segments, or the lens beside everyone or the rest; ``ranks``: whether
    separation is told by ranks alone."""

    rows: tuple[str, ...] = ()
    pair: tuple[int, int] | None = None
    against: Against = "segments"
    lens: str = ""
    ranks: bool = False


class RowOption(BaseModel):
    """A row on offer; ``usual``: it is there without being asked for."""

    name: str
    label: str
    family: str
    numeric: bool
    usual: bool


class CurveBody(BaseModel):
    """The money curve: shares cumulated by falling spend, and columns (their numbers) by falling
    mean spend on it; ``half``: the share of customers that half of the money comes from."""

    customers: list[float]
    money: list[float]
    order: list[int]
    order_customers: list[float]
    order_money: list[float]
    half: float | None


class PortraitsPage(BaseModel):
    """``segments``: always all; ``columns``: what is compared; ``pair``: the numbers of those
    whose differences the rows tell; ``rows``: what rows there can be; ``book``: the revision of
    the segments' book, 0 while none is written."""

    status: Status
    made_from: str
    adopted: Adopted | None
    at_home: bool
    customers: int
    money: int
    outside: dict[str, int]
    segments: list[SegmentHead]
    against: Against
    columns: list[ColumnHead]
    pair: list[int]
    rows: list[RowOption]
    numeric: list[NumericThread]
    categories: list[CategoryThread]
    curve: CurveBody | None
    book: int


def _nothing(status: Status, adopted: Adopted | None) -> PortraitsPage:
    return PortraitsPage(
        status=status, made_from="", adopted=adopted, at_home=True, customers=0, money=0,
        outside={}, segments=[], against="segments", columns=[], pair=[], rows=[], numeric=[],
        categories=[], curve=None, book=0,
    )  # fmt: skip


def portraits_page(study: Study, window: WindowInView | None, asked: Asked) -> PortraitsPage:
    """The whole station in one answer."""
    adopted = adopted_body(study)
    placed, status = placed_or_status(study, window, "Portraits show adopted groups.")
    if placed is None:
        return _nothing(status, adopted)
    base = base_from(placed.made)
    division = divided(placed, asked.lens, asked.against)
    sheet = sheet_of(placed, division, asked.rows)
    pair = _pair(division, asked.pair)
    if asked.ranks:
        sheet = by_their_ranks(placed, division, sheet)
    numeric, categories = threads_of(sheet, division.shown, pair)
    heads = segment_heads(placed, base.money, sheet)
    state = np.asarray(placed.placement.state)
    states = placed.placement.states
    outside = np.bincount(state[base.known], minlength=states)[placed.placement.k :]
    return PortraitsPage(
        status=status,
        made_from=placed.stamp,
        adopted=adopted,
        at_home=placed.yardstick.home == placed.window.key,
        customers=sum(h.customers for h in heads),
        money=sum(h.money for h in heads),
        outside=dict(zip(("not yet", "left", "unplaced"), outside.tolist(), strict=True)),
        segments=heads,
        against=asked.against if division.stamp != placed.stamp else "segments",
        columns=heads_of(division, placed, base.money),
        pair=[] if pair is None else [n + 1 for n in pair],
        rows=[RowOption(**row.__dict__) for row in row_names(placed)],
        numeric=numeric,
        categories=categories,
        curve=_curve(placed, base.money),
        book=Book.objects.filter(yardstick=placed.yardstick)
        .values_list("revision", flat=True)
        .first()
        or 0,
    )


def _pair(division: Division, asked: tuple[int, int] | None) -> Pair:
    """Places of the columns to compare; the lens and the rest always are."""
    if division.shown == 2 and division.k == 2 and asked is None:
        return (0, 1)
    if asked is None or asked[0] == asked[1]:
        return None
    one, other = asked[0] - 1, asked[1] - 1
    inside = min(one, other) >= 0 and max(one, other) < division.shown
    return (one, other) if inside else None


def _curve(placed: AssignmentAt, money: np.ndarray) -> CurveBody | None:
    """The curve of the segments; none where there is no money."""
    state, k = np.asarray(placed.placement.state), placed.placement.k
    found = money_curve(money[: len(state)], state, k)
    if not len(found.order):
        return None
    return CurveBody(
        customers=found.customers.tolist(), money=found.money.tolist(),
        order=(found.order + 1).tolist(), order_customers=found.group_customers.tolist(),
        order_money=found.group_money.tolist(), half=or_none(found.half),
    )  # fmt: skip


@station("portraits", 5, "Portraits")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    yardstick = yardstick_of(study)
    if yardstick is None:
        return Fact("not yet", "needs groups")
    notes = sum(bool(s.notes) for s in yardstick.segments.all())
    words = f"{yardstick.k} named"
    if notes:
        words = f"{words}, {notes} {'note' if notes == 1 else 'notes'}"
    return measures_to_show(study, window).fact(words) if window else Fact("current", words)
