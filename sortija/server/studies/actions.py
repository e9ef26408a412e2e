"""What people do to a study: begin it, choose settings, undo and redo."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction
from django.db.models import F
from django.http import Http404
from django.utils import timezone

from sortija.server.accounts.models import Person
from sortija.server.hooks import Hooks
from sortija.server.studies.models import HistoryEntry, Membership, Population, Setting, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.request_cache import is_reading, once

__all__ = [
    "change_setting",
    "change_settings",
    "changing",
    "membership",
    "read_setting",
    "record",
    "redo",
    "reverses",
    "start_study",
    "study_for",
    "touch",
    "undo",
]

#: Takes back (forward=False) or brings back (forward=True) one kind of action.
Reverser = Callable[[HistoryEntry, bool], None]
_REVERSERS: Hooks[Reverser] = Hooks("how actions are undone")


def membership(person: Any, study_id: int) -> Membership:
    """The person's membership of a study that is not binned; Http404 for everyone else."""
    found = (
        Membership.objects.select_related("study")
        .filter(study_id=study_id, person=person, study__binned_at=None)
        .first()
    )
    if found is None:
        raise Http404("There is no such study among yours.")
    return found


def study_for(person: Any, study_id: int, role: str = "reader") -> Study:
    """The study, if the person has at least this role in it.

    Raises
    ------
    Http404
        No such study, or not one of theirs.
    Problem
        403: theirs, but the role does not allow it.
    """
    found = membership(person, study_id)
    if not found.at_least(role):
        raise Problem(
            f"You are a {found.role} of {found.study.name}. Ask an owner for the role of {role}.",
            403,
        )
    return found.study


def start_study(person: Person, name: str, currency: str = "£") -> Study:
    """A new, empty study that belongs to the person."""
    if not name.strip():
        raise Problem("Give the study a name, such as the name of the shop.")
    with transaction.atomic():
        study = Study.objects.create(name=name.strip(), currency=currency)
        Membership.objects.create(study=study, person=person, role="owner")
        Population.objects.create(study=study)
    return study


@contextmanager
def changing(study: Study | int) -> Iterator[None]:
    """A transaction in which nobody else changes this study.

    Whoever changes anything of a study comes in here first. Two that took the same rows in
    different orders would wait for each other, and the database would end one of them.
    """
    with transaction.atomic():
        # Rows that name the study can still be written: no more than its revision changes.
        pk = study if isinstance(study, int) else study.pk
        Study.objects.select_for_update(no_key=True).only("pk").get(pk=pk)
        yield


def touch(study: Study) -> int:
    """Raise the study's revision, so that every open screen notices; returns the new one."""
    Study.objects.filter(pk=study.pk).update(revision=F("revision") + 1)
    study.refresh_from_db(fields=["revision"])
    return study.revision


def record(
    study: Study, person: Any, action: str, words: str, target: str, before: Any, after: Any
) -> HistoryEntry:
    """Write down what was done, in the transaction that does it."""
    return HistoryEntry.objects.create(
        study=study, person=person, action=action, words=words[:300], target=target,
        before=before, after=after, revision=touch(study),
    )  # fmt: skip


def reverses(action: str) -> Callable[[Reverser], Reverser]:
    """Register how one kind of action is undone and redone."""

    def register(function: Reverser) -> Reverser:
        return _REVERSERS.add(function, action)

    return register


def read_setting(study: Study, key: str, default: Any) -> tuple[Any, int]:
    """(value, revision) of a setting; the default at revision 0 where none was chosen."""
    if is_reading():
        return _settings(study).get(key, (default, 0))
    row = Setting.objects.filter(study=study, key=key).first()
    return (row.value, row.revision) if row else (default, 0)


@once
def _settings(study: Study) -> dict[str, tuple[Any, int]]:
    """All of them at once, for whoever reads one soon reads another."""
    rows = Setting.objects.filter(study=study).values_list("key", "value", "revision")
    return {key: (value, revision) for key, value, revision in rows}


def change_setting(
    study: Study, person: Any, key: str, value: Any, words: str,
    default: Any = None, expected: int | None = None,
) -> int:  # fmt: skip
    """Choose a value, with a history entry; returns the setting's new revision.

    Raises
    ------
    Conflict
        ``expected`` is not the present revision: somebody changed it since.
    """
    with changing(study):
        before, revision = read_setting(study, key, default)
        if expected is not None and expected != revision:
            raise Conflict(
                f"{_last_to_change(study, key)} changed this since you loaded this page. "
                "The present state is shown; change it again if it is not what you want.",
                theirs=before,
                revision=revision,
            )
        if before == value and revision:
            return revision
        _store(study, key, value, revision + 1)
        record(study, person, "setting", words, f"setting:{key}", before, value)
    return revision + 1


def change_settings(
    study: Study, person: Any, values: dict[str, Any], words: str, defaults: dict[str, Any]
) -> None:
    """Choose the values of several settings that belong together, as one step of the history."""
    with changing(study):
        before = {}
        for key, value in values.items():
            before[key], revision = read_setting(study, key, defaults[key])
            _store(study, key, value, revision + 1)
        record(study, person, "settings", words, f"settings:{','.join(values)}", before, values)


@reverses("settings")
def _reverse_settings(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    present = {key: read_setting(entry.study, key, None) for key in there}
    for key, (value, _) in present.items():
        if value != there[key]:
            raise Conflict(
                f"{_last_to_change(entry.study, key)} has changed this since, so it stays as it is."
            )
    for key, (_, revision) in present.items():
        _store(entry.study, key, wanted[key], revision + 1)


def _last_to_change(study: Study, key: str) -> str:
    entry = study.history.filter(target=f"setting:{key}").order_by("-id").first()
    return (entry.person.get_full_name() or entry.person.username) if entry and entry.person else (
        "Somebody")  # fmt: skip


def _store(study: Study, key: str, value: Any, revision: int) -> None:
    Setting.objects.update_or_create(
        study=study, key=key, defaults={"value": value, "revision": revision}
    )


@reverses("setting")
def _reverse_setting(entry: HistoryEntry, forward: bool) -> None:
    key = entry.target.removeprefix("setting:")
    present, revision = read_setting(entry.study, key, None)
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    if present != there:
        raise Conflict(
            f"{_last_to_change(entry.study, key)} has changed this since, so it stays as it is."
        )
    _store(entry.study, key, wanted, revision + 1)


def undo(study: Study, person: Any) -> HistoryEntry:
    """Undo the person's own last change to this study that still stands."""
    return _step(study, person, forward=False)


def redo(study: Study, person: Any) -> HistoryEntry:
    """Redo the change that the person took back last, unless they did something since."""
    return _step(study, person, forward=True)


def _step(study: Study, person: Any, forward: bool) -> HistoryEntry:
    with changing(study):
        mine = HistoryEntry.objects.filter(study=study, person=person)
        if forward:
            entry = mine.exclude(undone_at=None).order_by("-undone_at").first()
            last = mine.filter(undone_at=None).order_by("-id").first()
            if entry and last and last.id > entry.id and last.at > (entry.undone_at or last.at):
                entry = None  # something new was done since: what was undone stays so
        else:
            entry = mine.filter(undone_at=None).order_by("-id").first()
        if entry is None:
            raise Problem("There is nothing to redo." if forward else "Nothing to undo.")
        reverser = _REVERSERS.get(entry.action)
        if reverser is None:
            raise Problem(f"“{entry.words}” cannot be undone.")
        reverser(entry, forward)
        entry.undone_at = None if forward else timezone.now()
        entry.save(update_fields=["undone_at"])
        touch(study)
    return entry
