"""What a lens can say of campaigns: who was written to, who fell away and why, who came back."""

from __future__ import annotations

from zlib import crc32

import numpy as np

from sortija.core.table import Column
from sortija.server.campaigns.audience import audience_of
from sortija.server.campaigns.drawn import levels_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.responses import outcome_of
from sortija.server.lens.fields import Field, field_kind
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__: list[str] = []


def _campaign(study: Study, name: str) -> Campaign | None:
    if not is_whole(name):
        return None
    rows = Campaign.objects.filter(study=study, pk=int(name), dropped=False)
    return rows.select_related("study", "arms", "strata", "segments", "yardstick").first()


@field_kind("campaign")
def _campaign_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``campaign:7``: its levels are the arms and why others fell away; of a draft, who is left."""
    campaign = _campaign(study, name)
    if campaign is None:
        return None
    if campaign.arms is not None:
        kept = read_column(campaign.arms)
        column = Column(name, "category", np.asarray(kept.values), "", kept.levels)
        return _field(campaign, column, campaign.arms.fingerprint)
    try:
        audience = audience_of(campaign)
    except Problem:
        return None
    codes = np.where(audience.fell, audience.fell + 2, 0).astype(np.int32)
    codes[audience.customers] = 1
    levels = levels_of(campaign.state)
    return _field(campaign, Column(name, "category", codes, "", levels), "")


def _field(campaign: Campaign, column: Column, stamp: str) -> Field:
    # A draft's audience hangs on other campaigns, too, so that nothing remembers it.
    known = stamp or f"{campaign.revision}:{crc32(column.values.tobytes())}"
    return Field(
        f"campaign:{campaign.pk}", campaign.name, "", column, f"campaign:{campaign.pk}:{known}",
        definition="Who of the lens of this campaign is written to, is held out, or falls away.",
    )  # fmt: skip


@field_kind("returned")
def _returned_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``returned:7``: whether those of a draw bought within the horizon."""
    campaign = _campaign(study, name)
    outcome = outcome_of(campaign) if campaign else None
    if campaign is None or outcome is None or campaign.arms is None:
        return None
    codes = np.zeros(campaign.arms.size, np.int32)
    codes[outcome.drawn.customers] = 1 + outcome.responses.came
    column = Column(name, "category", codes, "", ("no", "yes"))
    return Field(
        f"returned:{campaign.pk}", f"Came back after {campaign.name}", "", column,
        f"returned:{outcome.stamp}",
        definition="A purchase after the day of sending, by the day of reading.",
    )  # fmt: skip
