"""What a fork could prove, and from which rise on it would pay."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel

from sortija.core.campaigns.money import break_even
from sortija.core.campaigns.power import smallest_effect
from sortija.server.campaigns.costs import costs_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import Audience
from sortija.server.portraits.figures import or_none

__all__ = ["ForkPoint", "Pays", "fork_of", "pays_of"]

#: Shares that can be held out.
SHARES = tuple(n / 20 for n in range(11))


class ForkPoint(BaseModel):
    """With a ``share`` held out: the arms, and the smallest rise that is found 8 times in 10, in
    the whole and in the segment that tells least; null: none up to certainty would be."""

    share: float
    written: int
    held: int
    effect: float | None
    of_segment: float | None
    segment: str


class Pays(BaseModel):
    """``cost`` of writing, ``basket`` of a purchase, both in the smallest unit of money;
    ``rise``: so much more must come back that it pays, null: no visit leaves anything."""

    cost: float
    basket: float
    rise: float | None


def fork_of(customers: Sequence[tuple[str, int]], base: float) -> list[ForkPoint]:
    """What each share would prove.

    ``customers``: of each segment, by name; ``base``: the share who come unasked.
    """
    total = sum(many for _, many in customers)
    name, least = min(customers, key=lambda each: each[1], default=("", 0))
    points = []
    for share in SHARES:
        held, few = round(total * share), round(least * share)
        points.append(ForkPoint(
            share=share, written=total - held, held=held,
            effect=or_none(smallest_effect(total - held, held, base)),
            of_segment=or_none(smallest_effect(least - few, few, base)),
            segment=name if len(customers) > 1 else "",
        ))  # fmt: skip
    return points


def pays_of(campaign: Campaign, audience: Audience, written: int) -> Pays | None:
    """When a plan pays; None while the margin is not said, or nobody has bought."""
    costs = costs_of(campaign)
    if costs is None or not audience.basket > 0:
        return None
    unasked = audience.base_rate.rate if audience.base_rate else 0.0
    rise = break_even(costs, written, audience.basket, unasked)
    return Pays(cost=costs.of(written), basket=audience.basket, rise=or_none(rise))
