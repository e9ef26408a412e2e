"""How the groups of a grouping are called on its pictures."""

from __future__ import annotations

from sortija.server.groups.models import Grouping, Segment
from sortija.server.groups.pictures.payloads import GroupName

__all__ = ["names_of"]


def names_of(grouping: Grouping) -> list[GroupName]:
    """Segments by their names and marks where the grouping is in use, else numbers."""
    segments = Segment.objects.filter(yardstick__grouping=grouping, yardstick__retired=False)
    told = {segment.number: segment for segment in segments}
    return [
        GroupName(name=told[n].name, mark=told[n].mark)
        if n in told
        else GroupName(name=f"Group {n}", mark=None)
        for n in range(1, grouping.k + 1)
    ]
