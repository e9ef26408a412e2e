"""What a campaign costs, as its plan says, in the study's money."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, Field

from sortija.core.campaigns.money import Costs
from sortija.server.campaigns.models import Campaign
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.windows import WindowInView

__all__ = ["CostsBody", "costs_of", "margin_known", "typed_costs"]


class CostsBody(BaseModel):
    """In the study's currency: a contact, fixed, and the discount that one who takes the offer up
    gets; ``margin``: the share of spend that is left after the cost of goods, null: what the
    Ledger knows of costs; ``budget``: so much may be spent on writing, null: as much as it takes,
    and in which ``order`` customers are written to then."""

    contact: float = Field(0.0, ge=0, le=1e6)
    fixed: float = Field(0.0, ge=0, le=1e9)
    discount: float = Field(0.0, ge=0, le=1e6)
    margin: float | None = Field(None, gt=0, le=1)
    budget: float | None = Field(None, ge=0, le=1e12)
    order: Literal["expected value", "value", "segment"] = "expected value"

    @classmethod
    def kept(cls, told: Mapping[str, Any]) -> CostsBody:
        """As a campaign keeps it."""
        return cls.model_validate(dict(told))


def margin_known(campaign: Campaign) -> float | None:
    """The share of spend that was left after the cost of goods in the campaign's window, of all
    customers whose costs the Ledger knows; None where it knows of none."""
    made = measures_or_job(campaign.study, WindowInView.parse(campaign.window))
    if not isinstance(made, MeasureSet) or not made.rows or "margin" not in made.sources:
        return None
    margin = np.asarray(made.column("margin").values, np.float64)
    spend = np.asarray(made.column("monetary").values, np.float64)
    known = np.isfinite(margin) & np.isfinite(spend)
    whole = float(spend[known].sum())
    share = float(margin[known].sum()) / whole if whole > 0 else 0.0
    return share if 0 < share <= 1 else None


def costs_of(campaign: Campaign) -> Costs | None:
    """The costs in the smallest unit of money; None while nobody knows what is left of a sale."""
    margin = CostsBody.kept(campaign.costs).margin or margin_known(campaign)
    return None if margin is None else typed_costs(campaign, margin)


def typed_costs(campaign: Campaign, margin: float) -> Costs:
    """The costs in the smallest unit of money, with a margin."""
    told, unit = CostsBody.kept(campaign.costs), 10.0**campaign.study.scale
    return Costs(told.contact * unit, told.fixed * unit, told.discount * unit, margin)
