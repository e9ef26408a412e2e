"""What a campaign costs, as its plan says, in the study's money."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel, Field

from sortija.core.campaigns.money import Costs
from sortija.server.campaigns.models import Campaign

__all__ = ["CostsBody", "costs_of"]


class CostsBody(BaseModel):
    """In the study's currency: a contact, fixed, and the discount that one who takes the offer up
    gets; ``margin``: the share of spend that is left after the cost of goods, null: not said."""

    contact: float = Field(0.0, ge=0, le=1e6)
    fixed: float = Field(0.0, ge=0, le=1e9)
    discount: float = Field(0.0, ge=0, le=1e6)
    margin: float | None = Field(None, gt=0, le=1)

    @classmethod
    def kept(cls, told: Mapping[str, float | None]) -> CostsBody:
        """As a campaign keeps it."""
        return cls.model_validate(dict(told))


def costs_of(campaign: Campaign) -> Costs | None:
    """The costs in the smallest unit of money; None while the margin is not said, for without it
    nobody knows what a sale is worth."""
    told = CostsBody.kept(campaign.costs)
    if told.margin is None:
        return None
    unit = 10.0**campaign.study.scale
    return Costs(told.contact * unit, told.fixed * unit, told.discount * unit, told.margin)
