"""What Campaigns shows: each plan as a stream from the lens to the two arms."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import date_of
from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.campaigns.power import smallest_effect
from sortija.core.lens.clauses import Clause, canonical
from sortija.server.campaigns.audience import audience_of
from sortija.server.campaigns.costs import CostsBody, margin_known
from sortija.server.campaigns.delivery.letters import OutboxRow, left_of, outbox_of
from sortija.server.campaigns.delivery.service import service_body
from sortija.server.campaigns.do_not_contact import DoNotContact, do_not_contact_body
from sortija.server.campaigns.drawn import in_lens, levels_of
from sortija.server.campaigns.fork import (
    SHARES,
    ForkArm,
    ForkPoint,
    Pays,
    PoolBody,
    fork_of,
    pays_of,
    pool_of,
)
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.offer import CampaignOffer, expected_of
from sortija.server.campaigns.people import REASONS, state_words
from sortija.server.campaigns.proof import proof_kept
from sortija.server.campaigns.responses import reaches, with_segments
from sortija.server.campaigns.standing import StandingBody, standing_body
from sortija.server.campaigns.today import today_of
from sortija.server.groups.models import Yardstick
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import Fact, default_window, station
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


class OverlapRow(BaseModel):
    """Two campaigns whose time overlaps, how many customers are in the lenses of both, and the
    lens that holds them."""

    first: int
    second: int
    customers: int
    clauses: list[dict[str, Any]]


class CampaignRow(BaseModel):
    """A plan: how many the lens holds, who falls away, who is written to, who is held out.

    ``base_rate``: the share who came unasked of the same lens one horizon earlier, with its
    interval, ``learnt_from`` how many; null: cannot be told, ``untold`` says why.
    ``smallest_effect``: the smallest rise found 8 times in 10, by the share within the interval
    that asks most; null: this cannot be measured. ``offer``: null where nothing is said of it.
    ``fork``: what its share proves and, of a draft, what others would; ``pays``: from which rise on
    it pays. Of a drawn one all of that is as it was told on the day of the draw.
    ``left``: by which way its list left, file or service, empty while none did; ``unsent``: rows
    that were stopped before they left. ``told_to``: the day to which responses can be told, empty
    while there are none; ``read``: that is the planned day. ``margin_known``: what is left of a
    sale by the Ledger's costs; ``pool``: of a draft that proves little, what it would prove read
    together with another.
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
    rest_days: int
    versions: list[float]
    costs: CostsBody
    fork: list[ForkPoint]
    pays: Pays | None
    brought_in: bool
    handed_on: str
    told_to: str
    read: bool
    left: str
    unsent: int
    margin_known: float | None
    pool: PoolBody | None


class CampaignsPage(BaseModel):
    """``today``: the study's; ``standing``: the control that no campaign writes to; ``outbox``:
    lists on their way out; ``service``: the host that delivers letters, empty without one, and
    ``wait_minutes`` before that."""

    status: Status
    campaigns: list[CampaignRow]
    today: str
    standing: StandingBody | None
    do_not_contact: DoNotContact
    overlaps: list[OverlapRow]
    outbox: list[OutboxRow]
    service: str
    wait_minutes: int


def _counted(segment: NDArray[np.int64], held: NDArray[np.bool_]) -> list[tuple[int, int, int]]:
    """Each segment there is, with how many are written to and how many are held out."""
    out = np.bincount(segment[held], minlength=int(segment.max(initial=-1)) + 1)
    written = np.bincount(segment[~held], minlength=len(out))
    return [(int(n), int(written[n]), int(out[n])) for n in np.flatnonzero(written + out)]


def _arms(
    yardstick: Yardstick | None, segments: list[tuple[int, int, int]], offer: CampaignOffer | None
) -> list[ArmRow]:
    expected = offer.segments if offer else []
    labels = state_words(yardstick)
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
    row, _ = _looked_at(campaign)
    return row


