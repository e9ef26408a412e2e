"""Which yardstick is in use, and whether it is the ladder: Groups knows it, above this station."""

from __future__ import annotations

from collections.abc import Callable

from sortija.core.scores.ladder import Ladder
from sortija.server.hooks import Hook
from sortija.server.studies.models import Study

__all__ = ["knows_kept", "yardstick_in_use"]

Keeper = Callable[[Study, Ladder], tuple[int, bool]]
_KEEPER: Hook[Keeper] = Hook("which yardstick is in use")


def knows_kept(keeper: Keeper) -> Keeper:
    """Register who knows which yardstick is in use, and whether it is a ladder; a decorator."""
    return _KEEPER.fill(keeper)


def yardstick_in_use(study: Study, ladder: Ladder) -> tuple[int, bool]:
    """(number of the yardstick in use or 0, whether it is this ladder)."""
    return _KEEPER.function(study, ladder)
