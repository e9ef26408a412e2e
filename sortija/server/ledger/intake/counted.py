"""What follows when a file has been counted: others register it."""

from __future__ import annotations

import logging
from collections.abc import Callable

from sortija.server.hooks import Hooks
from sortija.server.studies.models import Study

__all__ = ["tell_of", "when_counted"]

log = logging.getLogger(__name__)
Follows = Callable[[Study], None]
_FOLLOWERS: Hooks[Follows] = Hooks("what follows when a file has been counted")


def when_counted(function: Follows) -> Follows:
    """Register what is begun when a study's log has grown or changed by a file."""
    return _FOLLOWERS.add(function)


def tell_of(study: Study) -> None:
    """Begin it all; what fails is told in the log and takes nothing back of the file."""
    for follow in _FOLLOWERS.values():
        try:
            follow(study)
        except Exception:
            log.exception("%s failed", follow.__name__)
