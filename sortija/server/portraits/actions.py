"""What a person can do at Portraits: name a segment, mark it, give it an owner, write notes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sortija.core.portraits.marks import MARKS, changed_marks
from sortija.core.portraits.naming import MOST_NAME, MOST_SHORT, short_form
from sortija.server.groups.models import Segment
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Membership
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["MOST_NOTES", "Former", "change_segment", "former_names"]

_FIELDS = ("name", "short", "notes", "owner_id")
MOST_NOTES = 4_000


def change_segment(
    segment: Segment, person: Any, changes: dict[str, Any], expected: int
) -> Segment:
    """Change name, short name, notes, mark, or the ``owner``, a member (0: nobody); undo takes it
    back.

    A mark that another segment has is exchanged with it.

    Raises
    ------
    Problem
        Empty, too long, another segment has this name, nobody of the study, or no such mark.
    Conflict
        Somebody changed the segment since it was read.
    """
    study = segment.yardstick.study
    with changing(study):
        segment = Segment.objects.select_related("yardstick").get(pk=segment.pk)
        if expected != segment.revision:
            raise Conflict(
                f"{segment.name} was changed since you loaded this page.", name=segment.name
            )
        if changes.get("mark") is not None:
            segment = _mark(segment, person, changes["mark"])
        before = {field: getattr(segment, field) for field in _FIELDS}
        after = {**before, **_checked(segment, changes)}
        if before == after:
            return segment
        for field, value in after.items():
            setattr(segment, field, value)
        segment.revision += 1
        segment.save()
        words = (
            f"Renamed {before['name']} to {after['name']}"
            if before["name"] != after["name"]
            else f"Changed {after['name']}"
        )
        record(study, person, "segment", words, f"segment:{segment.pk}", before, after)
    return segment


def _checked(segment: Segment, changes: dict[str, Any]) -> dict[str, Any]:
    texts = {f: v.strip() for f, v in changes.items() if f in _FIELDS and isinstance(v, str)}
    out: dict[str, Any] = dict(texts)
    others = list(segment.yardstick.segments.exclude(pk=segment.pk))
    if "name" in out:
        if not 1 <= len(out["name"]) <= MOST_NAME:
            raise Problem(f"A name has 1 to {MOST_NAME} letters.")
        if out["name"].lower() in (other.name.lower() for other in others):
            raise Problem(f"Another segment is called {out['name']} already.")
        out.setdefault("short", short_form(out["name"], [o.short for o in others]))
    if "short" in out:
        if not 1 <= len(out["short"]) <= MOST_SHORT:
            raise Problem(f"A short name has 1 to {MOST_SHORT} letters.")
        if "short" in texts and out["short"].lower() in (o.short.lower() for o in others):
            raise Problem(f"Another segment has the short name {out['short']} already.")
    if len(out.get("notes", "")) > MOST_NOTES:
        raise Problem(f"Notes have up to {MOST_NOTES:,} letters.")
    if changes.get("owner") is not None:
        out["owner_id"] = _owner(segment, changes["owner"])
    return out


def _owner(segment: Segment, member: int) -> int | None:
    """The person that a member of the study is; None for 0."""
    if member == 0:
        return None
    found = Membership.objects.filter(study=segment.yardstick.study_id, pk=member).first()
    if found is None:
        raise Problem("Whoever looks after a segment is a member of the study.")
    return found.person_id


def _mark(segment: Segment, person: Any, wanted: int) -> Segment:
    """Give the segment a mark; whoever had its shape or colour takes the former one."""
    if not 0 <= wanted < MARKS:
        raise Problem(f"Marks go from 0 to {MARKS - 1}.")
    every = list(segment.yardstick.segments.select_for_update())
    place = next(n for n, each in enumerate(every) if each.pk == segment.pk)
    marks = changed_marks([each.mark for each in every], place, wanted)
    before = {str(each.pk): each.mark for each in every}
    after = {str(each.pk): mark for each, mark in zip(every, marks, strict=True)}
    if before == after:
        return segment
    _set_marks(every, after)
    words = f"Gave {segment.name} another mark"
    record(segment.yardstick.study, person, "marks", words, f"segment:{segment.pk}", before, after)
    return every[place]


def _set_marks(segments: list[Segment], marks: dict[str, int]) -> None:
    for segment in segments:
        if segment.mark != marks[str(segment.pk)]:
            segment.mark = marks[str(segment.pk)]
            segment.revision += 1
            segment.save(update_fields=["mark", "revision"])


@dataclass(frozen=True)
class Former:
    """A name that a segment had: until when, and who gave it another one."""

    name: str
    short: str
    until: str
    who: str


def former_names(segment: Segment) -> list[Former]:
    """The names that a segment had before, the last one first, each once."""
    entries = (
        HistoryEntry.objects.filter(
            study=segment.yardstick.study_id, target=f"segment:{segment.pk}", action="segment",
            undone_at=None,
        )
        .select_related("person")
        .order_by("-id")
    )  # fmt: skip
    found: dict[str, Former] = {}
    for entry in entries:
        name = entry.before["name"]
        if name == segment.name or name == entry.after["name"] or name in found:
            continue
        who = entry.person.username if entry.person else "somebody"
        found[name] = Former(name, entry.before["short"], entry.at.isoformat(), who)
    return list(found.values())


@reverses("segment")
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    segment = Segment.objects.get(pk=int(entry.target.removeprefix("segment:")))
    if any(getattr(segment, field) != value for field, value in there.items()):
        raise Conflict(f"{segment.name} was changed by someone since, so it stays as it is.")
    for field, value in wanted.items():
        setattr(segment, field, value)
    segment.revision += 1
    segment.save()


@reverses("marks")
def _reverse_marks(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    segments = list(Segment.objects.filter(pk__in=[int(pk) for pk in there]))
    if any(segment.mark != there[str(segment.pk)] for segment in segments):
        raise Conflict("The marks were changed by someone since, so they stay as they are.")
    _set_marks(segments, wanted)
