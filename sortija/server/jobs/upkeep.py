"""What is done once an hour, by the worker of the quick lane: what is too old goes."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable

from sortija.server.hooks import Hooks

__all__ = ["hourly", "look_after"]

log = logging.getLogger(__name__)
_SECONDS = 3600.0
_TASKS: Hooks[Callable[[], None]] = Hooks("what is done once an hour")
_last: list[float] = []


def hourly(task: Callable[[], None]) -> Callable[[], None]:
    """Register something short that is done once an hour."""
    return _TASKS.add(task)


def look_after() -> None:
    """Do what is due; one that fails is told in the log and keeps no other from its turn."""
    now = time.monotonic()
    if _last and now - _last[-1] < _SECONDS:
        return
    _last[:] = [now]
    for task in _TASKS.values():
        try:
            task()
        except Exception:
            log.exception("%s failed", task.__name__)
