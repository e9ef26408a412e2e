"""What a person can do with a file: review, map, count, remove, change columns, overlap."""

from __future__ import annotations

from dataclasses import asdict, replace
from functools import partial
from typing import Any

import pyarrow as pa
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from sortija.core.formats.encodings import ENCODINGS
from sortija.core.formats.rows import UnreadableFile
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import money_scale
from sortija.core.ledger.mapping import Guess, LogMapping, MappingError
from sortija.core.ledger.members import MemberMapping
from sortija.core.ledger.overlap import OVERLAPS
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.customers.erased_originals import remove_original
from sortija.server.ledger.intake.attached import let_go
from sortija.server.ledger.intake.file_kinds import (
    Mapping,
    guess_as,
    guess_role,
    known_cards,
    mapping_of,
)
from sortija.server.ledger.intake.intake_files import heads_for, open_intake, open_original
from sortija.server.ledger.intake.uploads import earlier_intake
from sortija.server.ledger.models import Intake, Original
from sortija.server.ledger.rules.actions import order_anew
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.ledger.store.money import follow_files, scale_of
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = [
    "change_columns",
    "change_mapping",
    "choose_overlap",
    "count_intake",
    "drop_review",
    "join_heads",
    "part_heads",
    "read_as",
    "read_in",
    "remove_intake",
    "review",
]

PREVIEW_ROWS = 2000
#: Days after which a log's last day is long ago.
LONG_AGO = 45


def review(study: Study, person: Any, original: Original, role: str = "") -> Intake:
    """Put an uploaded file up for review, its columns' roles guessed.

    Raises
    ------
    Problem
        The file is no table of text.
    Conflict
        The same bytes came in before in the same role.
    """
    if not original.whole:
        raise Problem("The file has not come in whole yet. Upload the rest of it.")
    try:
        file = open_original(original)
        rows = file.first_rows(PREVIEW_ROWS)
    except UnreadableFile as problem:
        raise Problem(f"{original.name}: {problem}") from problem
    role = role or guess_role(study, file, rows)
    mapping, guesses = _guessed(study, original, role, rows)
    if isinstance(mapping, MemberMapping):
        mapping = replace(mapping, dated=_spoken_of(study))
    # The same file can be let go twice at the same moment: the second waits here.
    with changing(study):
        earlier = earlier_intake(original, role)
        if earlier is not None:
            if earlier.state == Intake.REVIEW:
                return earlier
            raise Conflict(
                f"{original.name} is already in: the same file came as {earlier.original.name} "
                f"on {earlier.made_at:%d %b %Y}. Nothing was imported twice.",
                intake=earlier.pk,
            )
        intake = Intake.objects.create(
            study=study, original=original, role=role, mapping=asdict(mapping),
            guesses=[asdict(g) for g in guesses], received_on=timezone.localdate(),
            scale=scale_of(rows, mapping),
        )  # fmt: skip
    return intake if original.attachment_id else _joined(intake)


def _spoken_of(study: Study) -> str:
    """The day that a table speaks of: the log's last day where that is long ago, for the table was
    then hardly written today; else nothing, which is the day it came in."""
    ledger = ledger_of(study)
    last = ledger.last_day() if ledger else None
    if last is None or (timezone.localdate() - last).days <= LONG_AGO:
        return ""
    return last.isoformat()


def _guessed(
    study: Study, original: Original, role: str, rows: pa.RecordBatch
) -> tuple[Mapping, list[Guess]]:
    """How a file's columns are read at first: as such a file was before, else as guessed."""
    try:
        mapping, guesses = guess_as(study, role, rows)
    except MappingError as problem:
        raise Problem(f"{original.name}: {problem}") from problem
    remembered = _remembered(study, role, tuple(rows.schema.names))
    return (mapping_of(role, remembered) if remembered else mapping), guesses


def read_as(intake: Intake, role: str) -> Intake:
    """Take a file under review for one of another kind, its columns guessed anew.

    Raises
    ------
    Problem
        The file is counted, joined with another, or cannot be read as such a file.
    Conflict
        The same bytes came in before in that role.
    """
    if intake.state not in (Intake.REVIEW, Intake.FAILED) or intake.replaces_id is not None:
        raise Problem("This file is counted as what it is. Remove it first, then import it again.")
    if intake.heads is not None:
        raise Problem("The heads of its receipts are read with it. Read each on its own first.")
    if intake.original.attachment_id is not None and role != Intake.LOG:
        raise Problem("What is attached is a log. Import other files.")
    study, original = intake.study, intake.original
    earlier = earlier_intake(original, role)
    if earlier is not None and earlier.pk != intake.pk:
        raise Conflict(f"{original.name} is already in as such a file. Discard this one.")
    try:
        rows = open_intake(intake).first_rows(PREVIEW_ROWS)
    except UnreadableFile as problem:
        raise Problem(f"{original.name}: {problem}") from problem
    mapping, guesses = _guessed(study, original, role, rows)
    if isinstance(mapping, MemberMapping):
        mapping = replace(mapping, dated=_spoken_of(study))
    intake.role, intake.mapping = role, asdict(mapping)
    intake.guesses, intake.scale = [asdict(g) for g in guesses], scale_of(rows, mapping)
    intake.state, intake.error, intake.revision = Intake.REVIEW, "", intake.revision + 1
    intake.save()
    return intake


