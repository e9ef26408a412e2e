"""Where customers of a year before are: Crossings knows, and registers here."""

from __future__ import annotations

from collections.abc import Callable

from sortija.core.portraits.book.facts import MovementFact
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.hooks import Hook

__all__ = ["gives_movement", "movement_of"]

#: By the segment's number, and the share that would stand in the same one again; nothing where it
#: has not been told from chance.
Movement = tuple[dict[int, MovementFact], float | None]
_MOVEMENT: Hook[Callable[[AssignmentAt], Movement]] = Hook("moves between segments")


def gives_movement(function: Callable[[AssignmentAt], Movement]) -> Callable[
    [AssignmentAt], Movement
]:  # fmt: skip
    """Register who knows where the customers of each segment went."""
    return _MOVEMENT.fill(function)


def movement_of(placed: AssignmentAt) -> Movement:
    """Where those are who stood in each segment a year before, as far as it is told by now."""
    return _MOVEMENT.function(placed)
