"""What a lens can say of crossings: who went from which state to which, and who has changed."""

from __future__ import annotations

from datetime import date

import numpy as np

from sortija.core.crossings.paths import ANY
from sortija.core.measures.catalogue import GONE_SILENT
from sortija.core.table import Column
from sortija.server.crossings import chance
from sortija.server.crossings.dates import MOST_DATES, whole_windows
from sortija.server.crossings.silent import gone_silent
from sortija.server.crossings.states import states_of
from sortija.server.crossings.steps import checked_hold, held_pair
from sortija.server.crossings.ways import paths_through, pattern_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    assignment_at,
    assignment_from,
    assignment_stamp,
)
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__: list[str] = []


def _both_ends(
    study: Study, window: WindowInView, name: str
) -> tuple[AssignmentAt, AssignmentAt] | None:
    """Both dates of ``2026-03-31>2026-06-30``, placed; None where they are none, or not yet.

    ``…~0.3``: where customers stay in their segment until another's margin exceeds that; dates
    before the two are those that they stay from.
    """
    dates, _, margin = name.partition("~")
    try:
        hold = min(1.0, max(0.0, float(margin or 0)))
        back = window.back if window.months else "12"
        windows = [WindowInView(date.fromisoformat(day), back) for day in dates.split(">")]
        checked_hold(hold, windows)
    except (ValueError, Problem):
        return None
    yardstick = yardstick_of(study)
    if yardstick is None or not 2 <= len(windows) <= MOST_DATES:
        return None
    found = [assignment_at(study, yardstick, each) for each in windows]
    placed = [each for each in found if each is not None]
    return held_pair(placed, hold) if len(placed) == len(windows) else None


def _lacking(study: Study, before: AssignmentAt, after: AssignmentAt) -> str:
    return next((words for at in (before, after) if (words := covered(study, at.window))), "")


@field_kind("crossing")
def _crossing_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``crossing:2026-03-31>2026-06-30``: its levels are ``1>4``, states from 1 on."""
    both = _both_ends(study, window, name)
    if both is None:
        return None
    before, after = both
    width = before.placement.states
    key = before.placement.state.astype(np.int64) * width + after.placement.state
    there, codes = np.unique(key, return_inverse=True)
    names = [s.short for s in states_of(before.yardstick)]
    levels = tuple(f"{int(v) // width + 1}>{int(v) % width + 1}" for v in there)
    labels = tuple(f"{names[int(v) // width]} → {names[int(v) % width]}" for v in there)
    column = Column(name, "category", (codes + 1).astype(np.int32), "", levels)
    stamp = f"{before.stamp}:{after.stamp}"
    return Field(f"crossing:{name}", "Crossing", "", column, stamp, labels,
                 covered=_lacking(study, before, after))  # fmt: skip


@field_kind("changed")
def _changed_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``changed:2025-06-30>2026-06-30``: the chance that a customer has changed between the two."""
    both = _both_ends(study, window, name)
    found = chance.kept(*both) if both else None
    if both is None or found is None:
        return None
    column = Column(name, "number", found.changed, "share")
    return Field(
        f"changed:{name}", "Chance of having changed", "share", column,
        f"changed:{chance.stamp_of(*both)}",
        definition="How likely it is that the customer has changed, and not chance moved it.",
        covered=_lacking(study, *both),
    )  # fmt: skip


@field_kind("silent")
def _silent_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``silent:now``: who has gone silent by the own rhythm."""
    made = measures_or_job(study, window)
    if name != "now" or not isinstance(made, MeasureSet):
        return None
    gone = gone_silent(made)
    column = Column("silent", "category", gone.astype(np.int32) + 1, "", ("no", "yes"))
    return Field(
        "silent:now", "Gone silent", "", column, f"silent:{made.stamp}",
        definition=f"Away longer than {GONE_SILENT} of the own usual gaps between visits.",
    )  # fmt: skip


@lists_fields
def _names(study: Study, window: WindowInView) -> list[FieldName]:
    """Columns for lists: the way since the same season a year before, and whether who went it has
    changed; as far as both dates are placed by now."""
    yardstick = yardstick_of(study)
    whole = whole_windows(study, window, "year")
    words = {"no": "no", "yes": "yes"}
    found = [FieldName("silent:now", "Gone silent", "category", "", "Crossings", words)]
    if yardstick is None or len(whole) < 2:
        return found if ledger_of(study) else []
    name = ">".join(each.to.isoformat() for each in whole)
    found += [FieldName(f"crossing:{name}", "Crossing since a year before", "category", "",
                       "Crossings")]  # fmt: skip
    if _changed_field(study, window, name) is not None:
        found.append(FieldName(f"changed:{name}", "Chance of having changed", "number", "share",
                               "Crossings"))  # fmt: skip
    return found


@field_kind("path")
def _path_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``path:2025-12-31>2026-03-31>2026-06-30=1.*.3``: who went from the first state, by whatever,
    to the third; states from 1 on."""
    dates, equals, pattern = name.partition("=")
    try:
        back = window.back if window.months else "12"
        windows = [WindowInView(date.fromisoformat(day), back) for day in dates.split(">")]
    except ValueError:
        return None
    yardstick = yardstick_of(study)
    if yardstick is None or not equals or len(windows) > MOST_DATES:
        return None
    found_at = [measures_or_job(study, each) for each in windows]
    made = [each for each in found_at if isinstance(each, MeasureSet)]
    if len(made) < len(windows):
        return None
    states = states_of(yardstick)
    try:
        asked = pattern_of(pattern, len(windows), len(states))
    except Problem:
        return None
    stamp = tuple(assignment_stamp(yardstick, each) for each in made)
    found = paths_through(
        Keyed(stamp, lambda: [assignment_from(study, yardstick, each) for each in made])
    )
    goes = found.matching(asked)[found.of]
    way = ", ".join("any" if state == ANY else states[state].short for state in asked)
    column = Column(name, "category", goes.astype(np.int32) + 1, "", ("no", "yes"))
    lacking = next((words for each in windows if (words := covered(study, each))), "")
    return Field(f"path:{name}", f"Path {way}", "", column, f"{stamp}:{pattern}", covered=lacking)