def read_in(intake: Intake, encoding: str) -> Intake:
    """Read a file under review as text of another encoding, its columns guessed anew.

    Raises
    ------
    Problem
        There is no such encoding, or the file counts as it was read.
    """
    if encoding not in ENCODINGS:
        raise Problem(f"An encoding is one of these: {', '.join(ENCODINGS)}.")
    original = intake.original
    counted = Intake.objects.filter(original=original).exclude(pk=intake.pk)
    if counted.exclude(state__in=(Intake.REVIEW, Intake.FAILED, Intake.REMOVED)).exists():
        raise Problem("This file counts as it was read. Remove it first, then import it again.")
    with transaction.atomic():
        original.encoding = encoding
        original.save(update_fields=["encoding"])
        return read_as(intake, intake.role)


def _joined(intake: Intake) -> Intake:
    """The file under review, or the lines that it holds the heads of, or its own with theirs.

    Files of lines and of heads can come in either order.
    """
    waiting = Intake.objects.filter(study=intake.study, state=Intake.REVIEW, heads=None)
    others = list(waiting.exclude(pk=intake.pk).select_related("original"))
    if intake.role == Intake.LOG:
        found = heads_for(intake, others)
        if found is not None:
            return join_heads(intake, *found)
    for lines in others:
        found = heads_for(lines, [intake]) if lines.role == Intake.LOG else None
        if found is not None:
            return join_heads(lines, *found)
    return intake


def join_heads(lines: Intake, heads: Intake, by: tuple[str, str]) -> Intake:
    """Read lines together with the heads of their receipts, which are a file of their own."""
    lines.heads, lines.heads_by = heads.original, list(by)
    rows = open_intake(lines).first_rows(PREVIEW_ROWS)
    mapping, guesses = guess_log(rows, lambda texts: known_cards(lines.study, texts))
    lines.scale = money_scale(rows, mapping)
    with transaction.atomic():
        lines.mapping, lines.guesses = asdict(mapping), [asdict(g) for g in guesses]
        lines.save()
        heads.delete()
    return lines


def part_heads(lines: Intake) -> Intake:
    """Read lines and heads each on its own again."""
    if lines.state not in (Intake.REVIEW, Intake.FAILED) or lines.heads is None:
        raise Problem("Only lines under review can be read without their heads.")
    heads = lines.heads
    rows = open_original(lines.original).first_rows(PREVIEW_ROWS)
    mapping, guesses = guess_log(rows, lambda texts: known_cards(lines.study, texts))
    lines.heads, lines.heads_by = None, []
    lines.mapping, lines.guesses = asdict(mapping), [asdict(g) for g in guesses]
    lines.scale = money_scale(rows, mapping)
    lines.revision += 1
    lines.save()
    file = open_original(heads)
    theirs = file.first_rows(PREVIEW_ROWS)
    role = guess_role(lines.study, file, theirs)
    told, why = guess_as(lines.study, role, theirs)
    Intake.objects.create(
        study=lines.study, original=heads, role=role, mapping=asdict(told),
        guesses=[asdict(g) for g in why], received_on=timezone.localdate(),
    )  # fmt: skip
    return lines


def _remembered(study: Study, role: str, names: tuple[str, ...]) -> dict[str, Any] | None:
    """The mapping of the last counted file with the same columns, in whatever order."""
    counted = Intake.objects.filter(study=study, role=role, state=Intake.COUNTED, heads=None)
    for intake in counted.order_by("-id"):
        before = {g["column"] for g in intake.guesses}
        if before == set(names):
            return {**intake.mapping, **({"dated": ""} if role == Intake.MEMBERS else {})}
    return None


def change_mapping(intake: Intake, mapping: dict[str, Any]) -> Intake:
    """Correct the mapping of a file under review."""
    if intake.state not in (Intake.REVIEW, Intake.FAILED):
        raise Problem("This file is already imported. Remove it first to read it differently.")
    names = tuple(g["column"] for g in intake.guesses)
    try:
        parsed = mapping_of(intake.role, mapping)
        # Columns are named one after the other; what is still missing is told beside them.
        parsed.fits(names)
        if isinstance(parsed, LogMapping):
            rows = open_intake(intake).first_rows(PREVIEW_ROWS)
            parsed = parsed.read_anew(rows, LogMapping(**intake.mapping))
            intake.scale = money_scale(rows, parsed)
    except (MappingError, UnreadableFile) as problem:
        raise Problem(str(problem)) from problem
    intake.mapping, intake.state, intake.error = asdict(parsed), Intake.REVIEW, ""
    intake.revision += 1
    intake.save(update_fields=["mapping", "state", "error", "revision", "scale"])
    return intake


