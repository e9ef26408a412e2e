"""What a drawn campaign can prove, kept as it was told on the day of its draw."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sortija.core.campaigns.base_rate import BaseRate
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import Audience
from sortija.server.portraits.figures import or_none

__all__ = ["proof_kept", "proof_of_the_day"]


def proof_of_the_day(audience: Audience) -> dict[str, Any]:
    """What is kept of an audience at its draw, for the database."""
    rate = audience.base_rate
    return {
        "rate": asdict(rate) if rate else None, "untold": audience.untold,
        "basket": or_none(audience.basket),
    }  # fmt: skip


def proof_kept(campaign: Campaign) -> tuple[BaseRate | None, str, float]:
    """Who came unasked, or why that was not told, and what a purchase came to: NaN of nobody, and
    of campaigns that were drawn elsewhere."""
    rate, basket = campaign.proof.get("rate"), campaign.proof.get("basket")
    return (
        BaseRate(**rate) if rate else None, campaign.proof.get("untold", ""),
        float("nan") if basket is None else basket,
    )  # fmt: skip
