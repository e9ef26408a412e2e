"""What became of letters: delivered, bounced, opened, clicked, replied to, opted out."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.db.models import Count
from pydantic import BaseModel

from sortija.core.measures.intervals import wilson
from sortija.core.table import Column
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign, ContactEvent
from sortija.server.ledger.customers.opt_outs import take_opt_outs
from sortija.server.lens.fields import Field, field_kind
from sortija.server.studies.actions import changing, touch
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.windows import WindowInView

__all__ = ["KINDS", "Event", "EventCount", "Taken", "counts_of", "take_events"]

KINDS = ContactEvent.KINDS
_WORDS = {
    "delivered": "The letter reached the customer's address.",
    "bounced": "The letter could not be delivered.",
    "opened": "The letter was opened, or a mail program opened it by itself.",
    "clicked": "A link in the letter was followed.",
    "replied": "The customer wrote back.",
    "opted out": "The customer asked not to be written to any more.",
}


@dataclass(frozen=True)
class Event:
    """Something that was told of a customer's letter, and when it happened."""

    customer: int
    kind: str
    at: datetime


class Taken(BaseModel):
    """``taken``: news; ``known``: told before; ``not_written``: of somebody whom this campaign did
    not write to; ``opted_out``: customers who have no consent from now on."""

    taken: int
    known: int
    not_written: int
    opted_out: int


class EventCount(BaseModel):
    """So many ``customers`` of those written to; of which share, with its 95% interval."""

    kind: str
    customers: int
    share: float
    low: float
    high: float


def take_events(campaign: Campaign, events: Iterable[Event]) -> Taken:
    """Keep what is news: of each kind the first that was told of a customer.

    Telling the same again changes nothing, so that a file and a service may overlap. Who opts out
    has no consent from this moment on.
    """
    drawn = drawn_of(campaign)
    written = set(drawn.customers[~drawn.held].tolist())
    first: dict[tuple[int, str], datetime] = {}
    strangers = told = 0
    for event in events:
        told += 1
        if event.customer not in written:
            strangers += 1
            continue
        key = (event.customer, event.kind)
        if key not in first or event.at < first[key]:
            first[key] = event.at
    with changing(campaign.study_id):
        there = ContactEvent.objects.filter(campaign=campaign, kind__in={k for _, k in first})
        if len(first) < 5000:
            there = there.filter(customer__in={c for c, _ in first})
        known = set(there.values_list("customer", "kind"))
        news = {key: at for key, at in first.items() if key not in known}
        ContactEvent.objects.bulk_create(
            [ContactEvent(campaign=campaign, customer=c, kind=k, at=at)
             for (c, k), at in news.items()],
            batch_size=5000,
        )  # fmt: skip
        gone = {c: at for (c, k), at in news.items() if k == ContactEvent.OPTED_OUT}
        take_opt_outs(campaign.study, gone, f"after {campaign.name}")
        if news:
            touch(campaign.study)
    known_too = told - strangers - len(news)
    return Taken(taken=len(news), known=known_too, not_written=strangers, opted_out=len(gone))


def counts_of(campaign: Campaign, written: int) -> list[EventCount]:
    """How many of those written to each kind was told of; empty where nothing was told."""
    rows = ContactEvent.objects.filter(campaign=campaign).values("kind")
    found = {row["kind"]: row["customers"] for row in rows.annotate(customers=Count("customer"))}
    if not found or not written:
        return []
    out = []
    for kind in KINDS:
        count = min(found.get(kind, 0), written)
        low, high = wilson(count, written)
        out.append(EventCount(kind=kind, customers=count, share=count / written, low=low,
                              high=high))  # fmt: skip
    return out


def customers_of(campaign: Campaign, kind: str) -> Sequence[int]:
    """Of whom this was told, ascending."""
    rows = ContactEvent.objects.filter(campaign=campaign, kind=kind).order_by("customer")
    return list(rows.values_list("customer", flat=True))


@field_kind("letter")
def _letter_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``letter:7:opened``: yes or no of everybody whom campaign 7 wrote to."""
    number, _, kind = name.partition(":")
    if not is_whole(number) or kind not in KINDS:
        return None
    campaign = (
        Campaign.objects.filter(study=study, pk=int(number), dropped=False)
        .select_related("arms", "strata", "segments", "versions")
        .first()
    )
    if campaign is None or campaign.arms is None:
        return None
    drawn = drawn_of(campaign)
    codes = np.zeros(campaign.arms.size, np.int32)
    codes[drawn.customers[~drawn.held]] = 1
    told = np.array(customers_of(campaign, kind), np.int64)
    told = told[told < len(codes)]
    codes[told] = np.where(codes[told] > 0, 2, 0)
    column = Column(name, "category", codes, "", ("no", "yes"))
    key = f"letter:{name}"
    return Field(
        key, f"{kind.capitalize()}: {campaign.name}", "", column,
        f"{key}:{campaign.arms.fingerprint}:{len(told)}",
        definition=f"{_WORDS[kind]} Told of everybody whom {campaign.name} wrote to.",
    )  # fmt: skip


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    ContactEvent.objects.filter(campaign__study=study, customer__in=numbers).delete()
