"""What Campaigns shows of letters on their way, and of what became of them."""

from __future__ import annotations

from django.utils import timezone
from pydantic import BaseModel

from sortija.server.campaigns.delivery.events import EventCount, counts_of
from sortija.server.campaigns.delivery.outbox import standing_of
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Block, Campaign, Departure
from sortija.server.ledger.models import Card
from sortija.server.studies.models import Study

__all__ = ["DepartureRow", "LettersPage", "OutboxRow", "left_of", "letters_page", "outbox_of"]

#: Customers that are named of those the service did not take.
_NAMED = 100


class OutboxRow(BaseModel):
    """A list that waits, or is leaving; ``seconds``: until it goes."""

    campaign: int
    name: str
    state: str
    goes_at: str
    seconds: int
    total: int
    sent: int
    revision: int


class RefusedRow(BaseModel):
    """A customer whose letter the service did not take, and why."""

    customer: int
    name: str
    why: str


class DepartureRow(BaseModel):
    """A list that left, or is to: ``way`` file or service; ``sent`` of ``total`` have left;
    ``unknown``: handed over, and not answered; ``passed_over``: opted out since the draw;
    ``columns``: by their labels."""

    id: int
    way: str
    state: str
    goes_at: str
    ended_at: str
    by: str
    total: int
    sent: int
    unknown: int
    refused: list[RefusedRow]
    refused_count: int
    passed_over: int
    trouble: str
    columns: list[str]
    revision: int


class LettersPage(BaseModel):
    """``departures``: the newest first; ``counts``: what became of the letters."""

    departures: list[DepartureRow]
    counts: list[EventCount]
    written: int


def outbox_of(study: Study) -> list[OutboxRow]:
    """What waits and what is leaving, the next first."""
    rows = Departure.objects.filter(
        campaign__study=study, way=Departure.SERVICE,
        state__in=(Departure.WAITING, Departure.GOING),
    )  # fmt: skip
    now = timezone.now()
    return [
        OutboxRow(
            campaign=row.campaign_id, name=row.campaign.name, state=row.state,
            goes_at=row.goes_at.isoformat() if row.goes_at else "",
            seconds=max(0, round((row.goes_at - now).total_seconds())) if row.goes_at else 0,
            total=row.total, sent=row.sent, revision=row.revision,
        )
        for row in rows.select_related("campaign").order_by("goes_at")
        if standing_of(row) != Departure.STOPPED
    ]  # fmt: skip


def left_of(campaign: Campaign) -> tuple[str, int]:
    """By which way the list left, empty while none did, and how many rows were stopped."""
    if campaign.state != Campaign.HANDED:
        return "", 0
    if campaign.departures.filter(way=Departure.FILE).exists():
        return Departure.FILE, 0
    row = campaign.departures.filter(way=Departure.SERVICE).first()
    return (row.way, row.total - row.sent - row.refused) if row else ("", 0)


def letters_page(campaign: Campaign) -> LettersPage:
    """Every list of a campaign that left or is to, and what came back."""
    rows = campaign.departures.select_related("person").order_by("-id")
    drawn = drawn_of(campaign)
    written = int((~drawn.held).sum())
    return LettersPage(
        departures=[_row(campaign, row) for row in rows], counts=counts_of(campaign, written),
        written=written,
    )  # fmt: skip


def _row(campaign: Campaign, row: Departure) -> DepartureRow:
    refused: list[tuple[int, str]] = []
    unknown = 0
    if row.way == Departure.SERVICE:
        for block in Block.objects.filter(departure=row).exclude(refused=[]).order_by("number"):
            refused += [(customer, why) for customer, why in block.refused]
        begun = Block.objects.filter(departure=row, sent_at=None).values_list("rows", flat=True)
        unknown = sum(map(len, begun))
    names = _names(campaign.study, [customer for customer, _ in refused[:_NAMED]])
    who = row.person
    return DepartureRow(
        id=row.pk, way=row.way, state=standing_of(row),
        goes_at=row.goes_at.isoformat() if row.goes_at else "",
        ended_at=row.ended_at.isoformat() if row.ended_at else "",
        by=(who.get_full_name() or who.username) if who else "",
        total=row.total, sent=row.sent, unknown=unknown,
        refused=[RefusedRow(customer=c, name=names.get(c, ""), why=why)
                 for c, why in refused[:_NAMED]],
        refused_count=len(refused), passed_over=row.passed_over, trouble=row.trouble,
        columns=[column["label"] for column in row.columns], revision=row.revision,
    )  # fmt: skip


def _names(study: Study, numbers: list[int]) -> dict[int, str]:
    rows = Card.objects.filter(study=study, number__in=numbers).values_list("number", "code")
    return {number: code or "erased" for number, code in rows}
