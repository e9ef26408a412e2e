"""How much of a window per study's log covers."""

from __future__ import annotations

from sortija.core.measures.coverage import Reach, coverage_of
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies.models import Study
from sortija.server.studies.request_cache import once
from sortija.server.studies.trail import gives_coverage
from sortija.server.studies.windows import WindowInView

__all__ = ["covered", "reach"]


@once
def reach(study: Study) -> Reach | None:
    """From when to when the study's log tells; None without a log, or while it is being made."""
    ledger = ledger_of(study)
    return ledger.reach() if ledger and ledger.built else None


@gives_coverage
def covered(study: Study, window: WindowInView) -> str:
    """What the log has of a window that it does not cover whole; empty where it does.

    Without a log a window is a day on which tables are read, and nothing is missing of it.
    """
    found = reach(study)
    return coverage_of(window.window, found).words if found else ""
