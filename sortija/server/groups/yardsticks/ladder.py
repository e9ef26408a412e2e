"""The ladder of Scores as a yardstick like any other."""

from __future__ import annotations

from typing import Any

from sortija.core.scores.ladder import Ladder
from sortija.server.groups.actions import keep_ladder, yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.scores.drafts import draft_of
from sortija.server.scores.scored import scored_at
from sortija.server.scores.yardstick_in_use import knows_kept
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["keep_present_ladder"]


@knows_kept
def _kept(study: Study, ladder: Ladder) -> tuple[int, bool]:
    yardstick = yardstick_of(study)
    if yardstick is None:
        return 0, False
    return int(yardstick.pk), yardstick.ladder == ladder.as_json()


def keep_present_ladder(study: Study, person: Any, window: WindowInView, seen: int) -> Yardstick:
    """Freeze the ladder as it stands at Scores in this window."""
    made = measures_or_job(study, window, person)
    if not isinstance(made, MeasureSet):
        raise Problem("The measures of this window are still being derived. Try again in a moment.")
    draft, _ = draft_of(study)
    at = scored_at(made, draft)
    if at is None:
        raise Problem("There is nothing to score in this window.")
    notes = [tier.said for tier in draft.ladder.tiers or []]
    return keep_ladder(study, person, at.ladder, window, seen, notes)
