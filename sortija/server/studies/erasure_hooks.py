"""Who keeps lists of customers: each says here how it forgets the people who are erased."""

from __future__ import annotations

from collections.abc import Callable

from sortija.server.hooks import Hooks
from sortija.server.studies.models import Study

__all__ = ["forget_people", "forgets_people"]

Forgetter = Callable[[Study, list[int]], None]
_FORGETTERS: Hooks[Forgetter] = Hooks("who forgets erased people")


def forgets_people(forgetter: Forgetter) -> Forgetter:
    """Register how lists drop customers, by number; within the transaction that erases them."""
    return _FORGETTERS.add(forgetter)


def forget_people(study: Study, numbers: list[int]) -> None:
    """Drop these customers from every list."""
    for forgetter in _FORGETTERS.values():
        forgetter(study, numbers)
