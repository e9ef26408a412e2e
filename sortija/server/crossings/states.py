"""The states between which customers cross: segments, then those that are none."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.server.groups.models import Yardstick

__all__ = ["SegmentKey", "states_of"]


class SegmentKey(BaseModel):
    """A state's place in the matrices: segments first, then *not yet*, *left*, *unplaced*."""

    name: str
    short: str
    mark: int | None


def states_of(yardstick: Yardstick) -> list[SegmentKey]:
    """Segments in their order, then the states that are none."""
    segments = [
        SegmentKey(name=s.name, short=s.short, mark=s.mark) for s in yardstick.segments.all()
    ]
    others = [
        SegmentKey(name=name, short=name, mark=None) for name in ("not yet", "left", "unplaced")
    ]
    return segments + others
