"""The dates that are compared: as many windows as the log covers whole."""

from __future__ import annotations

from typing import Literal

from sortija.core.calendar import last_day_before
from sortija.server.ledger.store.coverage import covered
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["QUARTERS", "By", "what_is_lacking", "whole_windows", "windows_of"]


#: Quarter ends that are looked at, the last one in view.
QUARTERS = 4


By = Literal["year", "quarter"]


def windows_of(window: WindowInView, by: By) -> list[WindowInView]:
    """The dates placed, each looking back as far: the same season a year before and the window in
    view, or four quarter ends."""
    months = range(3 * (QUARTERS - 1), -1, -3) if by == "quarter" else (12, 0)
    # Windows that begin on one day, or with the log, would grow from date to date: a year each.
    back = window.back if window.months else "12"
    return [WindowInView(last_day_before(window.to, m), back) for m in months]


def whole_windows(study: Study, window: WindowInView, by: By) -> list[WindowInView]:
    """Those dates whose windows the log covers whole; others are compared with nothing."""
    return [each for each in windows_of(window, by) if not covered(study, each)]


def what_is_lacking(study: Study, windows: list[WindowInView]) -> str:
    """Why there are no two dates to compare."""
    told = [(each, words) for each in windows if (words := covered(study, each))]
    each, words = told[0]
    return (
        f"A crossing needs two windows that the log covers whole. Of the window to "
        f"{each.to:%d %b %Y} {words}. Look back over fewer months, choose another step, or bring "
        "in an older log."
    )
