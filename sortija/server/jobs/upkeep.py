"""What is done once an hour, by the worker of the quick lane: what is too old goes."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable

__all__ = ["hourly", "look_after"]

log = logging.getLogger(__name__)
_SECONDS = 3600.0
_TASKS: list[Callable[[], None]] = []
_last: list[float] = []


def hourly(task: Callable[[], None]) -> Callable[[], None]:
    """Register something short that is done once an hour."""
    _TASKS.append(task)
    return task


def look_after() -> None:
    """Do what is due; one that fails is told in the log and keeps no other from its turn."""
    now = time.monotonic()
    if _last and now - _last[-1] < _SECONDS:
        return
    _last[:] = [now]
    for task in _TASKS:
        try:
            task()
        except Exception:
            log.exception("%s failed", task.__name__)
