"""What a person can do with a watch: make it, change when it fires, delete it."""

from __future__ import annotations

from typing import Any

from sortija.server.crossings.models import Watch
from sortija.server.crossings.states import states_of
from sortija.server.crossings.watches.watched import Rule, Watched, checked_rule
from sortija.server.groups.actions import yardstick_of
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["change_watch", "drop_watch", "watch"]

#: Each new date takes time for each of them.
MOST = 40


def watch(
    study: Study, person: Any, name: str, watched: Watched, back: str, rule: Rule,
    number: int | None,
) -> Watch:  # fmt: skip
    """Keep a rule that is read at every new date.

    Raises
    ------
    Problem
        Nothing is adopted, the rule speaks of nothing, or there are too many.
    """
    with changing(study):
        yardstick = yardstick_of(study)
        if yardstick is None:
            raise Problem("Adopt groups first; watches speak of their segments.")
        if Watch.objects.filter(study=study, yardstick=yardstick, dropped=False).count() >= MOST:
            raise Problem(f"There are {MOST} watches already. Delete one that is not needed.")
        states = states_of(yardstick)
        about = watched.checked(len(states))
        made = Watch.objects.create(
            study=study, yardstick=yardstick, name=_named(name) or about.called(states)[:120],
            about=about.model_dump(), back=back, rule=rule,
            number=checked_rule(about.kind, rule, number), person=person,
        )  # fmt: skip
        record(study, person, "watch", f"Watches {made.name}", f"watch:{made.pk}", True, False)
    return made


def _named(name: str) -> str:
    name = name.strip()
    if len(name) > 120:
        raise Problem("A watch's name has at most 120 letters.")
    return name


def change_watch(
    row: Watch, person: Any, name: str, rule: Rule, number: int | None, expected: int
) -> Watch:
    """Give a watch another name, or let it fire at another number."""
    with changing(row.study_id):
        row = _unchanged(row, expected)
        about = Watched.model_validate(row.about)
        wanted = [_named(name) or row.name, rule, checked_rule(about.kind, rule, number)]
        before = _said(row)
        if wanted == before:
            return row
        _say(row, wanted)
        record(
            row.study, person, "change watch", f"Changed the watch {row.name}",
            f"watch:{row.pk}", before, wanted,
        )  # fmt: skip
    return row


def drop_watch(row: Watch, person: Any, expected: int) -> None:
    """Watch it no longer; what was read stays, for undo."""
    with changing(row.study_id):
        row = _unchanged(row, expected)
        _set_dropped(row, True)
        record(
            row.study, person, "watch", f"Deleted the watch {row.name}", f"watch:{row.pk}",
            False, True,
        )  # fmt: skip


def _unchanged(row: Watch, expected: int) -> Watch:
    row = Watch.objects.select_related("study").get(pk=row.pk)
    if row.revision != expected:
        raise Conflict(f"The watch {row.name} was changed since you loaded this page.")
    return row


def _said(row: Watch) -> list[Any]:
    return [row.name, row.rule, row.number]


def _say(row: Watch, words: list[Any]) -> None:
    row.name, row.rule, row.number = words
    row.revision += 1
    row.save(update_fields=["name", "rule", "number", "revision"])


def _set_dropped(row: Watch, dropped: bool) -> None:
    row.dropped, row.revision = dropped, row.revision + 1
    row.save(update_fields=["dropped", "revision"])


def _of(entry: HistoryEntry) -> Watch:
    return Watch.objects.get(pk=int(entry.target.removeprefix("watch:")))


@reverses("watch")
def _reverse_watching(entry: HistoryEntry, forward: bool) -> None:
    _set_dropped(_of(entry), entry.after if forward else entry.before)


@reverses("change watch")
def _reverse_change(entry: HistoryEntry, forward: bool) -> None:
    row = _of(entry)
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    if _said(row) != there:
        raise Conflict(f"The watch {row.name} was changed by someone since, so it stays as it is.")
    _say(row, wanted)
