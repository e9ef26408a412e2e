"""What follows when every k of a run is judged: others register it."""

from __future__ import annotations

import logging
from collections.abc import Callable

from sortija.server.hooks import Hooks
from sortija.server.studies.models import Study

__all__ = ["tell_of_run", "when_swept"]

log = logging.getLogger(__name__)
Follows = Callable[[Study, str], None]
_FOLLOWERS: Hooks[Follows] = Hooks("what follows when every k of a run is judged")


def when_swept(function: Follows) -> Follows:
    """Register what is found out of a run's groupings, by what they were made from."""
    return _FOLLOWERS.add(function)


def tell_of_run(study: Study, made_from: str) -> None:
    """Begin it all; what fails is told in the log and takes nothing back of the run."""
    for follow in _FOLLOWERS.values():
        try:
            follow(study, made_from)
        except Exception:
            log.exception("%s failed", follow.__name__)
