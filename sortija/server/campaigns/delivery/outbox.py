"""The outbox: what is to leave waits a while, and anybody of the study can stop it until then."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from django.utils import timezone

from sortija.server.campaigns.actions import campaign_now, checked_revision
from sortija.server.campaigns.delivery.rows import columns_of, leaving_of
from sortija.server.campaigns.delivery.service import service_of
from sortija.server.campaigns.models import Campaign, DeliveryService, Departure
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.upkeep import often
from sortija.server.studies.actions import changing, record, reverses, touch
from sortija.server.studies.models import HistoryEntry
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["PUSH", "begin", "put", "send_due", "standing_of", "stop"]

#: The kind of job that hands letters to the service.
PUSH = "campaigns.push"


def put(
    campaign: Campaign, person: Any, expected: int, chosen: Sequence[str] = (),
    pseudonyms: bool = False,
) -> Departure:  # fmt: skip
    """Put the list into the outbox, or what is left of one that was stopped.

    Raises
    ------
    Problem
        Nothing is drawn, no service is known, or the list left as a file already, so that some
        would be written to twice.
    """
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        checked_revision(campaign, expected)
        service = _allowed(campaign)
        row = campaign.departures.filter(way=Departure.SERVICE).first()
        if row is not None and standing_of(row) != Departure.STOPPED:
            words = "has left" if row.state == Departure.GONE else "is on its way"
            raise Problem(f"The list of {campaign.name} {words} already.")
        leaving = leaving_of(campaign, chosen, pseudonyms)
        if row is None:
            row = Departure(campaign=campaign, way=Departure.SERVICE, revision=0)
        begun = list(row.blocks.values_list("rows", flat=True)) if row.pk else []
        if not begun:  # what began keeps its columns
            row.columns = columns_of(leaving)
        row.state, row.trouble, row.job = Departure.WAITING, "", None
        row.goes_at = timezone.now() + timedelta(minutes=service.wait_minutes)
        row.person, row.revision = person, row.revision + 1
        everybody = len(leaving.customers) + leaving.passed_over
        row.total = sum(map(len, begun)) + len(leaving.without(begun))
        row.passed_over = everybody - row.total
        row.save()
        record(
            campaign.study, person, "put in outbox",
            f"Put the list of {campaign.name} in the outbox, for {service.wait_minutes} minutes",
            f"departure:{row.pk}", None, None,
        )  # fmt: skip
    if not service.wait_minutes:
        send_due()
    return row


def _allowed(campaign: Campaign) -> DeliveryService:
    service = service_of(campaign.study)
    if service is None:
        raise Problem("No delivery service is known. Give its address below first.")
    if campaign.state == Campaign.DRAFT:
        raise Problem("Draw the holdout first: without it no effect can be measured.")
    if campaign.brought_in:
        raise Problem(f"{campaign.name} was sent from elsewhere.")
    file = campaign.departures.filter(way=Departure.FILE).order_by("id").first()
    if file is not None:
        raise Problem(
            f"The list left as a file on {file.made_at:%d %b %Y}. It is not delivered as well, or "
            "customers would be written to twice."
        )
    return service


def standing_of(row: Departure) -> str:
    """How it stands: stopped, too, where its job ended in the middle."""
    if row.state in (Departure.WAITING, Departure.GOING) and row.job is not None:
        ended = Job.objects.filter(pk=row.job).exclude(state__in=Job.OPEN).exists()
        if ended:
            return Departure.STOPPED
    return row.state


def stop(campaign: Campaign, person: Any) -> Departure:
    """Stop what waits; of what is leaving already, stop the rest.

    Whatever the person saw of it before: to stop what has just begun is what they want, too.

    Raises
    ------
    Problem
        All of it has left.
    """
    with changing(campaign.study_id):
        row = campaign.departures.filter(way=Departure.SERVICE).first()
        if row is None:
            raise Problem(f"Nothing of {campaign.name} is in the outbox.")
        if row.state == Departure.GONE:
            raise Problem(f"The list of {campaign.name} has left; that cannot be taken back.")
        if standing_of(row) == Departure.STOPPED:
            return row
        before, row.state, row.revision = row.state, Departure.STOPPED, row.revision + 1
        row.save(update_fields=["state", "revision"])
        what = "Stopped" if before == Departure.WAITING else "Stopped the rest of"
        record(
            campaign.study, person, "stop departure", f"{what} the list of {campaign.name}",
            f"departure:{row.pk}", None, None,
        )  # fmt: skip
        job = Job.objects.filter(pk=row.job).first() if row.job else None
    if job is not None:
        work.ask_cancel(job)
    return row


@reverses("put in outbox")
def _reverse_put(entry: HistoryEntry, forward: bool) -> None:
    """To take it back is to stop it; what was stopped is put in again at Campaigns."""
    if forward:
        raise Conflict("Put the list in the outbox again at Campaigns; it waits from then on.")
    row = Departure.objects.get(pk=int(entry.target.removeprefix("departure:")))
    if row.state in (Departure.GOING, Departure.GONE):
        raise Conflict("The list has left; that cannot be taken back.")
    row.state, row.revision = Departure.STOPPED, row.revision + 1
    row.save(update_fields=["state", "revision"])


@often
def send_due() -> None:
    """Begin to send what has waited its time."""
    due = Departure.objects.filter(
        way=Departure.SERVICE, state=Departure.WAITING, job=None, goes_at__lte=timezone.now()
    )
    for row in due.select_related("campaign__study"):
        campaign = row.campaign
        with changing(campaign.study_id):
            job = work.start(
                campaign.study_id, PUSH, uuid.uuid4().hex, f"Delivering {campaign.name}",
                row.person, {"departure": row.pk}, "long",
            )  # fmt: skip
            if not Departure.objects.filter(pk=row.pk, state=Departure.WAITING, job=None).update(
                job=job.pk
            ):
                work.ask_cancel(job)  # stopped, or begun, at the same moment


def begin(departure: int) -> Departure | None:
    """From here on it leaves; None where somebody stopped it before."""
    row = Departure.objects.select_related("campaign").get(pk=departure)
    with changing(row.campaign.study_id):
        row = Departure.objects.get(pk=departure)
        campaign = campaign_now(row.campaign_id)
        if row.state not in (Departure.WAITING, Departure.GOING):
            return None
        if row.state == Departure.WAITING:
            row.state, row.revision = Departure.GOING, row.revision + 1
            row.save(update_fields=["state", "revision"])
        if campaign.state == Campaign.DRAWN:
            campaign.state, campaign.handed_at = Campaign.HANDED, timezone.now()
            campaign.revision += 1
            campaign.save(update_fields=["state", "handed_at", "revision"])
            record(
                campaign.study, row.person, "hand over",
                f"Handed over the list of {campaign.name}", f"campaign:{campaign.pk}", None, None,
            )  # fmt: skip
        else:
            touch(campaign.study)
    row.campaign = campaign
    return row
