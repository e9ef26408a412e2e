"""Names for the segments of a new yardstick, proposed from their profiles."""

from __future__ import annotations

from sortija.core.portraits.apart import sets_apart
from sortija.core.portraits.naming import Proposal, propose_names
from sortija.server.groups.actions import names_segments
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.portraits.sheet import Sheet, sheet_of
from sortija.server.studies.windows import WindowInView

__all__ = ["proposals_for"]


def proposals_for(sheet: Sheet) -> list[list[Proposal]]:
    """Proposals a segment from what sets it apart among the columns that shaped the groups."""
    numeric = [row for row in sheet.numeric if row.shaped]
    categories = [row for row in sheet.categories if row.shaped]
    return propose_names(sets_apart(numeric, categories, sheet.k))


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
