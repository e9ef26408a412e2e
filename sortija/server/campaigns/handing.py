"""The list of those written to leaves the house, which cannot be undone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from django.utils import timezone

from sortija.core.formats.exports import Cells, ExportError, FileKind, Told, write_list
from sortija.core.progress import Progress
from sortija.server.campaigns.actions import campaign_now, checked_revision
from sortija.server.campaigns.drawn import DRAWN, VERSIONS, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.groups.yardsticks.assignments import segment_labels
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.ledger.models import Card
from sortija.server.lens.exports import begin_export, export_for, whole_file
from sortija.server.lens.models import Export
from sortija.server.studies.actions import changing, record
from sortija.server.studies.problems import Problem

__all__ = ["hand_over"]

_BLOCK = 5000
_COLUMNS = (
    Told("card", "card", "text", "", "The code on the customer's card."),
    Told("address", "address", "text", "", "Where the customer is written to."),
    Told("segment", "segment", "text", "", "The customer's segment on the day of the draw."),
    Told("version", "version", "text", "", "Which version the customer is sent."),
)


def hand_over(campaign: Campaign, person: Any, expected: int, kind: FileKind = "csv") -> Export:
    """Begin the file of the list, and record that it leaves the house; that cannot be undone."""
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        checked_revision(campaign, expected)
        if campaign.state == Campaign.DRAFT:
            raise Problem("Draw the holdout first: without it no effect can be measured.")
        if campaign.state == Campaign.DRAWN:
            campaign.state, campaign.handed_at = Campaign.HANDED, timezone.now()
            campaign.revision += 1
            campaign.save(update_fields=["state", "handed_at", "revision"])
            record(
                campaign.study, person, "hand over", f"Handed over the list of {campaign.name}",
                f"campaign:{campaign.pk}", None, None,
            )  # fmt: skip
        asked = {"campaign": campaign.pk}
        count = int(np.count_nonzero(~drawn_of(campaign).held))
        study = campaign.study
        return begin_export(study, person, "campaigns.list", kind, asked, count, "campaign")


@handles("campaigns.list", repeatable=True)
def _write_list(job: Job, running: Running) -> None:
    row = export_for(job)
    campaign = Campaign.objects.select_related("study", *DRAWN).get(pk=row.asked["campaign"])
    kind: Any = row.kind
    try:
        with whole_file(row) as aside:
            columns = _COLUMNS if campaign.versions else _COLUMNS[:-1]
            write_list(aside, kind, columns, row.rows, _blocks(campaign, running.progress))
    except ExportError as problem:
        raise JobError(str(problem)) from problem


def _blocks(campaign: Campaign, progress: Progress) -> Iterator[Cells]:
    """Card, address and segment of those written to."""
    labels = segment_labels(campaign.yardstick) if campaign.yardstick else ()
    drawn = drawn_of(campaign)
    written, segments = drawn.customers[~drawn.held], drawn.segment[~drawn.held]
    versions = drawn.version[~drawn.held]
    cards = Card.objects.filter(study=campaign.study).values_list("number", "code", "address")
    for done in range(0, len(written), _BLOCK):
        progress("writing", done, len(written))
        block = written[done : done + _BLOCK].tolist()
        known = {number: told for number, *told in cards.filter(number__in=block)}
        told = [known[number] for number in block]
        some = slice(done, done + _BLOCK)
        cells = [
            [code for code, _ in told], [address for _, address in told],
            [labels[s] if s < len(labels) else "" for s in segments[some].tolist()],
        ]  # fmt: skip
        if campaign.versions:
            cells.append([VERSIONS[v - 1] for v in versions[some].tolist()])
        yield cells
