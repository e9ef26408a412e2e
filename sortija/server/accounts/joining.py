"""How an invited person joins a study; studies say it, which accounts know nothing of."""

from __future__ import annotations

from collections.abc import Callable

from sortija.server.accounts.models import Person
from sortija.server.hooks import Hook

__all__ = ["joins"]


#: Called with (person, study, role) when an invitation is accepted.
joins: Hook[Callable[[Person, int, str], None]] = Hook("how an invited person joins")
