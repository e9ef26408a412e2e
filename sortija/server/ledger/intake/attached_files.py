"""Read the files of an attached log one by one, each whole or not at all."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import asdict

from django.db import transaction
from django.utils import timezone

from sortija.core.formats.places import PlacedFile, PlaceError
from sortija.core.ledger.mapping import Guess, LogMapping
from sortija.core.progress import Progress, Stopped
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError
from sortija.server.ledger.intake.attached import let_go
from sortija.server.ledger.intake.attaching import ATTACH, first_read, original_at, to_read
from sortija.server.ledger.intake.log_pass import open_for
from sortija.server.ledger.models import Attachment, Intake
from sortija.server.ledger.store.money import follow_files
from sortija.server.studies.actions import changing, record

__all__ = ["read_all"]

#: Of so many files that cannot be read the first is told, and no more are tried.
MOST_FAILED = 3
Read = Callable[[Job, Progress, Intake], None]


def read_all(attachment: Attachment, job: Job, progress: Progress, read: Read) -> None:
    """Read every file that is new or changed, as the first one was; then all of them count at once,
    so that nobody sees half a log. Taken up again, it goes on with what is left; stopped, what was
    read counts.

    Raises
    ------
    JobError
        The place cannot be reached, or several files cannot be read; what was read counts.
    """
    like = first_read(attachment)
    if like is None:
        return  # taken back meanwhile
    let_go(like.original)
    try:
        _read_new(attachment, like, job, progress, read)
    except (JobError, Stopped):
        _count_together(attachment, job)
        raise
    _count_together(attachment, job)


def _read_new(
    attachment: Attachment, like: Intake, job: Job, progress: Progress, read: Read
) -> None:
    try:
        files = to_read(attachment)
    except PlaceError as problem:
        _keep_trouble(attachment, problem)
        raise JobError(str(problem)) from problem
    failed = 0
    for number, (file, before) in enumerate(files):
        stage = f"reading file {number + 1:,} of {len(files):,}"
        progress(stage, number, len(files))
        try:
            _read_one(
                attachment, like, file, before, job, _within(progress, stage, number, files), read
            )
        except JobError as problem:
            if _of_the_place(problem):
                _keep_trouble(attachment, problem)
                raise  # the file is as good as it was, and is read when the place answers
            failed += 1
            _failed(attachment, like, file, before, str(problem))
            if failed == MOST_FAILED:
                raise JobError(
                    f"{failed} files of {attachment.url} could not be read. The last: {problem}"
                ) from problem


def _keep_trouble(attachment: Attachment, problem: Exception) -> None:
    Attachment.objects.filter(pk=attachment.pk).update(trouble=str(problem))


def _of_the_place(problem: BaseException | None) -> bool:
    """Whether a file could not be read because of where it lies, not of what it is."""
    while problem is not None:
        if isinstance(problem, PlaceError):
            return True
        problem = problem.__cause__
    return False


def _within(
    progress: Progress, stage: str, number: int, files: list[tuple[PlacedFile, Intake | None]]
) -> Progress:
    """Progress within one of several files."""

    def told(_: str, done: int, of: int) -> None:
        progress(stage, number, len(files))

    return told


def _read_one(
    attachment: Attachment, like: Intake, file: PlacedFile, before: Intake | None, job: Job,
    progress: Progress, read: Read,
) -> None:  # fmt: skip
    with transaction.atomic():
        intake = _begun(attachment, like, file, before)
        names = open_for(intake).names
        lacks = sorted(set(LogMapping(**like.mapping).roles.values()) - set(names))
        if lacks:
            raise JobError(
                f"{file.name} has no column called {lacks[0]}, which the other files have."
            )
        read(job, progress, intake)
    let_go(intake.original)


def _begun(attachment: Attachment, like: Intake, file: PlacedFile, before: Intake | None) -> Intake:
    """The intake of a file: its own, where it failed before."""
    original = original_at(attachment, file)
    if before is not None and before.state != Intake.COUNTED:
        before.original, before.replaces = original, None
        before.mapping, before.state, before.error = like.mapping, Intake.READING, ""
        before.save()
        return before
    return Intake.objects.create(
        study=attachment.study, original=original, role=Intake.LOG, mapping=like.mapping,
        guesses=like.guesses, received_on=like.received_on, overlap=like.overlap,
        scale=like.scale, state=Intake.READING, replaces=before,
    )  # fmt: skip


def _failed(
    attachment: Attachment, like: Intake, file: PlacedFile, before: Intake | None, words: str
) -> None:
    """Keep that a file could not be read: it stands at the Ledger, and nothing of it counts."""
    with transaction.atomic():
        intake = _begun(attachment, like, file, before)
        intake.state, intake.error = Intake.FAILED, words
        with contextlib.suppress(JobError):  # else its columns cannot even be told
            names = open_for(intake).names
            nothing = "not read yet: this file has not the columns of the others"
            intake.guesses = [asdict(Guess(name, "out", nothing)) for name in names]
            roles = {role: c for role, c in like.mapping["roles"].items() if c in names}
            intake.mapping = {**like.mapping, "roles": roles}
        intake.save()
    let_go(intake.original)


def _count_together(attachment: Attachment, job: Job) -> None:
    """All files that were read count from now on, in the place of what was read of them before: one
    step, which is taken back as one."""
    with changing(attachment.study_id):
        files = Intake.objects.filter(original__attachment=attachment, state=Intake.READING)
        read = dict(files.exclude(report={}).order_by("id").values_list("pk", "replaces"))
        if not read:
            return
        old = [number for number in read.values() if number is not None]
        Intake.objects.filter(pk__in=old).update(state=Intake.REMOVED)
        Intake.objects.filter(pk__in=read).update(state=Intake.COUNTED, counted_at=timezone.now())
        follow_files(attachment.study_id)
        several = "s" * (len(read) > 1)
        record(
            attachment.study, job.person, ATTACH,
            f"Attached {len(read):,} file{several} of {attachment.url}",
            f"attachment:{attachment.pk}", {"counted": old}, {"counted": list(read)},
        )  # fmt: skip
