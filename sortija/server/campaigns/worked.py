"""What worked: all campaigns that were read as planned, together and by what they offered."""

from __future__ import annotations

from collections import defaultdict

from pydantic import BaseModel

from sortija.core.campaigns.differences import share_difference
from sortija.core.campaigns.pooling import Pooled, pooled
from sortija.core.campaigns.strata import arms_of
from sortija.core.labels import within
from sortija.server.campaigns.drawn import DRAWN
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.responses import outcome_of
from sortija.server.ledger.customers.traits import label_of
from sortija.server.portraits.figures import or_none
from sortija.server.studies.models import Study

__all__ = ["WhatWorked", "what_worked"]


#: Of fewer campaigns the spread between them is hardly known.
_FEW = 5


class ReadCampaign(BaseModel):
    """How much more came back, by one campaign."""

    id: int
    name: str
    read_on: str
    customers: int
    difference: float
    low: float
    high: float


class PooledBody(BaseModel):
    """Several campaigns together (random effects): ``between``: by how much true effects differ, a
    standard deviation, ``differ``: p that they do; ``next_low`` to ``next_high``: where one more
    such campaign would come out, null of fewer than three."""

    words: str
    campaigns: int
    few: bool
    effect: float
    low: float
    high: float
    between: float
    differ: float | None
    next_low: float | None
    next_high: float | None


class WhatWorked(BaseModel):
    """``rows``: oldest first; ``together``: all of them, then by each thing offered that two or
    more of them share; empty of fewer than two."""

    rows: list[ReadCampaign]
    together: list[PooledBody]


def what_worked(study: Study) -> WhatWorked:
    """Every campaign with both arms that is read as planned."""
    handed = Campaign.objects.filter(study=study, dropped=False, state=Campaign.HANDED)
    rows: list[ReadCampaign] = []
    told: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for campaign in handed.select_related("study", *DRAWN).order_by("read_on"):
        outcome = outcome_of(campaign)
        if outcome is None or not outcome.final:
            continue
        held = outcome.drawn.held
        if held.all() or not held.any():
            continue
        found = share_difference(outcome.responses.came, arms_of(held, outcome.drawn.stratum))
        rows.append(ReadCampaign(
            id=campaign.pk, name=campaign.name, read_on=campaign.read_on.isoformat(),
            customers=len(held), difference=found.difference, low=found.low, high=found.high,
        ))  # fmt: skip
        if found.error > 0:
            each = (found.difference, found.error)
            told["all of them"].append(each)
            for name, value in campaign.offer.items():
                told[f"{within(label_of(name))} {value}"].append(each)
    together = [
        _body(words, pooled([d for d, _ in each], [e for _, e in each]))
        for words, each in told.items() if len(each) > 1
    ]  # fmt: skip
    return WhatWorked(rows=rows, together=together)


def _body(words: str, found: Pooled) -> PooledBody:
    return PooledBody(
        words=words, campaigns=found.campaigns, few=found.campaigns < _FEW,
        effect=found.effect, low=found.low,
        high=found.high, between=found.between, differ=or_none(found.differ),
        next_low=or_none(found.next_low), next_high=or_none(found.next_high),
    )  # fmt: skip
