"""Why one customer was written to: the campaigns it was drawn for."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel

from sortija.server.campaigns.models import Block, Campaign, ContactEvent
from sortija.server.campaigns.standing import in_control
from sortija.server.ledger.customers.opt_outs import opt_outs_of
from sortija.server.ledger.customers.owners import owners_of
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Population, Study
from sortija.server.studies.problems import Problem

__all__ = ["CustomerCampaigns", "campaigns_of_customer"]


class CustomerCampaign(BaseModel):
    """A campaign whose lens held the customer: ``arm``: written to, held out, or why it fell away;
    ``clauses``: that lens; ``decided_on``: when it was drawn; ``left_on``: when the letter left,
    ``sent_to`` which address, both empty where no record says; ``became``: what is told of it."""

    id: int
    name: str
    arm: str
    state: Literal["drawn", "handed over"]
    send_on: str
    decided_on: str
    clauses: list[dict[str, Any]]
    brought_in: bool
    left_on: str
    sent_to: str
    became: list[str]


class CustomerCampaigns(BaseModel):
    """The newest first; ``never``: the customer is in the standing control; ``opted_out``: the day
    on which the customer asked not to be written to, empty where that never was."""

    campaigns: list[CustomerCampaign]
    never: bool
    opted_out: str


def campaigns_of_customer(study: Study, customer: int) -> CustomerCampaigns:
    """Every drawn campaign that has the customer in its lens."""
    size = Population.objects.get(study=study, name="customers").size
    if customer >= size:
        raise Problem("There is no such customer.", 404)
    rows = Campaign.objects.filter(study=study, dropped=False).exclude(arms=None)
    found = []
    for campaign in rows.select_related("arms").order_by("-send_on", "-id"):
        assert campaign.arms is not None
        column = read_column(campaign.arms)
        codes = np.asarray(column.values)
        code = int(codes[customer]) if customer < len(codes) else 0
        if not code:
            continue
        drawn = campaign.drawn_at
        left_on, sent_to = _left(campaign, customer)
        found.append(CustomerCampaign(
            id=campaign.pk, name=campaign.name, arm=column.levels[code - 1],
            state="drawn" if campaign.state == Campaign.DRAWN else "handed over",
            send_on=campaign.send_on.isoformat(),
            decided_on=drawn.date().isoformat() if drawn else "",
            clauses=campaign.clauses, brought_in=campaign.brought_in,
            left_on=left_on, sent_to=sent_to, became=_became(campaign, customer),
        ))  # fmt: skip
    never = bool(in_control(study, size)[customer])
    gone = opt_outs_of(study, owners_of(study).cards_of(customer))
    opted_out = gone[0].at.date().isoformat() if gone else ""
    return CustomerCampaigns(campaigns=found, never=never, opted_out=opted_out)


def _left(campaign: Campaign, customer: int) -> tuple[str, str]:
    """The day on which the customer's letter left, and to which address."""
    blocks = Block.objects.filter(
        departure__campaign=campaign, first__lte=customer, last__gte=customer
    ).exclude(sent_at=None)
    for block in blocks.order_by("sent_at"):
        if any(number == customer for number, _ in block.refused):
            continue
        for number, _, address, *_ in block.rows:
            if number == customer and block.sent_at is not None:
                return block.sent_at.date().isoformat(), address
    return "", ""


def _became(campaign: Campaign, customer: int) -> list[str]:
    rows = ContactEvent.objects.filter(campaign=campaign, customer=customer)
    return list(rows.order_by("at", "id").values_list("kind", flat=True))
