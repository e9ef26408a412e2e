"""What campaigns did: Campaigns knows, and registers here."""

from __future__ import annotations

from collections.abc import Callable

from sortija.core.portraits.book.facts import CampaignFact
from sortija.server.hooks import Hook
from sortija.server.studies.models import Study

__all__ = ["campaigns_read", "gives_campaigns"]

_CAMPAIGNS: Hook[Callable[[Study], list[CampaignFact]]] = Hook("campaigns that were read")


def gives_campaigns(
    function: Callable[[Study], list[CampaignFact]],
) -> Callable[[Study], list[CampaignFact]]:
    """Register who knows what campaigns did."""
    return _CAMPAIGNS.fill(function)


def campaigns_read(study: Study) -> tuple[CampaignFact, ...]:
    """Every campaign that was read as planned, the newest first."""
    return tuple(_CAMPAIGNS.function(study))
