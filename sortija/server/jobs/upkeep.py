"""What the worker of the quick lane does beside its jobs: every few seconds, and once an hour."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable

from sortija.server.hooks import Hooks

__all__ = ["hourly", "look_after", "often"]

log = logging.getLogger(__name__)
_SECONDS = 3600.0
_TASKS: Hooks[Callable[[], None]] = Hooks("what is done once an hour")
_OFTEN: Hooks[Callable[[], None]] = Hooks("what is done every few seconds")
_last: list[float] = []


def hourly(task: Callable[[], None]) -> Callable[[], None]:
    """Register something short that is done once an hour."""
    return _TASKS.add(task)


def often(task: Callable[[], None]) -> Callable[[], None]:
    """Register something that is done every few seconds, and costs a look at the database."""
    return _OFTEN.add(task)


def look_after() -> None:
    """Do what is due; one that fails is told in the log and keeps no other from its turn."""
    _do(_OFTEN)
    now = time.monotonic()
    if _last and now - _last[-1] < _SECONDS:
        return
    _last[:] = [now]
    _do(_TASKS)


def _do(tasks: Hooks[Callable[[], None]]) -> None:
    for task in tasks.values():
        try:
            task()
        except Exception:
            log.exception("%s failed", task.__name__)
