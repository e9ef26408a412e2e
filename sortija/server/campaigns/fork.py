"""What a fork could prove, and from which rise on it would pay."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel

from sortija.core.campaigns.base_rate import BaseRate
from sortija.core.campaigns.money import break_even
from sortija.core.campaigns.power import smallest_effect
from sortija.server.campaigns.costs import costs_of
from sortija.server.campaigns.drawn import DRAWN, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.portraits.figures import or_none

__all__ = [
    "SHARES", "ForkArm", "ForkPoint", "Pays", "PoolBody", "ProofBody", "fork_of", "pays_of",
    "pool_of", "proof_of",
]  # fmt: skip

#: Shares that can be held out.
SHARES = tuple(n / 20 for n in range(11))
#: A rise that few letters bring about.
_LARGE = 0.15


class ForkArm(NamedTuple):
    """A part of the audience by name; ``segment``: it is one of the segments, not of those beside
    them."""

    name: str
    written: int
    held: int
    segment: bool


class ForkPoint(BaseModel):
    """With a ``share`` held out: the arms, and the smallest rise that is found 8 times in 10, in
    the whole and in the segment that tells least; null: none up to certainty would be, or nobody
    knows how many come unasked. ``large``: hardly a letter does as much."""

    share: float
    written: int
    held: int
    effect: float | None
    large: bool
    of_segment: float | None
    segment: str


class PoolBody(BaseModel):
    """Read together with the campaign ``name``, a rise of ``effect`` would be found 8 times in
    10."""

    name: str
    effect: float


class ProofBody(BaseModel):
    """What a list of so many ``customers`` would prove with the same share held out; null: it
    cannot be measured."""

    customers: int
    effect: float | None


class Pays(BaseModel):
    """``cost`` of writing, ``basket`` of a purchase, both in the smallest unit of money;
    ``rise``: so much more must come back that it pays, null: no visit leaves anything."""

    cost: float
    basket: float
    rise: float | None


def fork_of(
    arms: Sequence[ForkArm], share: float, base: float | None, others: Sequence[float] = SHARES
) -> list[ForkPoint]:
    """What each share would prove; the one that the plan has, by the arms as they are drawn.

    ``base``: the share who come unasked, None where that cannot be told; ``others``: shares to be
    told of besides.
    """
    points = [_point(share, arms, base)]
    for other in others:
        if abs(other - share) > 1e-6:
            whole = sum(arm.written + arm.held for arm in arms)
            point = _point(other, [_forked(arm, other) for arm in arms], base)
            points.append(_whole(point, whole - round(whole * other), round(whole * other), base))
    return sorted(points, key=lambda point: point.share)


def _forked(arm: ForkArm, share: float) -> ForkArm:
    of = arm.written + arm.held
    held = round(of * share)
    return arm._replace(written=of - held, held=held)


def _point(share: float, arms: Sequence[ForkArm], base: float | None) -> ForkPoint:
    segments = [arm for arm in arms if arm.segment]
    name, written, held, _ = min(
        segments, key=lambda arm: arm.written + arm.held, default=ForkArm("", 0, 0, False)
    )
    point = ForkPoint(
        share=share, written=0, held=0, effect=None, large=False,
        of_segment=None if base is None else or_none(smallest_effect(written, held, base)),
        segment=name if len(segments) > 1 else "",
    )  # fmt: skip
    return _whole(point, sum(arm.written for arm in arms), sum(arm.held for arm in arms), base)


def _whole(point: ForkPoint, written: int, held: int, base: float | None) -> ForkPoint:
    """The point with what the arms prove together."""
    effect = None if base is None else or_none(smallest_effect(written, held, base))
    large = effect is not None and effect > _LARGE
    told = {"written": written, "held": held, "effect": effect, "large": large}
    return point.model_copy(update=told)


def pool_of(campaign: Campaign, written: int, held: int, base: float) -> PoolBody | None:
    """The campaign that a draft which proves little is best read together with: one of the same
    offer, with most customers in both arms; None where the draft proves enough, or no other is."""
    alone = smallest_effect(written, held, base)
    if alone <= _LARGE:
        return None
    best: PoolBody | None = None
    others = Campaign.objects.filter(study=campaign.study_id, dropped=False).exclude(arms=None)
    for other in others.select_related(*DRAWN):
        drawn = drawn_of(other)
        out = int(drawn.held.sum())
        if other.offer != campaign.offer or not out or out == len(drawn.held):
            continue
        effect = smallest_effect(written + len(drawn.held) - out, held + out, base)
        if not np.isnan(effect) and (best is None or effect < best.effect):
            best = PoolBody(name=other.name, effect=effect)
    return best


def proof_of(campaign: Campaign, customers: int, base: float | None) -> ProofBody:
    """What a list of a chosen size would prove."""
    held = round(customers * campaign.holdout)
    effect = None if base is None else or_none(smallest_effect(customers - held, held, base))
    return ProofBody(customers=customers, effect=effect)


def pays_of(campaign: Campaign, basket: float, rate: BaseRate | None, written: int) -> Pays | None:
    """When a campaign pays; None while the margin is not said, or nobody has bought.

    ``basket``: what a purchase comes to, in the smallest unit of money; ``rate``: who comes
    unasked.
    """
    costs = costs_of(campaign)
    if costs is None or not basket > 0:
        return None
    rise = break_even(costs, written, basket, rate.rate if rate else 0.0)
    return Pays(cost=costs.of(written), basket=basket, rise=or_none(rise))
