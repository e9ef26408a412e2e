"""What books tell of campaigns: those that were read as planned."""

from __future__ import annotations

from sortija.core.campaigns.telling import day_words, in_hundred
from sortija.core.portraits.book.facts import CampaignFact
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.result import result_of
from sortija.server.portraits.book.read_campaigns import gives_campaigns
from sortija.server.studies.models import Study

__all__: list[str] = []


@gives_campaigns
def _read(study: Study) -> list[CampaignFact]:
    handed = Campaign.objects.filter(study=study, dropped=False, state=Campaign.HANDED)
    out = []
    for campaign in handed.select_related("study", "arms", "yardstick").order_by("-read_on"):
        result = result_of(campaign)
        gap = result.returned
        if not result.final or gap is None or gap.low is None or gap.high is None:
            continue
        more = "more" if gap.difference >= 0 else "fewer"
        out.append(CampaignFact(
            number=campaign.pk, name=campaign.name, read_on=day_words(campaign.read_on),
            gap=f"{in_hundred(abs(gap.difference))} {more}",
            between=f"{in_hundred(gap.low)} to {in_hundred(gap.high)}",
            told=result.verdict != "cannot tell",
        ))  # fmt: skip
    return out
