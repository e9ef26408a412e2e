"""What people do with a log that stays where it lies: attach it, look for new files, detach."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import F, Q
from django.utils import timezone
from pydantic import BaseModel

from sortija.core.formats.places import PlacedFile, PlaceError, files_at, is_below
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.upkeep import hourly
from sortija.server.ledger.intake.actions import review
from sortija.server.ledger.models import Attachment, Intake, Original
from sortija.server.ledger.rules.actions import order_anew
from sortija.server.ledger.store.money import follow_files
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = [
    "AttachmentRow", "attach", "attachments_of", "detach", "first_read", "look", "original_at",
    "to_read",
]  # fmt: skip

ATTACH, DETACH = "attach files", "detach files"


class AttachmentRow(BaseModel):
    """A log that stays where it lies: how many of its ``there`` files count, with their lines;
    ``trouble``: why the last look at it did not end; ``note``: what became of its files."""

    id: int
    url: str
    there: int
    files: int
    lines: int
    receipts: int
    looked_at: str
    trouble: str
    note: str
    revision: int


def attach(study: Study, person: Any, url: str) -> Intake:
    """Put the first file of a log up for review; all others will be read as that one is.

    Raises
    ------
    Problem
        It is below no place that may be attached, cannot be reached, or is no table.
    Conflict
        It is attached already.
    """
    url = url.strip().rstrip("/")
    listed = _listed(url)
    with transaction.atomic():
        for there in Attachment.objects.filter(study=study, url=url):
            if _live(there).exists():
                raise Conflict(f"{url} is attached already. Look there for new files instead.")
        made = Attachment.objects.create(study=study, url=url, files=len(listed), person=person)
        return review(study, person, original_at(made, listed[0]), Intake.LOG)


def _listed(url: str) -> list[PlacedFile]:
    places = settings.ATTACHABLE
    if not places:
        raise Problem(
            "No place is named from which logs may be attached. Whoever runs this server names "
            "them by SORTIJA_ATTACH."
        )
    if not is_below(url, places):
        raise Problem(f"Logs may be attached from {', '.join(places)} here; {url} is not there.")
    try:
        return files_at(url)
    except PlaceError as problem:
        raise Problem(str(problem)) from problem


def original_at(attachment: Attachment, file: PlacedFile) -> Original:
    """A file of an attached log, known by its place, name and version."""
    digest = fingerprint("attached", attachment.pk, file.name, file.version)
    found, _ = Original.objects.get_or_create(
        study=attachment.study, attachment=attachment, sha256=digest,
        defaults={"name": file.name[:255], "size": file.size, "received": file.size,
                  "version": file.version},
    )  # fmt: skip
    return found


def _live(attachment: Attachment) -> Any:
    """Its files that are not taken back."""
    rows = Intake.objects.filter(original__attachment=attachment)
    return rows.exclude(state=Intake.REMOVED)


def first_read(attachment: Attachment) -> Intake | None:
    """The file that others are read like; None while none is read, or all are taken back."""
    rows = _live(attachment).filter(state__in=(Intake.COUNTED, Intake.READING))
    read = rows.exclude(report={}).select_related("study", "original")
    first: Intake | None = read.order_by("id").first()
    return first


def attachments_of(study: Study) -> list[AttachmentRow]:
    """Attached logs of which something counts."""
    out = []
    for each in Attachment.objects.filter(study=study).order_by("id"):
        counted = list(_live(each).filter(state=Intake.COUNTED).select_related("original"))
        if counted:
            came = [intake.came for intake in counted]
            out.append(AttachmentRow(
                id=each.pk, url=each.url, there=each.files, files=len(counted),
                lines=sum(c.lines for c in came), receipts=sum(c.receipts for c in came),
                looked_at=each.looked_at.isoformat(), trouble=each.trouble,
                note=next((i.original.note for i in counted if i.original.note), ""),
                revision=each.revision,
            ))  # fmt: skip
    return out


def to_read(attachment: Attachment) -> list[tuple[PlacedFile, Intake | None]]:
    """Files that nobody has read as they are now: those that changed with what was read of them.

    One that somebody took back or discarded stays away until it changes.

    Raises
    ------
    PlaceError
        The place cannot be reached.
    """
    listed = files_at(attachment.url)
    Attachment.objects.filter(pk=attachment.pk).update(
        files=len(listed), looked_at=timezone.now(), trouble=""
    )
    live = {i.original.name: i for i in _live(attachment).select_related("original")}
    read = Intake.objects.filter(original__attachment=attachment)
    known = set(read.values_list("original__name", "original__version"))
    return [
        (file, live.get(file.name)) for file in listed if (file.name, file.version) not in known
    ]


def look(attachment: Attachment, person: Any) -> Job | None:
    """Read what is new at an attached log; None where nothing is.

    Raises
    ------
    Problem
        Nothing of it counts, or the place cannot be reached.
    """
    like = first_read(attachment)
    if like is None or like.state != Intake.COUNTED:
        raise Problem("Nothing of this log counts. Attach it again.")
    try:
        new = to_read(attachment)
    except PlaceError as problem:
        Attachment.objects.filter(pk=attachment.pk).update(trouble=str(problem))
        raise Problem(str(problem)) from problem
    if not new:
        return None
    return work.start(
        attachment.study_id, "ledger.intake", fingerprint("attachment", attachment.pk),
        f"Reading {len(new)} new file{'s' * (len(new) > 1)} of {attachment.url}", person,
        {"intake": like.pk},
    )  # fmt: skip


@hourly
def look_at_attached() -> None:
    """Look for new files of every attached log; what cannot be reached is said at the Ledger."""
    for attachment in Attachment.objects.filter(study__binned_at=None).select_related("study"):
        if _live(attachment).filter(state=Intake.COUNTED).exists():
            try:
                look(attachment, attachment.person)
            except Problem:
                continue  # kept as its trouble


def detach(attachment: Attachment, person: Any, expected: int) -> None:
    """Stop counting an attached log; undo brings it back. Nothing happens to its files."""
    with changing(attachment.study_id):
        there = Attachment.objects.filter(pk=attachment.pk, revision=expected)
        if not there.update(revision=F("revision") + 1):
            raise Conflict(f"{attachment.url} was changed since you loaded this page.")
        numbers = sorted(
            _live(attachment).filter(state=Intake.COUNTED).values_list("pk", flat=True)
        )
        Intake.objects.filter(pk__in=numbers).update(state=Intake.REMOVED)
        follow_files(attachment.study_id)
        record(
            attachment.study, person, DETACH, f"Detached {attachment.url}",
            f"attachment:{attachment.pk}", {"counted": numbers}, {"counted": []},
        )  # fmt: skip
    order_anew(attachment.study, person)


@reverses(ATTACH)
@reverses(DETACH)
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    """All files that came or went together count again, or no more."""
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    for numbers, of, to in (
        (set(there["counted"]) - set(wanted["counted"]), Intake.COUNTED, Intake.REMOVED),
        (set(wanted["counted"]) - set(there["counted"]), Intake.REMOVED, Intake.COUNTED),
    ):
        rows = Intake.objects.filter(Q(pk__in=numbers), state=of)
        if rows.update(state=to) != len(numbers):
            raise Conflict("Some of these files were read or removed since, so they stay so.")
    follow_files(entry.study_id)
    order_anew(entry.study, entry.person)
