"""Lines as a file: of a whole log that takes a while, so a job writes it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.ledger.rules.listing import Picked, lines_file, lines_picked
from sortija.server.lens.exports import begin_export, export_for, whole_file
from sortija.server.lens.models import Export
from sortija.server.studies.actions import changing, record
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["save_lines"]


def save_lines(study: Study, person: Any, picked: Picked) -> Export:
    """Begin a file of the picked lines; that it was asked for stays on record."""
    count = lines_picked(study, picked)
    with changing(study):
        row = begin_export(study, person, "ledger.lines", "csv", asdict(picked), count, "lines")
        words = f"Saved {count:,} lines"
        record(study, person, "save list", words, f"export:{row.pk}", None, picked.rule)
    return row


@handles("ledger.lines", repeatable=True)
def _write(job: Job, running: Running) -> None:
    row = export_for(job)
    try:
        row.rows, lines = lines_file(row.study, Picked(**row.asked), running.progress)
        with whole_file(row) as aside, aside.open("w", encoding="utf-8", newline="") as file:
            file.writelines(lines)
    except Problem as problem:
        raise JobError(problem.detail) from problem
