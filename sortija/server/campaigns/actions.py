"""What a person can do with a plan: make and change it, draw the holdout, drop it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from typing import Any

from django.http import Http404
from django.utils import timezone

from sortija.core.campaigns.holdout import draw_holdout, draw_versions
from sortija.core.lens.clauses import Clause, canonical
from sortija.server.campaigns.audience import audience_of
from sortija.server.campaigns.costs import CostsBody
from sortija.server.campaigns.drawn import LEVELS, VERSIONS, keep_drawn, let_go
from sortija.server.campaigns.models import Campaign, Departure
from sortija.server.campaigns.offer import check_offer, expected_of
from sortija.server.campaigns.proof import proof_of_the_day
from sortija.server.campaigns.today import today_of
from sortija.server.studies.actions import changing, record, reverses, study_for
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = [
    "campaign_for", "campaign_now", "change_plan", "checked_plan", "checked_revision", "copy_plan",
    "draw", "drop", "move", "plan", "set_costs",
]  # fmt: skip

#: What is proposed for a plan without dates.
SENT_IN, READ_AFTER = timedelta(days=7), timedelta(days=42)
MOST_REST = 365


def checked_plan(name: str, send_on: date, read_on: date, holdout: float) -> None:
    """A Problem where a plan makes no sense."""
    if not 1 <= len(name.strip()) <= 80:
        raise Problem("Give the campaign a name of 1 to 80 letters.")
    if read_on <= send_on:
        raise Problem("The day of reading the result comes after the day of sending.")
    if not 0 <= holdout <= 0.9:
        raise Problem("Hold out between nobody and nine in ten.")


def plan(
    study: Study, person: Any, window: WindowInView, clauses: list[Clause],
    name: str, send_on: date | None, read_on: date | None, holdout: float,
    offer: Mapping[str, str] | None = None, like: Campaign | None = None,
) -> Campaign:  # fmt: skip
    """A draft from a lens; nothing is decided by that. Without dates, it proposes some.

    ``offer``: what is offered, as attributes of past offers; ``like``: the campaign whose costs,
    versions and days of rest it has.
    """
    send_on = send_on or today_of(study) + SENT_IN
    read_on = read_on or send_on + READ_AFTER
    checked_plan(name, send_on, read_on, holdout)
    listed = canonical(clauses)
    if offer:
        check_offer(study, window, offer)
    with changing(study):
        campaign = Campaign.objects.create(
            study=study, person=person, name=name.strip(), clauses=listed, window=window.key,
            send_on=send_on, read_on=read_on, holdout=holdout, seed=study.campaigns.count() + 1,
            offer=dict(offer or {}), costs=like.costs if like else {},
            shares=like.shares if like else [], rest_days=like.rest_days if like else 0,
        )  # fmt: skip
        record(
            study, person, "plan campaign", f"Planned {campaign.name}",
            f"campaign:{campaign.pk}", True, False,
        )  # fmt: skip
    return campaign


def copy_plan(campaign: Campaign, person: Any, window: WindowInView) -> Campaign:
    """A new plan like a campaign, for whoever is in its lens now; for those on its list, where it
    was brought in."""
    clauses = [Clause.from_json(each) for each in campaign.clauses]
    if campaign.brought_in:
        clauses = [Clause(f"campaign:{campaign.pk}", LEVELS[:2])]
    name = f"{campaign.name[:71]}, again"
    holdout = min(0.9, round(campaign.holdout, 2))
    return plan(
        campaign.study, person, window, clauses, name, None, None, holdout, campaign.offer, campaign
    )


def change_plan(
    campaign: Campaign, name: str, send_on: date, read_on: date, holdout: float,
    expected: int, rest_days: int = 0, shares: Sequence[float] = (),
) -> Campaign:  # fmt: skip
    """Change a draft. A drawn campaign stays as it was drawn."""
    checked_plan(name, send_on, read_on, holdout)
    if not 0 <= rest_days <= MOST_REST:
        raise Problem(f"Customers are left in peace for 0 to {MOST_REST} days.")
    if shares and not (
        len(shares) <= len(VERSIONS) and min(shares) >= 0.01 and abs(sum(shares) - 1) < 1e-6
    ):
        raise Problem(f"There are 1 to {len(VERSIONS)} versions, whose shares are together 1.")
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        if campaign.state != Campaign.DRAFT:
            raise Problem(
                f"{campaign.name} is {campaign.state}; its plan can no longer be changed."
            )
        checked_revision(campaign, expected)
        campaign.name, campaign.send_on, campaign.read_on = name.strip(), send_on, read_on
        campaign.holdout, campaign.revision = holdout, campaign.revision + 1
        campaign.rest_days, campaign.shares = rest_days, list(shares) if len(shares) > 1 else []
        campaign.save()
    return campaign


def move(campaign: Campaign, days: int, expected: int) -> Campaign:
    """Move the dates of a draft by so many days, earlier ones less than 0."""
    by = timedelta(days=days)
    return change_plan(
        campaign, campaign.name, campaign.send_on + by, campaign.read_on + by, campaign.holdout,
        expected, campaign.rest_days, campaign.shares,
    )  # fmt: skip


def set_costs(campaign: Campaign, person: Any, costs: CostsBody, expected: int) -> Campaign:
    """Say what a campaign costs; bills come late, so that this can be said of a sent one, too."""
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        checked_revision(campaign, expected)
        before, after = campaign.costs, costs.model_dump()
        if before == after:
            return campaign
        _set_costs(campaign, after)
        record(
            campaign.study, person, "campaign costs", f"Changed the costs of {campaign.name}",
            f"campaign:{campaign.pk}", before, after,
        )  # fmt: skip
    return campaign


@reverses("campaign costs")
def _reverse_costs(entry: HistoryEntry, forward: bool) -> None:
    campaign = campaign_now(int(entry.target.removeprefix("campaign:")))
    _set_costs(campaign, entry.after if forward else entry.before)


def _set_costs(campaign: Campaign, costs: dict[str, Any]) -> None:
    campaign.costs, campaign.revision = costs, campaign.revision + 1
    campaign.save(update_fields=["costs", "revision"])


def checked_revision(campaign: Campaign, expected: int | None) -> None:
    """A Conflict where somebody else changed it since it was looked at."""
    if expected is not None and expected != campaign.revision:
        raise Conflict(f"{campaign.name} was changed since you loaded this page.")


def drop(campaign: Campaign, person: Any, expected: int) -> None:
    """Put a campaign away; its audience is free again. A list that went out stays on record."""
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        if campaign.state == Campaign.HANDED:
            raise Problem(
                f"The list of {campaign.name} has been handed over; that stays on record."
            )
        checked_revision(campaign, expected)
        _not_leaving(campaign)
        Campaign.objects.filter(pk=campaign.pk).update(dropped=True)
        record(
            campaign.study, person, "drop campaign", f"Deleted {campaign.name}",
            f"campaign:{campaign.pk}", False, True,
        )  # fmt: skip


@reverses("plan campaign")
@reverses("drop campaign")
def _reverse_drop(entry: HistoryEntry, forward: bool) -> None:
    number = int(entry.target.removeprefix("campaign:"))
    wanted = entry.after if forward else entry.before
    campaign = Campaign.objects.get(pk=number)
    if campaign.state == Campaign.HANDED:
        raise Conflict(f"The list of {campaign.name} has been handed over; that stays on record.")
    _not_leaving(campaign)
    Campaign.objects.filter(pk=number).update(dropped=wanted)


def _not_leaving(campaign: Campaign) -> None:
    """A Conflict while its list waits in the outbox."""
    if campaign.departures.filter(state=Departure.WAITING).exists():
        raise Conflict(f"The list of {campaign.name} waits in the outbox. Stop it first.")


def campaign_for(person: Any, study: int, campaign: int, role: str = "analyst") -> Campaign:
    """A campaign of a study in which the person has at least this role.

    Raises
    ------
    Http404
        There is no such one, or it was deleted.
    """
    found = study_for(person, study, role)
    rows = Campaign.objects.select_related("study", "yardstick")
    row = rows.filter(pk=campaign, study=found, dropped=False).first()
    if row is None:
        raise Http404("There is no such campaign here.")
    return row


def campaign_now(campaign: int) -> Campaign:
    """A campaign as it is now, within a change."""
    return Campaign.objects.select_related("study").get(pk=campaign)


def draw(campaign: Campaign, person: Any, expected: int | None = None) -> Campaign:
    """Decide the audience and who of it is held out; both are kept from now on."""
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        if campaign.state != Campaign.DRAFT:
            raise Problem(f"{campaign.name} is {campaign.state} already.")
        checked_revision(campaign, expected)
        audience = audience_of(campaign)
        if not len(audience.customers):
            raise Problem("Nobody is left to write to. Widen the lens and plan again.")
        found = draw_holdout(audience.segment, audience.value, campaign.holdout, campaign.seed)
        version = None
        if len(campaign.shares) > 1:
            version = draw_versions(found.stratum, found.held, campaign.shares, campaign.seed)
        keep_drawn(campaign, audience, found, version)
        campaign.state, campaign.drawn_at = Campaign.DRAWN, timezone.now()
        campaign.fell_away = {"lens": audience.lens, **audience.fell_away}
        campaign.decided_on = audience.made_from
        told = expected_of(campaign, audience.segment[~found.held])
        campaign.expected = told.model_dump() if told else {}
        campaign.proof = proof_of_the_day(audience)
        campaign.revision += 1
        campaign.save()
        record(
            campaign.study, person, "draw holdout", f"Drew the holdout of {campaign.name}",
            f"campaign:{campaign.pk}", Campaign.DRAFT, Campaign.DRAWN,
        )  # fmt: skip
    return campaign


@reverses("draw holdout")
def _reverse_draw(entry: HistoryEntry, forward: bool) -> None:
    campaign = campaign_now(int(entry.target.removeprefix("campaign:")))
    if forward:
        draw(campaign, entry.person)
        return
    if campaign.state != Campaign.DRAWN:
        raise Conflict(f"The list of {campaign.name} has been handed over since.")
    _not_leaving(campaign)
    campaign.departures.all().delete()  # stopped before anything of it left
    campaign.state, campaign.drawn_at, campaign.fell_away = Campaign.DRAFT, None, {}
    campaign.expected, campaign.proof = {}, {}
    campaign.revision += 1
    let_go(campaign)
