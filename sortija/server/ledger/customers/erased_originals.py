"""Erased people leave the files that came in, too: each is written again without them."""

from __future__ import annotations

import hashlib
import tempfile
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from sortija.core.formats.rewriting import Forgotten, without_people
from sortija.core.formats.rows import UnreadableFile
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.customers.erased_codes import alias_of, digest_of, erased_digests
from sortija.server.ledger.intake.intake_files import open_original
from sortija.server.ledger.intake.uploads import path_of
from sortija.server.ledger.models import Intake, Original
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study

__all__ = ["forget_in_originals", "remove_original"]

#: Said of files that are not ours to write.
ELSEWHERE = (
    "People who were erased here are left out when these files are read. Whoever keeps the files "
    "has to take them out there."
)
#: An upload that nobody has looked at yet is not taken for one that was left lying.
_LEFT_ALONE = timedelta(hours=1)


def forget_in_originals(study: Study, person: Any) -> Job:
    """Begin writing the study's originals without everybody who was erased."""
    key = fingerprint("forget", sorted(erased_digests(study)))
    words = "Leaving the erased person out of the files"
    return work.start(study.pk, "ledger.forget", key, words, person)


@handles("ledger.forget", repeatable=True, first=True)
def _forget(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    for original in Original.objects.filter(study=study).exclude(replaced=""):
        _drop_replaced(original)  # an attempt that died had come so far
    gone = erased_digests(study)
    for original in Original.objects.filter(study=study).exclude(sha256=""):
        if set(original.without) == set(gone):
            continue
        places = _places(original)
        if places:
            _rewrite(original, places, gone, running)
        elif original.begun_at < timezone.now() - _LEFT_ALONE:
            remove_original(original)


def _places(original: Original) -> list[tuple[Intake, str]]:
    """Every way in which the file was read, with the column that names people, if it has one."""
    out = []
    for intake in Intake.objects.filter(original=original):
        out.append((intake, _column(intake)))
    for intake in Intake.objects.filter(heads=original):
        # Beside a column of the lines that is called the same, that of the heads has a prefix.
        out.append((intake, _column(intake).removeprefix("head ")))
    return out


def _column(intake: Intake) -> str:
    """The column that names people, as the intake's mapping says."""
    if intake.role == Intake.MEMBERS:
        kinds = intake.mapping.get("types", {})
        return next((name for name, kind in kinds.items() if kind == "key"), "")
    return str(intake.mapping.get("roles", {}).get("customer", ""))


def _rewrite(
    original: Original, places: list[tuple[Intake, str]], gone: frozenset[str], running: Running
) -> None:
    """Put a file without these people in the place of the original, and note it there.

    A file that cannot be read any more cannot be rewritten either, so it goes.
    """
    if original.attachment_id is not None:
        Original.objects.filter(pk=original.pk).update(without=sorted(gone), note=ELSEWHERE)
        return
    path = path_of(original)
    if not path.exists():
        return
    with tempfile.TemporaryDirectory(dir=path.parent, prefix="part-") as aside:
        target = Path(aside) / "rewritten"
        try:
            told = _without(original, places, gone, target, running)
        except UnreadableFile:
            _gone(original, gone)
            return
        if told is None:
            return
        if not (told.rows or told.ragged):
            Original.objects.filter(pk=original.pk).update(without=sorted(gone))
            return
        _replace(original, target, told, gone)


def _without(
    original: Original, places: list[tuple[Intake, str]], gone: frozenset[str], target: Path,
    running: Running,
) -> Forgotten | None:  # fmt: skip
    """Write the file without these people; None where none of its columns names anybody."""
    file = open_original(original)
    columns = sorted({column for _, column in places if column in file.names})
    if not columns:
        return None
    kept: set[str] = set()
    for intake, _ in places:
        kept |= {str(name).removeprefix("head ") for name in _roles(intake)} | {*intake.heads_by}
    study = original.study

    def alias(text: str) -> str:
        digest = digest_of(study, text)
        return alias_of(digest) if digest in gone else ""

    return without_people(
        file, target, columns, alias, drop=all(i.role != Intake.LOG for i, _ in places),
        keep=frozenset(kept), progress=running.progress,
    )  # fmt: skip


def _roles(intake: Intake) -> list[str]:
    """Columns that the ledger keeps of every line, which say nothing of who bought."""
    return list(intake.mapping.get("roles", {}).values()) if intake.role == Intake.LOG else []


def _replace(original: Original, target: Path, told: Forgotten, gone: frozenset[str]) -> None:
    with target.open("rb") as file:
        now = hashlib.file_digest(file, "sha256").hexdigest()
    with target.open("rb") as file:
        lines = sum(part.count(b"\n") for part in iter(lambda: file.read(1 << 20), b""))
    size = target.stat().st_size
    target.rename(path_of(original).with_name(now))
    with transaction.atomic():
        row = Original.objects.select_for_update().get(pk=original.pk)
        row.replaced, row.sha256 = row.sha256, now
        row.size, row.received, row.lines = size, size, lines
        row.former, row.encoding = [*row.former, row.replaced], ""  # it is UTF-8 from now on
        row.without, row.note = sorted(gone), _note(told)
        row.save()
    _drop_replaced(row)


def _note(told: Forgotten) -> str:
    ragged = f" {told.ragged:,} rows that fit no head were left out." if told.ragged else ""
    day = f"{timezone.localdate():%d %b %Y}"
    return f"Written anew on {day} without people who were erased.{ragged}"


def _drop_replaced(original: Original) -> None:
    """The file as it was goes, unless another upload of the same bytes is kept by it."""
    if original.replaced:
        others = Original.objects.filter(study=original.study_id, sha256=original.replaced)
        if not others.exists():
            path_of(original).with_name(original.replaced).unlink(missing_ok=True)
        Original.objects.filter(pk=original.pk).update(replaced="")


def _gone(original: Original, gone: frozenset[str]) -> None:
    path_of(original).unlink(missing_ok=True)
    note = "The file was removed: a person was erased, and it could not be read to leave them out."
    Original.objects.filter(pk=original.pk).update(note=note, without=sorted(gone))


def remove_original(original: Original) -> None:
    """Remove a file that no intake speaks of any more."""
    used = Intake.objects.filter(original=original) | Intake.objects.filter(heads=original)
    if used.exists():
        return
    same = Original.objects.filter(study=original.study_id, sha256=original.sha256)
    if not same.exclude(pk=original.pk).exists():
        path_of(original).unlink(missing_ok=True)
    original.delete()