def _looked_at(campaign: Campaign) -> tuple[CampaignRow, NDArray[np.bool_] | None]:
    """A campaign for the wire, and who is in the lens of a draft."""
    inside: NDArray[np.bool_] | None = None
    fell: dict[str, int] = {}
    segments: list[tuple[int, int, int]] = []
    rate, trouble, untold, lens, yardstick, offer = None, "", "", 0, None, None
    basket, written = float("nan"), 0
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
            basket = audience.basket
            inside = audience.fell > 0
            inside[audience.customers] = True
    else:
        drawn, yardstick, _ = with_segments(campaign)
        kept = dict(campaign.fell_away)
        lens = kept.pop("lens", 0)
        # The database keeps no order; customers fell away in this one.
        fell = {name: kept.pop(name) for name in REASONS if name in kept} | kept
        segments = _counted(drawn.segment, drawn.held)
        offer = CampaignOffer(**campaign.expected) if campaign.expected else None
        rate, untold, basket = proof_kept(campaign)
    left, unsent = left_of(campaign)
    told = reaches(campaign) if campaign.state == Campaign.HANDED else None
    written, held = sum(s[1] for s in segments), sum(s[2] for s in segments)
    arms = _arms(yardstick, segments, offer)
    each = [ForkArm(a.segment, a.written, a.held, a.mark is not None) for a in arms]
    others = SHARES if campaign.state == Campaign.DRAFT else ()
    fork = fork_of(each, campaign.holdout, rate.careful if rate else None, others)
    effect = smallest_effect(written, held, rate.careful) if rate is not None else float("nan")
    row = CampaignRow(
        id=campaign.pk, name=campaign.name, state=campaign.state, revision=campaign.revision,
        clauses=campaign.clauses, window=campaign.window, send_on=campaign.send_on.isoformat(),
        read_on=campaign.read_on.isoformat(), holdout=campaign.holdout, seed=campaign.seed,
        lens=lens, fell_away=fell, written=written, held=held,
        base_rate=rate.rate if rate else None, base_low=rate.low if rate else None,
        base_high=rate.high if rate else None, learnt_from=rate.customers if rate else 0,
        untold=untold,
        smallest_effect=None if np.isnan(effect) else effect,
        arms=arms, offer=offer, trouble=trouble, fork=fork,
        pays=pays_of(campaign, basket, rate, written),
        rest_days=campaign.rest_days, versions=campaign.shares or [1.0],
        costs=CostsBody.kept(campaign.costs),
        brought_in=campaign.brought_in,
        handed_on=campaign.handed_at.date().isoformat() if campaign.handed_at else "",
        told_to=date_of(told).isoformat() if told is not None else "",
        read=told is not None and date_of(told) >= campaign.read_on, left=left, unsent=unsent,
        margin_known=None if campaign.costs.get("margin") else margin_known(campaign),
        pool=pool_of(campaign, written, held, rate.careful) if (
            rate is not None and campaign.state == Campaign.DRAFT
        ) else None,
    )  # fmt: skip
    return row, inside


def _overlaps(
    rows: list[CampaignRow], inside: Callable[[CampaignRow], NDArray[np.bool_]]
) -> list[OverlapRow]:
    """Pairs whose time overlaps and that share customers, the earlier one first.

    ``inside``: (n,) who is in the lens of one; it is asked of no other.
    """
    ordered = sorted(rows, key=lambda row: (row.send_on, row.id))
    out = []
    for n, one in enumerate(ordered):
        for other in ordered[n + 1 :]:
            if other.send_on <= one.read_on:
                those, these = inside(one), inside(other)
                size = min(len(those), len(these))
                both = int(np.count_nonzero(those[:size] & these[:size]))
                if both:
                    lens = [Clause(f"campaign:{row.id}", levels_of(row.state)) for row in
                            (one, other)]  # fmt: skip
                    out.append(OverlapRow(
                        first=one.id, second=other.id, customers=both, clauses=canonical(lens),
                    ))  # fmt: skip
    return out


def campaigns_page(study: Study) -> CampaignsPage:
    """The whole station in one answer."""
    rows = Campaign.objects.filter(study=study, dropped=False).select_related("study", "yardstick")
    every = list(rows.order_by("-id"))
    looked = [_looked_at(campaign) for campaign in every]
    campaigns = [row for row, _ in looked]
    drafts = {row.id: those for row, those in looked if those is not None}
    kept = {campaign.pk: campaign for campaign in every}

    @cache
    def inside(campaign: int) -> NDArray[np.bool_]:
        found = drafts.get(campaign)
        return in_lens(kept[campaign]) if found is None else found

    service = service_body(study, secrets=False)
    state = Status(state="whole") if campaigns else Status(state="empty", words="No campaign yet.")
    return CampaignsPage(
        status=state, campaigns=campaigns, today=today_of(study).isoformat(),
        standing=standing_body(study), do_not_contact=do_not_contact_body(study),
        overlaps=_overlaps(campaigns, lambda row: inside(row.id)), outbox=outbox_of(study),
        service=service.host, wait_minutes=service.wait_minutes,
    )  # fmt: skip


@station("campaigns", 7, "Campaigns")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    rows = list(Campaign.objects.filter(study=study, dropped=False).select_related("study"))
    if not rows:
        return Fact("not yet", "none planned" if window else "needs customers")
    last = default_window(study)
    read = sum(
        row.state == Campaign.HANDED and last is not None and last.to >= row.read_on for row in rows
    )
    drafts = sum(row.state == Campaign.DRAFT for row in rows)
    live = len(rows) - drafts - read
    parts = [
        f"{read} read" * bool(read), f"{live} running" * bool(live),
        f"{drafts} draft{'s' * (drafts > 1)}" * bool(drafts),
    ]  # fmt: skip
    return Fact("current", ", ".join(part for part in parts if part))
