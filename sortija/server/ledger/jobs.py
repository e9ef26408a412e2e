"""Long work of the Ledger: counting a file."""

from __future__ import annotations

import errno

from django.db import transaction
from django.utils import timezone
from psycopg.errors import DiskFull

from sortija.core.progress import Progress, Stopped
from sortija.server.jobs.models import Job
from sortija.server.jobs.passing import passing
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.ledger.customers.erased_codes import erased_digests
from sortija.server.ledger.customers.erased_originals import forget_in_originals
from sortija.server.ledger.intake.attached_files import read_all
from sortija.server.ledger.intake.counted import tell_of
from sortija.server.ledger.intake.reading import read_log, read_members
from sortija.server.ledger.intake.side_tables import OTHERS
from sortija.server.ledger.models import Intake, Line
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.ledger.store.money import follow_files
from sortija.server.studies.actions import changing, record
from sortija.server.studies.models import Study
from sortija.server.studies.tokens import new_token

__all__: list[str] = []

DISK_FULL = (
    "The disk is full; nothing of the file was counted. Make room on the server, then count it "
    "again."
)
BROKE_OFF = "Reading broke off; nothing of the file was counted."


@handles("ledger.intake", first=True)
def count(job: Job, running: Running) -> None:
    """Read a file, then order the ledger's lines anew. Taken up again, it skips what is there."""
    rows = Intake.objects.select_related("study", "original__attachment", "heads")
    intake = rows.get(pk=job.arguments["intake"])
    try:
        attachment = intake.original.attachment
        if intake.state == Intake.READING and not (attachment and intake.report):
            _read(job, running.progress, intake)
        if attachment is not None:
            read_all(attachment, job, running.progress, _read)
            intake.study.refresh_from_db(fields=["scale"])
        ledger = ledger_of(intake.study)
        if ledger is not None and not ledger.built:
            ledger.build(running.progress)
        if erased_digests(intake.study):
            forget_in_originals(intake.study, job.person)  # the file may name them again
        tell_of(intake.study)
    except (JobError, Stopped) as problem:
        stopped = isinstance(problem, Stopped)
        _set_back(intake, Intake.REVIEW if stopped else Intake.FAILED, str(problem))
        raise
    except Exception as problem:
        if passing(problem) and not _disk_full(problem):
            raise  # it is taken up again
        full = _disk_full(problem)
        _set_back(intake, Intake.FAILED, DISK_FULL if full else BROKE_OFF)
        if full:
            raise JobError(DISK_FULL) from problem
        raise


def _set_back(intake: Intake, state: str, words: str) -> None:
    Intake.objects.filter(pk=intake.pk, state=Intake.READING).update(
        state=state, error=words if state == Intake.FAILED else ""
    )


def _disk_full(problem: BaseException | None) -> bool:
    """Whether the disk of the files or that of the database has no room left."""
    while problem is not None:
        if isinstance(problem, DiskFull) or getattr(problem, "errno", None) == errno.ENOSPC:
            return True
        problem = problem.__cause__ or problem.__context__
    return False


@handles("ledger.order", repeatable=True, first=True)
def order(job: Job, running: Running) -> None:
    """Order the lines anew, where that was not done meanwhile."""
    ledger = ledger_of(Study.objects.get(pk=job.study))
    if ledger is not None and not ledger.built:
        ledger.build(running.progress)


def _counts(intake: Intake, job: Job) -> None:
    """A file that was read counts from now on, in the place of the one it replaces; those of an
    attached log count together, when all are read."""
    if intake.original.attachment_id is not None:
        intake.save(update_fields=["report", "scale", "token"])
        return
    if intake.replaces_id:
        Intake.objects.filter(pk=intake.replaces_id).update(state=Intake.REMOVED)
    intake.state, intake.counted_at = Intake.COUNTED, timezone.now()
    intake.save(update_fields=["report", "state", "counted_at", "scale", "token"])
    follow_files(intake.study_id)
    intake.study.refresh_from_db(fields=["scale"])
    record(
        intake.study, job.person, "count intake", f"Imported {intake.original.name}",
        f"intake:{intake.pk}", Intake.REMOVED, Intake.COUNTED,
    )  # fmt: skip


def _read(job: Job, progress: Progress, intake: Intake) -> None:
    """Lines and the word that they count commit together: a killed worker leaves neither."""
    with transaction.atomic():
        # What an attempt that died left in files is nobody's: this one may number cards otherwise.
        intake.token = new_token()
        if intake.role == Intake.LOG:
            assert not Line.objects.filter(intake=intake).exists()
            report = read_log(intake, progress)
        elif intake.role == Intake.MEMBERS:
            report = read_members(intake, progress)
        else:
            report = OTHERS[intake.role](intake, progress)
        intake.report = report.model_dump()
        with changing(intake.study_id):
            _counts(intake, job)
