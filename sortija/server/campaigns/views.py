"""What Campaigns shows: each plan as a stream from the lens to the two arms."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.campaigns.power import smallest_effect
from sortija.server.campaigns.audience import audience_of
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.offer import CampaignOffer, expected_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import segment_labels
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["CampaignRow", "CampaignsPage", "campaign_row", "campaigns_page"]


class ArmRow(BaseModel):
    """A segment of the audience and its arms; ``expected``: its take-up of what is offered, where
    that can be told."""

    segment: str
    mark: int | None
    written: int
    held: int
    expected: float | None


class CampaignRow(BaseModel):
    """A plan: how many the lens holds, who falls away, who is written to, who is held out.

    ``base_rate``: the share who came unasked of the same lens one horizon earlier, with its
    interval, ``learnt_from`` how many; null: cannot be told, ``untold`` says why.
    ``smallest_effect``: the smallest rise found 8 times in 10, by the share within the interval
    that asks most; null: this cannot be measured. ``offer``: null where nothing is said of it.
    """

    id: int
    name: str
    state: str
    revision: int
    clauses: list[dict[str, Any]]
    window: str
    send_on: str
    read_on: str
    holdout: float
    seed: int
    lens: int
    fell_away: dict[str, int]
    written: int
    held: int
    base_rate: float | None
    base_low: float | None
    base_high: float | None
    learnt_from: int
    untold: str
    smallest_effect: float | None
    arms: list[ArmRow]
    offer: CampaignOffer | None
    trouble: str


class CampaignsPage(BaseModel):
    status: Status
    campaigns: list[CampaignRow]


def _counted(segment: NDArray[np.int64], held: NDArray[np.bool_]) -> list[tuple[int, int, int]]:
    """Each segment there is, with how many are written to and how many are held out."""
    out = np.bincount(segment[held], minlength=int(segment.max(initial=-1)) + 1)
    written = np.bincount(segment[~held], minlength=len(out))
    return [(int(n), int(written[n]), int(out[n])) for n in np.flatnonzero(written + out)]


def _arms(
    yardstick: Yardstick | None, segments: list[tuple[int, int, int]], offer: CampaignOffer | None
) -> list[ArmRow]:
    expected = offer.segments if offer else []
    labels = segment_labels(yardstick) if yardstick else ()
    marks = [s.mark for s in yardstick.segments.all()] if yardstick else []
    return [
        ArmRow(
            segment=labels[number] if number < len(labels) else "all",
            mark=marks[number] if number < len(marks) else None,
            written=written, held=held,
            expected=expected[number] if number < len(expected) else None,
        )
        for number, written, held in segments
    ]  # fmt: skip


def campaign_row(campaign: Campaign) -> CampaignRow:
    """A campaign for the wire: drafts are counted afresh, drawn ones as they were drawn."""
    fell: dict[str, int] = {}
    segments: list[tuple[int, int, int]] = []
    rate, trouble, untold, lens, yardstick, offer = None, "", "", 0, None, None
    if campaign.state == Campaign.DRAFT:
        try:
            audience = audience_of(campaign)
        except Problem as problem:
            trouble = problem.detail
        else:
            lens, fell, rate = audience.lens, audience.fell_away, audience.base_rate
            untold, yardstick = audience.untold, audience.yardstick
            found = draw_holdout(audience.segment, audience.value, campaign.holdout, campaign.seed)
            segments = _counted(audience.segment, found.held)
            offer = expected_of(campaign, audience.segment[~found.held])
    else:
        drawn, yardstick = drawn_of(campaign), campaign.yardstick
        fell = dict(campaign.fell_away)
        lens = fell.pop("lens", 0)
        segments = _counted(drawn.segment, drawn.held)
        offer = CampaignOffer(**campaign.expected) if campaign.expected else None
    written, held = sum(s[1] for s in segments), sum(s[2] for s in segments)
    effect = smallest_effect(written, held, rate.careful) if rate is not None else float("nan")
    return CampaignRow(
        id=campaign.pk, name=campaign.name, state=campaign.state, revision=campaign.revision,
        clauses=campaign.clauses, window=campaign.window, send_on=campaign.send_on.isoformat(),
        read_on=campaign.read_on.isoformat(), holdout=campaign.holdout, seed=campaign.seed,
        lens=lens, fell_away=fell, written=written, held=held,
        base_rate=rate.rate if rate else None, base_low=rate.low if rate else None,
        base_high=rate.high if rate else None, learnt_from=rate.customers if rate else 0,
        untold=untold,
        smallest_effect=None if np.isnan(effect) else effect,
        arms=_arms(yardstick, segments, offer), offer=offer, trouble=trouble,
    )  # fmt: skip


def campaigns_page(study: Study) -> CampaignsPage:
    """The whole station in one answer."""
    rows = Campaign.objects.filter(study=study, dropped=False).select_related("study", "yardstick")
    campaigns = [campaign_row(c) for c in rows.order_by("-id")]
    state = Status(state="whole") if campaigns else Status(state="empty", words="No campaign yet.")
    return CampaignsPage(status=state, campaigns=campaigns)


@station("campaigns", 7, "Campaigns")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    rows = Campaign.objects.filter(study=study, dropped=False)
    drafts = rows.filter(state=Campaign.DRAFT).count()
    live = rows.exclude(state=Campaign.DRAFT).count()
    if not drafts and not live:
        return Fact("not yet", "none planned" if window else "needs customers")
    parts = [f"{live} drawn" if live else "", f"{drafts} draft{'s' * (drafts > 1)}" * bool(drafts)]
    return Fact("current", ", ".join(part for part in parts if part))
