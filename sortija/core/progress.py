"""How a long computation says how far it is, and learns that it should stop."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["Progress", "Stopped", "silent"]

#: Called with (stage, done, of). Raises :class:`Stopped` when the work should end.
Progress = Callable[[str, int, int], None]


class Stopped(Exception):
    """The person who asked for the work asked for its end."""


def silent(stage: str, done: int, of: int) -> None:
    """Progress for callers who do not want to hear."""
