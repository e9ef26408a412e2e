"""What a person can do at Portraits: rename a segment, write notes to it."""

from __future__ import annotations

from typing import Any

from sortija.core.portraits.naming import MOST_NAME, MOST_SHORT, short_form
from sortija.server.groups.models import Segment
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["change_segment"]

_FIELDS = ("name", "short", "notes")


def change_segment(
    segment: Segment, person: Any, changes: dict[str, str], expected: int
) -> Segment:
    """Change name, short name or notes; undo brings the former ones back.

    Raises
    ------
    Problem
        Empty, too long, or another segment has this name.
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


def _checked(segment: Segment, changes: dict[str, str]) -> dict[str, str]:
    out = {field: value.strip() for field, value in changes.items() if field in _FIELDS}
    others = list(segment.yardstick.segments.exclude(pk=segment.pk))
    if "name" in out:
        if not 1 <= len(out["name"]) <= MOST_NAME:
            raise Problem(f"A name has 1 to {MOST_NAME} letters.")
        if out["name"].lower() in (other.name.lower() for other in others):
            raise Problem(f"Another segment is called {out['name']} already.")
        out.setdefault("short", short_form(out["name"], [o.short for o in others]))
    if "short" in out and not 1 <= len(out["short"]) <= MOST_SHORT:
        raise Problem(f"A short name has 1 to {MOST_SHORT} letters.")
    return out


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
