"""Files on their way in: parts at offsets, resumable, kept under their digest."""

from __future__ import annotations

import errno
import hashlib
import shutil
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from sortija.core.formats.packed import magic_of
from sortija.server.ledger.models import Intake, Original
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = [
    "PART_BYTES",
    "add_part",
    "begin_upload",
    "drop_upload",
    "earlier_intake",
    "path_of",
    "sweep",
    "take_file",
]

PART_BYTES = 8 << 20
_ROOM = 3
_FORGOTTEN = timedelta(days=1)


def path_of(original: Original) -> Path:
    """Where an original stands: under its digest once whole, under its number before."""
    folder = Path(settings.ORIGINALS) / str(original.study_id)
    return folder / (original.sha256 or f"part-{original.pk}")


def begin_upload(study: Study, name: str, size: int, modified: int = 0) -> Original:
    """Announce a file; refused when free disk is under three times its size.

    One that broke off goes on where it was: the same name, size and moment of its last change
    (``modified``, milliseconds; 0 where that is not known and nothing is taken up again).
    """
    if size <= 0:
        raise Problem(f"{name} is empty. Export it again and import the new file.")
    before = Original.objects.filter(
        study=study, name=Path(name).name[:255], size=size, modified=modified, sha256=""
    ).last()
    if modified and before is not None and path_of(before).exists():
        return before
    settings.ORIGINALS.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(settings.ORIGINALS).free
    if free < _ROOM * size:
        raise Problem(
            f"{name} has {size >> 20:,} MiB, and only {free >> 20:,} MiB are free here. "
            f"Make room for {_ROOM * size >> 20:,} MiB and try again.",
            413,
        )
    sweep(study)
    original = Original.objects.create(
        study=study, name=Path(name).name[:255], size=size, modified=modified
    )
    path = path_of(original)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.touch()
    return original


def add_part(original: Original, offset: int, data: bytes) -> Original:
    """Append one part. One that came before is passed over: a lost answer does no harm."""
    if original.whole:
        return original
    if len(data) > PART_BYTES:
        raise Problem(f"A part has at most {PART_BYTES >> 20} MiB.", 413)
    with transaction.atomic():
        original = Original.objects.select_for_update().get(pk=original.pk)
        if offset + len(data) <= original.received:
            return original
        if offset != original.received:
            raise Conflict(
                f"The next byte wanted is {original.received}, not {offset}.",
                received=original.received,
            )
        if offset + len(data) > original.size:
            raise Problem("More bytes came than were announced. Upload the file again.")
        try:
            with path_of(original).open("r+b") as file:
                file.seek(offset)
                file.write(data)
        except OSError as problem:
            if problem.errno != errno.ENOSPC:
                raise
            raise Problem(
                f"The disk is full. Make room on the server; {original.name} then goes on where "
                "it is.",
                507,
            ) from problem
        original.received += len(data)
        original.lines += data.count(b"\n")
        if original.received == original.size:
            _finish(original, data)
        original.save(update_fields=["received", "lines", "sha256"])
    return original


def _finish(original: Original, last: bytes) -> None:
    part = path_of(original)
    if magic_of(part) != "plain":
        original.lines = 0  # what is packed has as many lines as it turns out to have
    elif not last.endswith(b"\n"):
        original.lines += 1
    with part.open("rb") as file:
        original.sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    part.rename(path_of(original))


def take_file(study: Study, path: Path) -> Original:
    """Bring a file of this machine in by the same door: announced, then part by part."""
    original = begin_upload(study, path.name, path.stat().st_size)
    with path.open("rb") as file:
        while part := file.read(PART_BYTES):
            original = add_part(original, original.received, part)
    return original


def drop_upload(original: Original) -> None:
    """Drop a file that was read and is not kept; one of the same bytes that is kept stays."""
    same = Original.objects.filter(study=original.study_id, sha256=original.sha256)
    if not same.exclude(pk=original.pk).exists():
        path_of(original).unlink(missing_ok=True)
    original.delete()


def earlier_intake(original: Original, role: str) -> Intake | None:
    """The intake by which the same bytes came in before, if any."""
    same: Any = Intake.objects.filter(study=original.study_id, role=role).filter(
        Q(original__sha256=original.sha256) | Q(original__former__contains=[original.sha256])
    )
    return same.exclude(state=Intake.REMOVED).order_by("id").first()


def sweep(study: Study) -> None:
    """Drop unfinished uploads of more than a day ago."""
    old = Original.objects.filter(study=study, sha256="", begun_at__lt=timezone.now() - _FORGOTTEN)
    for original in old:
        path_of(original).unlink(missing_ok=True)
        original.delete()
