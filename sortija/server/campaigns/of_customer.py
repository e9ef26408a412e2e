"""Why one customer was written to: the campaigns it was drawn for."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel

from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.standing import in_control
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Population, Study
from sortija.server.studies.problems import Problem

__all__ = ["CustomerCampaigns", "campaigns_of_customer"]


class CustomerCampaign(BaseModel):
    """A campaign whose lens held the customer: ``arm``: written to, held out, or why it fell away;
    ``clauses``: that lens; ``decided_on``: when it was drawn."""

    id: int
    name: str
    arm: str
    state: Literal["drawn", "handed over"]
    send_on: str
    decided_on: str
    clauses: list[dict[str, Any]]
    brought_in: bool


class CustomerCampaigns(BaseModel):
    """The newest first; ``never``: the customer is in the standing control."""

    campaigns: list[CustomerCampaign]
    never: bool


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
        found.append(CustomerCampaign(
            id=campaign.pk, name=campaign.name, arm=column.levels[code - 1],
            state="drawn" if campaign.state == Campaign.DRAWN else "handed over",
            send_on=campaign.send_on.isoformat(),
            decided_on=drawn.date().isoformat() if drawn else "",
            clauses=campaign.clauses, brought_in=campaign.brought_in,
        ))  # fmt: skip
    never = bool(in_control(study, size)[customer])
    return CustomerCampaigns(campaigns=found, never=never)
