"""Lists that leave the house as files: made by a job, kept for some days, each on record."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any, get_args

from django.conf import settings
from django.db import transaction
from django.http import Http404
from django.utils import timezone

from sortija.core.formats.exports import ExportError, FileKind, write_dictionary, write_list
from sortija.core.lens.clauses import Clause
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.upkeep import hourly
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.lens.listing import Listing
from sortija.server.lens.models import Export
from sortija.server.studies.actions import changing, record
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView, read_window

__all__ = [
    "ask_export",
    "begin_export",
    "dictionary_of",
    "export_for",
    "export_of",
    "file_of",
    "sweep",
    "whole_file",
]


def ask_export(
    study: Study, person: Any, kind: str, window: WindowInView, clauses: list[Clause],
    fields: list[str], order: str, down: bool,
) -> Export:  # fmt: skip
    """Begin a file; the list is checked now, so that what cannot be listed is said at once."""
    if kind not in get_args(FileKind):
        raise Problem("A list is saved as CSV, XLSX or Parquet.")
    listing = Listing(study, window, clauses, fields, order, down)
    if not len(listing.rows):
        raise Problem("No one is in this lens, so there is nothing to save.")
    asked = {
        "clauses": [clause.as_json() for clause in clauses], "fields": fields, "order": order,
        "down": down, "to": window.to.isoformat(), "back": window.back,
    }  # fmt: skip
    count = len(listing.rows)
    words = f"Saved a list of {count:,} customers as {kind.upper()}"
    with changing(study):
        row = begin_export(study, person, "lens.export", kind, asked, count)
        record(study, person, "save list", words, f"export:{row.pk}", None, listing.made_from)
    return row


def begin_export(
    study: Study, person: Any, job: str, kind: str, asked: dict[str, Any], rows: int,
    what: str = "customers",
) -> Export:  # fmt: skip
    """Begin a file of so many rows, written by this kind of job."""
    with transaction.atomic():
        row = Export.objects.create(
            study=study, person=person, kind=kind, asked=asked, rows=rows, what=what
        )
        words = f"Writing {rows:,} {what}"
        row.job = work.start(study.pk, job, str(row.pk), words, person, {"export": row.pk}).pk
        row.save(update_fields=["job"])
    return row


@contextmanager
def whole_file(row: Export) -> Iterator[Path]:
    """A path to write a file's content to; it is the file's once it is written whole.

    Raises
    ------
    JobError
        It cannot be written; nothing of it is left.
    """
    name = f"{row.study_id}-{row.pk}-{secrets.token_hex(4)}.{row.kind}"
    aside = _folder() / f".aside-{name}"
    try:
        yield aside
        row.file, row.size = name, aside.stat().st_size
        aside.rename(file_of(row))
    except OSError as problem:
        raise JobError(
            f"The file cannot be written: {problem.strerror}. Make room and try again."
        ) from problem
    finally:
        aside.unlink(missing_ok=True)
    row.save(update_fields=["file", "rows", "size"])


def _folder() -> Path:
    folder = Path(settings.EXPORTS)
    folder.mkdir(parents=True, exist_ok=True)
    return folder


@hourly
def sweep() -> None:
    """Files that are too old go; that they were taken stays on record."""
    if settings.KEEP_EXPORTS:
        limit = timezone.now() - timedelta(days=settings.KEEP_EXPORTS)
        for row in Export.objects.filter(asked_at__lt=limit):
            _drop(row)


def _drop(row: Export) -> None:
    if row.file:
        for path in (file_of(row), dictionary_of(row)):
            path.unlink(missing_ok=True)
    row.delete()


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    """Files may name anybody: all of the study's go, and can be saved again."""
    for row in Export.objects.filter(study=study):
        _drop(row)


def file_of(row: Export) -> Path:
    """Where the list lies."""
    return _folder() / row.file


def dictionary_of(row: Export) -> Path:
    """Where its dictionary lies."""
    return _folder() / f"{Path(row.file).stem}-dictionary.csv"


def export_for(job: Job) -> Export:
    """The file that a job writes.

    Raises
    ------
    JobError
        It is no longer wanted: somebody was erased meanwhile, who may be in it.
    """
    row = Export.objects.select_related("study").filter(pk=job.arguments["export"]).first()
    if row is None:
        raise JobError("Somebody was erased meanwhile. Save the list again.")
    return row


def export_of(study: Study, number: int) -> Export:
    """A file that is still kept; Http404 for all others."""
    row = Export.objects.filter(study=study, pk=number).first()
    if row is None:
        raise Http404("This file is no longer kept. Save the list again.")
    return row


@handles("lens.export", repeatable=True)
def _export(job: Job, running: Running) -> None:
    row = export_for(job)
    asked, study = row.asked, row.study
    window = read_window(asked["to"], asked["back"])
    try:
        listing = Listing(
            study, window, [Clause.from_json(c) for c in asked["clauses"]], asked["fields"],
            asked["order"], asked["down"],
        )  # fmt: skip
    except Problem as problem:
        raise JobError(problem.detail) from problem
    columns, row.rows = listing.told(), len(listing.rows)
    with whole_file(row) as aside:
        blocks = listing.blocks(running.progress)
        try:
            write_list(aside, row.kind, columns, row.rows, blocks)  # type: ignore[arg-type]
        except ExportError as problem:
            raise JobError(str(problem)) from problem
    notes = [
        ("window", f"to {window.to:%d %b %Y}, {_back_words(window)}"),
        ("customers", f"{row.rows:,}"),
        ("made from", listing.made_from),
    ]
    write_dictionary(dictionary_of(row), columns, notes)


def _back_words(window: WindowInView) -> str:
    if window.since:
        return f"from {window.since:%d %b %Y}"
    return f"{window.months} months back" if window.months else "the whole log"
