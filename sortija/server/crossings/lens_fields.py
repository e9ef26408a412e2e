"""What a lens can say of crossings: who went from which state to which."""

from __future__ import annotations

from datetime import date

import numpy as np

from sortija.core.table import Column
from sortija.server.crossings.states import states_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.store.coverage import covered
from sortija.server.lens.fields import Field, field_kind
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__: list[str] = []


@field_kind("crossing")
def _crossing_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``crossing:2026-03-31>2026-06-30``: its levels are ``1>4``, states from 1 on."""
    first, _, second = name.partition(">")
    try:
        back = window.back if window.months else "12"
        pair = [WindowInView(date.fromisoformat(day), back) for day in (first, second)]
    except ValueError:
        return None
    yardstick = yardstick_of(study)
    if yardstick is None:
        return None
    before, after = (assignment_at(study, yardstick, each) for each in pair)
    if before is None or after is None:
        return None
    width = before.placement.states
    key = before.placement.state.astype(np.int64) * width + after.placement.state
    there, codes = np.unique(key, return_inverse=True)
    names = [s.short for s in states_of(yardstick)]
    levels = tuple(f"{int(v) // width + 1}>{int(v) % width + 1}" for v in there)
    labels = tuple(f"{names[int(v) // width]} → {names[int(v) % width]}" for v in there)
    column = Column(name, "category", (codes + 1).astype(np.int32), "", levels)
    stamp = f"{before.stamp}:{after.stamp}"
    lacking = next((words for each in pair if (words := covered(study, each))), "")
    return Field(f"crossing:{name}", "Crossing", "", column, stamp, labels, covered=lacking)
