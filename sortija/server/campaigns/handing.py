"""The list of those written to leaves the house as a file, which cannot be undone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

from django.utils import timezone

from sortija.core.formats.exports import Cells, ExportError, FileKind, Told, write_list
from sortija.core.progress import Progress
from sortija.server.campaigns.actions import campaign_now, checked_revision
from sortija.server.campaigns.delivery.outbox import standing_of
from sortija.server.campaigns.delivery.rows import as_begun, columns_of, leaving_of
from sortija.server.campaigns.models import Block, Campaign, Departure
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.lens.exports import begin_export, export_for, whole_file
from sortija.server.lens.models import Export
from sortija.server.studies.actions import changing, record
from sortija.server.studies.problems import Problem

__all__ = ["hand_over", "left_again"]

_BLOCK = 5000


def hand_over(
    campaign: Campaign, person: Any, expected: int, kind: FileKind = "csv",
    chosen: Sequence[str] = (), pseudonyms: bool = False,
) -> Export:  # fmt: skip
    """Begin the file of the list, and record that it leaves the house; that cannot be undone.

    ``chosen``: columns of one's choice, as fields of the lens; ``pseudonyms``: instead of cards.
    """
    with changing(campaign.study_id):
        campaign = campaign_now(campaign.pk)
        checked_revision(campaign, expected)
        if campaign.state == Campaign.DRAFT:
            raise Problem("Draw the holdout first: without it no effect can be measured.")
        service = campaign.departures.filter(way=Departure.SERVICE).first()
        if service and (standing_of(service) != Departure.STOPPED or service.blocks.exists()):
            raise Problem(
                "The list goes to the delivery service. A file beside it would write to customers "
                "twice; what left can be saved from its record."
            )
        leaving = leaving_of(campaign, chosen, pseudonyms)
        departure = Departure.objects.create(
            campaign=campaign, way=Departure.FILE, state=Departure.GOING, person=person,
            columns=columns_of(leaving), total=len(leaving.customers),
            passed_over=leaving.passed_over,
        )  # fmt: skip
        if campaign.state == Campaign.DRAWN:
            campaign.state, campaign.handed_at = Campaign.HANDED, timezone.now()
            campaign.revision += 1
            campaign.save(update_fields=["state", "handed_at", "revision"])
            record(
                campaign.study, person, "hand over", f"Handed over the list of {campaign.name}",
                f"campaign:{campaign.pk}", None, None,
            )  # fmt: skip
        asked = {"departure": departure.pk}
        return begin_export(
            campaign.study, person, "campaigns.list", kind, asked, departure.total, "campaign"
        )


def left_again(departure: Departure, person: Any, kind: FileKind = "csv") -> Export:
    """Begin a file of what left, exactly as it left."""
    study, asked = departure.campaign.study, {"departure": departure.pk, "again": True}
    return begin_export(study, person, "campaigns.list", kind, asked, departure.sent, "campaign")


@handles("campaigns.list", repeatable=True)
def _write_list(job: Job, running: Running) -> None:
    row = export_for(job)
    departure = Departure.objects.select_related("campaign__study").get(pk=row.asked["departure"])
    columns = [Told(c["name"], c["label"], c["kind"], c["unit"], c["definition"])
               for c in departure.columns]  # fmt: skip
    kind: Any = row.kind
    again = bool(row.asked.get("again")) or departure.state == Departure.GONE
    blocks = _kept(departure) if again else _leaving(departure, running.progress)
    try:
        with whole_file(row) as aside:
            write_list(aside, kind, columns, row.rows, (_cells(columns, b) for b in blocks))
    except ExportError as problem:
        raise JobError(str(problem)) from problem
    if not again:
        _gone(departure)


def _leaving(departure: Departure, progress: Progress) -> Iterator[list[list[Any]]]:
    """The rows as they leave, each block kept before it is written.

    A worker that died wrote to a file that nobody has seen: what it kept is written anew.
    """
    departure.blocks.all().delete()
    try:
        leaving = as_begun(departure)
    except Problem as problem:
        raise JobError(problem.detail) from problem
    for number, first in enumerate(range(0, len(leaving.customers), _BLOCK)):
        progress("writing", first, len(leaving.customers))
        rows = leaving.rows(leaving.customers[first : first + _BLOCK])
        if rows:
            Block.objects.create(
                departure=departure, number=number, first=rows[0][0], last=rows[-1][0], rows=rows
            )
            yield rows


def _kept(departure: Departure) -> Iterator[list[list[Any]]]:
    """The rows that left; without those whom the service did not take, and who were erased."""
    for block in departure.blocks.order_by("number"):
        refused = {customer for customer, _ in block.refused}
        yield [row for row in block.rows if row[0] not in refused and row[1]]


def _cells(columns: Sequence[Told], rows: list[list[Any]]) -> Cells:
    """A list for each column; days are days again."""
    if not rows:
        return [[] for _ in columns]
    cells = [list(each) for each in zip(*rows, strict=True)][1:]
    return [
        [date.fromisoformat(cell) if cell else None for cell in each]
        if column.kind == "date" else each
        for column, each in zip(columns, cells, strict=True)
    ]  # fmt: skip


def _gone(departure: Departure) -> None:
    now = timezone.now()
    departure.blocks.update(sent_at=now)
    Departure.objects.filter(pk=departure.pk).update(
        state=Departure.GONE, sent=departure.total, ended_at=now
    )
