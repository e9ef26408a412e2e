"""A file that somebody asked for, as every screen shows it."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.server.jobs.models import Job
from sortija.server.lens.models import Export
from sortija.server.studies.http import JobRow, job_row

__all__ = ["ExportRow", "export_row"]


class ExportRow(BaseModel):
    """A file: ``ready`` when it can be fetched; ``job``: what makes it, or how it failed."""

    id: int
    kind: str
    what: str
    rows: int
    ready: bool
    size: int
    by: str
    at: str
    job: JobRow | None


def export_row(export: Export) -> ExportRow:
    """A file for the wire."""
    job = Job.objects.filter(pk=export.job or 0).first()
    person = export.person
    return ExportRow(
        id=export.pk, kind=export.kind, what=export.what, rows=export.rows, ready=bool(export.file),
        size=export.size, by=(person.get_full_name() or person.username) if person else "",
        at=export.asked_at.isoformat(), job=job_row(job) if job else None,
    )  # fmt: skip
