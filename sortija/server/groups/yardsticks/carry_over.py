"""Who a segment is: carried over from the yardstick before, and swapped by hand."""

from __future__ import annotations

from typing import Any

import numpy as np

from sortija.core.groups.compare import carry_over, cross_table
from sortija.core.portraits.marks import SHAPES, shape_of
from sortija.core.portraits.naming import short_form
from sortija.server.groups.actions import carries_over, checked_yardstick
from sortija.server.groups.models import Segment, Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["home_of", "swap"]

_IDENTITY = ("mark", "name", "short", "notes", "owner_id", "carried_id", "carried_share")


def home_of(yardstick: Yardstick) -> WindowInView:
    """The window that a yardstick was decided on."""
    return WindowInView.parse(yardstick.home)


@carries_over
def _carry_over(before: Yardstick, after: Yardstick) -> None:
    """New segments take name, mark and notes of the old ones that they share most customers with.

    Both yardsticks place the customers of the new one's home window; what was renamed by hand
    keeps its name. Segments without an heir are told by name.
    """
    window, study = home_of(after), after.study
    old, new = assignment_at(study, before, window), assignment_at(study, after, window)
    if old is None or new is None:
        return
    first, second = (
        np.where(p.placement.state < p.placement.k, p.placement.state, -1) for p in (old, new)
    )
    table = cross_table(first, second, before.k, after.k)
    heirs = carry_over(table)
    former = list(before.segments.all())
    segments = list(after.segments.all())
    shapes = {shape_of(former[a].mark) for a in heirs if a >= 0}
    free = [mark for mark in range(SHAPES) if mark not in shapes]
    ladder = after.ladder is not None
    for place, segment in enumerate(segments):
        a = int(heirs[place])
        if a < 0:
            segment.mark = free.pop(0)
            continue
        parent = former[a]
        union = table[a].sum() + table[:, place].sum() - table[a, place]
        segment.carried, segment.carried_share = parent, float(table[a, place] / union)
        segment.mark, segment.owner_id = parent.mark, parent.owner_id
        segment.notes = _together(segment.notes, parent.notes)
        if not ladder:  # tiers are called as the ladder calls them
            segment.name, segment.short = parent.name, parent.short
    _apart(segments)
    for segment in segments:
        segment.save()
    after.vanished = [s.name for a, s in enumerate(former) if a not in heirs.tolist()]
    after.save(update_fields=["vanished"])


def _together(own: str, former: str) -> str:
    """Notes of both, each said once."""
    if own in former:
        return former
    return own if former in own else f"{own}\n\n{former}"


def _apart(segments: list[Segment]) -> None:
    """No two of one name: a new segment gives way to one that was carried over."""
    taken = {s.name.lower() for s in segments if s.carried_id}
    shorts = [s.short for s in segments if s.carried_id]
    for segment in segments:
        if segment.carried_id:
            continue
        names = [segment.name, *(p["name"] for p in segment.proposals)]
        names += [f"{segment.name[:36]} {n}" for n in range(2, SHAPES + 2)]
        segment.name = next(name for name in names if name.lower() not in taken)
        segment.short = short_form(segment.name, shorts)
        taken.add(segment.name.lower())
        shorts.append(segment.short)


def swap(study: Study, person: Any, first: int, second: int, seen: int) -> None:
    """Two segments of the yardstick in use change name, mark and notes with each other.

    Raises
    ------
    Problem
        They are not two segments of one yardstick of this study.
    Conflict
        Another yardstick came into use since the person looked.
    """
    with changing(study):
        checked_yardstick(study, seen)
        segments = list(
            Segment.objects.select_related("yardstick").filter(
                pk__in=(first, second), yardstick__study=study, yardstick__retired=False
            )
        )  # fmt: skip
        if len(segments) != 2 or segments[0].yardstick_id != segments[1].yardstick_id:
            raise Problem("Pick two segments of the yardstick in use.", 404)
        a, b = segments
        words = f"{a.name} and {b.name} changed identities"
        _change_places(a, b)
        names = {str(s.pk): s.name for s in (a, b)}
        before = {str(a.pk): b.name, str(b.pk): a.name}
        record(study, person, "swap", words, f"segments:{a.pk}:{b.pk}", before, names)


def _change_places(a: Segment, b: Segment) -> None:
    for field in _IDENTITY:
        mine, theirs = getattr(a, field), getattr(b, field)
        setattr(a, field, theirs)
        setattr(b, field, mine)
    for segment in (a, b):
        segment.revision += 1
        segment.save()


@reverses("swap")
def _reverse_swap(entry: HistoryEntry, forward: bool) -> None:
    there = entry.before if forward else entry.after
    found = {str(s.pk): s for s in Segment.objects.filter(pk__in=[int(pk) for pk in there])}
    if len(found) != 2 or any(found[pk].name != name for pk, name in there.items()):
        raise Conflict("One of the two was renamed since, so they stay as they are.")
    _change_places(*found.values())