def count_intake(intake: Intake, person: Any) -> Job:
    """Start reading a reviewed file into the ledger."""
    if intake.state not in (Intake.REVIEW, Intake.FAILED, Intake.READING):
        raise Problem("This file is already imported.")
    names = tuple(g["column"] for g in intake.guesses)
    try:
        mapping_of(intake.role, intake.mapping).ready(names)
    except MappingError as problem:
        raise Problem(str(problem)) from problem
    Intake.objects.filter(pk=intake.pk).update(state=Intake.READING, error="")
    return work.start(
        intake.study_id, "ledger.intake", fingerprint("intake", intake.pk),
        f"Counting {intake.original.name}", person, {"intake": intake.pk},
    )  # fmt: skip


def drop_review(intake: Intake) -> None:
    """Put a file under review aside again; nothing of it was counted."""
    if intake.state not in (Intake.REVIEW, Intake.FAILED):
        raise Problem("Only a file under review can be discarded. Remove an imported one instead.")
    if intake.original.attachment is not None:
        _drop_attached(intake)
        return
    files = [intake.original, intake.heads]
    intake.delete()
    for original in files:
        if original is not None:
            transaction.on_commit(partial(remove_original, original))


def _drop_attached(intake: Intake) -> None:
    """Put a file of an attached log aside: on its own with the whole log, else it is kept as taken
    back, so that nobody finds it again as a new one."""
    attachment = intake.original.attachment
    assert attachment is not None
    let_go(intake.original)
    if Intake.objects.filter(original__attachment=attachment).exclude(pk=intake.pk).exists():
        Intake.objects.filter(pk=intake.pk).update(state=Intake.REMOVED)
        return
    intake.delete()
    attachment.delete()


def remove_intake(intake: Intake, person: Any) -> None:
    """Stop counting a file. Its lines stay stored, so that this can be undone."""
    if intake.state != Intake.COUNTED:
        raise Problem("Only an imported file can be removed.")
    with changing(intake.study_id):
        Intake.objects.filter(pk=intake.pk).update(state=Intake.REMOVED)
        follow_files(intake.study_id)
        record(
            intake.study, person, "take back intake", f"Removed {intake.original.name}",
            f"intake:{intake.pk}", Intake.COUNTED, Intake.REMOVED,
        )  # fmt: skip


def change_columns(intake: Intake) -> Intake:
    """Put a counted file up for review again; counted anew, it takes the place of what it was.

    The kept original is read again, and until then nothing changes.
    """
    if intake.state != Intake.COUNTED:
        raise Problem("Only an imported file can have its columns changed.")
    waiting = Intake.objects.filter(replaces=intake).exclude(
        state__in=(Intake.COUNTED, Intake.REMOVED)
    )
    return waiting.first() or Intake.objects.create(
        study=intake.study, original=intake.original, role=intake.role, mapping=intake.mapping,
        guesses=intake.guesses, received_on=intake.received_on, overlap=intake.overlap,
        heads=intake.heads, heads_by=intake.heads_by, replaces=intake, scale=intake.scale,
    )  # fmt: skip


def choose_overlap(intake: Intake, person: Any, choice: str) -> None:
    """Say what becomes of receipts that an earlier file has too."""
    if choice not in OVERLAPS:
        raise Problem("Receipts that came before are skipped, replaced, or both are kept.")
    if intake.role != Intake.LOG or intake.state != Intake.COUNTED:
        raise Problem("Only an imported log can overlap another.")
    before = intake.overlap
    words = {
        "both": "Keep the receipts of both files", "skip": "Skip what came before",
        "replace": "Replace what came before",
    }[choice]  # fmt: skip
    with changing(intake.study_id):
        Intake.objects.filter(pk=intake.pk).update(overlap=choice, revision=F("revision") + 1)
        record(
            intake.study, person, "overlap", f"{words}: {intake.original.name}",
            f"intake:{intake.pk}", before, choice,
        )  # fmt: skip
    order_anew(intake.study, person)


@reverses("overlap")
def _reverse_overlap(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    number = int(entry.target.removeprefix("intake:"))
    if not Intake.objects.filter(pk=number, overlap=there).update(overlap=wanted):
        raise Conflict("Something else was chosen for this file since, so it stays as it is.")


@reverses("count intake")
@reverses("take back intake")
def _reverse_removal(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    intake = Intake.objects.get(pk=int(entry.target.removeprefix("intake:")))
    try:
        with transaction.atomic():
            changed = Intake.objects.filter(pk=intake.pk, state=there).update(state=wanted)
            if changed and intake.replaces_id and entry.action == "count intake":
                # What the same file was before stands where this reading of it does not.
                changed = Intake.objects.filter(pk=intake.replaces_id, state=wanted).update(
                    state=there
                )
                if not changed:
                    raise IntegrityError
            follow_files(intake.study_id)
    except IntegrityError:
        changed = 0
    if not changed:
        raise Conflict("The same file was imported again since, so this stays as it is.")
