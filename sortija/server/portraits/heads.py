"""The heads of segments: name, size, money, who stands on the border, who is typical."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.models import Card
from sortija.server.portraits.figures import plain
from sortija.server.portraits.sheet import Sheet

__all__ = ["ProposalBody", "SegmentHead", "Typical", "segment_heads"]

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
    """A segment: its mark, name, size and money, who looks after it, who stands on its border."""

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
    owner: str
    typical: list[Typical]


def segment_heads(
    placed: AssignmentAt, money: NDArray[np.int64], sheet: Sheet | None
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
    for place, segment in enumerate(placed.yardstick.segments.select_related("owner")):
        row = towards[place]
        heads.append(
            SegmentHead(
                id=segment.pk, number=segment.number, mark=segment.mark, name=segment.name,
                short=segment.short, revision=segment.revision, customers=int(counts[place]),
                money=int(sums[place]), border=int(row.sum()),
                border_towards=int(row.argmax()) + 1 if row.sum() else None,
                border_towards_customers=int(row.max()),
                proposals=[ProposalBody(**p) for p in segment.proposals], notes=segment.notes,
                owner=segment.owner.username if segment.owner else "",
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
        if len(mine) > TYPICAL:  # in order are put only those that can be among them
            last = np.partition(distance[mine], TYPICAL - 1)[TYPICAL - 1]
            mine = mine[~(distance[mine] > last)]
        nearest.append(mine[np.argsort(distance[mine], kind="stable")[:TYPICAL]])
    wanted = [int(n) for rows in nearest for n in rows]
    codes = dict(
        Card.objects.filter(study=placed.yardstick.study_id, number__in=wanted).values_list(
            "number", "code"
        )
    )
    columns = [placed.made.column(row.name) for row in sheet.numeric]
    return [
        [Typical(card=codes.get(int(n), ""), values=plain(c.values[n] for c in columns))
         for n in rows]
        for rows in nearest
    ]  # fmt: skip
