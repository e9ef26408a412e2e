"""The yardstick in use: its segments, its home, and what has changed since it was decided."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["Adopted", "AdoptedSegment", "adopted_body", "changes_since"]


class AdoptedSegment(BaseModel):
    """``carried``: whose identity it has, and what share of both their customers they share."""

    id: int
    number: int
    mark: int
    name: str
    carried: str
    carried_share: float | None


class Adopted(BaseModel):
    """The yardstick: its grouping or ladder, home window, and what has changed since."""

    id: int
    grouping: int | None
    made_from: str
    ladder: bool
    k: int
    home_to: str
    home_back: str
    at: str
    person: str
    since: str
    segments: list[AdoptedSegment]
    vanished: list[str]


def changes_since(study: Study, yardstick: Yardstick) -> str:
    """What has changed in the ledger since the yardstick was decided, in words."""
    ledger = ledger_of(study)
    if ledger is None:
        return "the log was removed since" if yardstick.decided_on else ""
    if ledger.made_from == yardstick.decided_on:
        return ""
    moved = len(set(ledger.on) ^ set(yardstick.rules))
    if moved:
        return f"{moved} rule{'s' if moved > 1 else ''} changed since"
    return "the ledger's files changed since"


def adopted_body(study: Study) -> Adopted | None:
    """The yardstick for the wire."""
    yardstick = yardstick_of(study)
    if yardstick is None:
        return None
    window = WindowInView.parse(yardstick.home)
    grouping = yardstick.grouping
    return Adopted(
        id=yardstick.pk, grouping=grouping.pk if grouping else None,
        made_from=grouping.made_from if grouping else "", ladder=grouping is None,
        k=yardstick.k, home_to=window.to.isoformat(), home_back=window.back,
        at=yardstick.adopted_at.isoformat(),
        person=str(yardstick.person or ""), since=changes_since(study, yardstick),
        segments=[
            AdoptedSegment(
                id=s.pk, number=s.number, mark=s.mark, name=s.name,
                carried=s.carried.name if s.carried else "", carried_share=s.carried_share,
            )
            for s in yardstick.segments.select_related("carried")
        ],
        vanished=yardstick.vanished,
    )  # fmt: skip
