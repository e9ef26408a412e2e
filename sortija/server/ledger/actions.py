"""What a person can do at the Ledger."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import UnreadableFile
from sortija.core.ledger.lines import money_scale
from sortija.core.ledger.mapping import (
    LogMapping,
    MappingError,
    MemberMapping,
    guess_log,
    guess_members,
)
from sortija.core.ledger.rules import RULES, STAFF_PATTERNS
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.ledger import (
    DEFAULT_RULES,
    RULES_SETTING,
    STAFF_SETTING,
    Ledger,
    build_log,
    ledger_of,
)
from sortija.server.ledger.models import Card, Intake, Original
from sortija.server.ledger.uploads import earlier_intake, path_of
from sortija.server.studies.actions import change_setting, read_setting, record, reverses
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = [
    "change_mapping",
    "choose_staff",
    "count_intake",
    "drop_review",
    "review",
    "switch_rule",
    "take_back_intake",
]

PREVIEW_ROWS = 2000
MOST_PATTERNS = 200
#: Up to so many lines are ordered within the request.
INLINE_LINES = 1_000_000


def guess_role(rows: Any) -> str:
    """A log repeats its customers and carries amounts; a customer table names each once."""
    mapping, _ = guess_log(rows)
    return Intake.LOG if "total" in mapping.roles or "receipt" in mapping.roles else Intake.MEMBERS


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
        file = open_rows(path_of(original), original.name)
        rows = file.first_rows(PREVIEW_ROWS)
    except UnreadableFile as problem:
        raise Problem(f"{original.name}: {problem}") from problem
    role = role or guess_role(rows)
    earlier = earlier_intake(original, role)
    if earlier is not None:
        if earlier.state == Intake.REVIEW:
            return earlier
        raise Conflict(
            f"{original.name} is already in: the same file came as {earlier.original.name} "
            f"on {earlier.made_at:%d %b %Y}. Nothing was brought in twice.",
            intake=earlier.pk,
        )
    mapping, guesses = (
        guess_log(rows, lambda texts: _known(study, texts))
        if role == Intake.LOG
        else guess_members(rows)
    )
    remembered = _remembered(study, role, file.names)
    if (
        isinstance(mapping, LogMapping)
        and not Intake.objects.filter(study=study, role=Intake.LOG, state=Intake.COUNTED).exists()
    ):
        study.scale = money_scale(rows, mapping)
        study.save(update_fields=["scale"])
    return Intake.objects.create(
        study=study, original=original, role=role, mapping=remembered or asdict(mapping),
        guesses=[asdict(g) for g in guesses], received_on=timezone.localdate(),
    )  # fmt: skip


def _known(study: Study, texts: list[str]) -> float:
    """Share of these texts that are cards of the study."""
    found = Card.objects.filter(study=study, code__in=texts).count()
    return found / len(texts) if texts else 0.0


def _remembered(study: Study, role: str, names: tuple[str, ...]) -> dict[str, Any] | None:
    """The mapping of the last counted file with the same columns."""
    for intake in Intake.objects.filter(study=study, role=role, state=Intake.COUNTED).order_by(
        "-id"
    ):
        if [g["column"] for g in intake.guesses] == list(names):
            return dict(intake.mapping)
    return None


def change_mapping(intake: Intake, mapping: dict[str, Any]) -> Intake:
    """Correct the mapping of a file under review."""
    if intake.state not in (Intake.REVIEW, Intake.FAILED):
        raise Problem("This file is already counted. Take it back first to read it differently.")
    names = tuple(g["column"] for g in intake.guesses)
    try:
        parsed = LogMapping(**mapping) if intake.role == Intake.LOG else MemberMapping(**mapping)
        parsed.check(names)
    except (MappingError, TypeError) as problem:
        raise Problem(str(problem)) from problem
    intake.mapping, intake.state, intake.error = asdict(parsed), Intake.REVIEW, ""
    intake.revision += 1
    intake.save(update_fields=["mapping", "state", "error", "revision"])
    return intake


def count_intake(intake: Intake, person: Any) -> Job:
    """Start reading a reviewed file into the ledger."""
    if intake.state not in (Intake.REVIEW, Intake.FAILED, Intake.READING):
        raise Problem("This file is already counted.")
    names = tuple(g["column"] for g in intake.guesses)
    try:
        mapping: LogMapping | MemberMapping = (
            LogMapping(**intake.mapping)
            if intake.role == Intake.LOG
            else MemberMapping(**intake.mapping)
        )
        mapping.ready(names)
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
        raise Problem("Only a file under review can be put aside. Take a counted one back instead.")
    intake.delete()


def take_back_intake(intake: Intake, person: Any) -> None:
    """Stop counting a file. Its lines stay stored, so that this can be undone."""
    if intake.state != Intake.COUNTED:
        raise Problem("Only a counted file can be taken back.")
    with transaction.atomic():
        Intake.objects.filter(pk=intake.pk).update(state=Intake.TAKEN_BACK)
        record(
            intake.study, person, "take back intake", f"Took back {intake.original.name}",
            f"intake:{intake.pk}", Intake.COUNTED, Intake.TAKEN_BACK,
        )  # fmt: skip


@reverses("count intake")
@reverses("take back intake")
def _reverse_take_back(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    number = int(entry.target.removeprefix("intake:"))
    try:
        with transaction.atomic():
            changed = Intake.objects.filter(pk=number, state=there).update(state=wanted)
    except IntegrityError:
        changed = 0
    if not changed:
        raise Conflict("The same file was brought in again since, so this stays as it is.")


def switch_rule(
    study: Study, person: Any, key: str, on: bool, expected: int | None = None
) -> tuple[list[str], int]:
    """Switch one rule; every total changes with it. Returns the rules that are on, and revision."""
    rule = next((r for r in RULES if r.key == key), None)
    if rule is None:
        raise Problem(f"There is no rule called {key}.", 404)
    if rule.fixed:
        raise Problem(f"“{rule.name}” stays on. {rule.fixed}")
    words = f"Switched “{rule.name}” {'on' if on else 'off'}"
    with transaction.atomic():
        Study.objects.select_for_update().get(pk=study.pk)
        present, _ = read_setting(study, RULES_SETTING, DEFAULT_RULES)
        chosen = [r.key for r in RULES if (on if r.key == key else r.key in present)]
        revision = change_setting(
            study, person, RULES_SETTING, chosen, words, DEFAULT_RULES, expected
        )
    return chosen, revision


def choose_staff(
    study: Study, person: Any, patterns: list[str], expected: int | None = None
) -> int:
    """Say which cards are staff's or a test's, by code or pattern; returns the new revision.

    Their bits are worked out again: at once for a small ledger, else by a job.

    Raises
    ------
    Problem
        More patterns than anybody can keep in mind, or one that means every card.
    """
    wanted = list(dict.fromkeys(pattern.strip() for pattern in patterns if pattern.strip()))
    if len(wanted) > MOST_PATTERNS or any(len(pattern) > 60 for pattern in wanted):
        raise Problem(f"A list has at most {MOST_PATTERNS} codes or patterns of 60 letters.")
    if any(not pattern.strip("*?") for pattern in wanted):
        raise Problem("“*” alone means every card. Write what staff cards have in common.")
    words = f"Staff and test cards: {', '.join(wanted) or 'none'}"
    revision = change_setting(
        study, person, STAFF_SETTING, wanted, words, list(STAFF_PATTERNS), expected
    )
    ledger = ledger_of(study)
    if ledger is not None and not ledger.built:
        order_lines(ledger, person)
    return revision


def order_lines(ledger: Ledger, person: Any) -> None:
    """Order the lines anew after a change that is no new file."""
    if sum(int(intake.report.get("lines", 0)) for intake in ledger.intakes) <= INLINE_LINES:
        build_log(ledger)
        return
    work.start(ledger.study.pk, "ledger.order", ledger.stamp, "Ordering the ledger's lines", person)
