"""Names for the segments of a new yardstick, proposed from their profiles."""

from __future__ import annotations

import numpy as np

from sortija.core.portraits.naming import Proposal, Trait, propose_names
from sortija.server.groups.actions import names_segments
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.portraits.sheet import Sheet, sheet_of
from sortija.server.studies.windows import WindowInView

__all__ = ["proposals_for"]


#: A segment is called by a value that so many of its members have.
MOST_HAVE = 0.5
#: Levels that would make a name of nothing.
_SAY_LITTLE = {"none", "no", "yes", "not known", "unknown", "other", "not given"}


def proposals_for(sheet: Sheet) -> list[list[Proposal]]:
    """Proposals a segment from what sets it apart among the columns that shaped the groups."""
    segments: list[list[Trait]] = [[] for _ in range(sheet.k)]
    for row in sheet.numeric:
        if not row.shaped:
            continue
        means = row.profile.means
        for place, deviation in enumerate(row.profile.deviations):
            if np.isfinite(deviation):
                own = row.profile.medians if row.unit not in ("share", "log ratio") else means
                value = float(own[place])
                segments[place].append(
                    Trait(row.name, float(deviation), row.label.lower(), value=value)
                )
    for category in sheet.categories:
        if not category.shaped:
            continue
        profile = category.profile
        for place, level in enumerate(profile.telling):
            usual, here = float(profile.everyone[level]), float(profile.shares[place, level])
            spread = np.sqrt(usual * (1 - usual))
            if spread == 0 or not np.isfinite(here) or here < MOST_HAVE or here <= usual:
                continue
            name = category.levels[level]
            if name.lower() in _SAY_LITTLE:
                continue
            words = f"{category.label.lower()} {name} {here:.0%} against {usual:.0%}"
            segments[place].append(Trait(category.name, (here - usual) / spread, words, name))
    return propose_names(segments)


@names_segments
def _name(yardstick: Yardstick) -> None:
    placed = assignment_at(yardstick.study, yardstick, WindowInView.parse(yardstick.home))
    if placed is None:
        return
    proposals = proposals_for(sheet_of(placed, shaping_only=True))
    for segment, mine in zip(yardstick.segments.all(), proposals, strict=True):
        if yardstick.ladder is None:  # tiers are called as the ladder calls them
            segment.name, segment.short = mine[0].name, mine[0].short
        segment.proposals = [p.__dict__ for p in mine]
        segment.save(update_fields=["name", "short", "proposals"])
