"""The dates that are compared: a series of windows, as far as the log covers them whole."""

from __future__ import annotations

from datetime import date

from sortija.core.calendar import MONTHS, last_day_before
from sortija.server.ledger.store.coverage import covered, reach
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = [
    "MOST_DATES",
    "YEAR_ENDS",
    "by_from",
    "dates_in_view",
    "what_is_lacking",
    "whole_windows",
    "windows_of",
]

#: Dates of one series, and of one path, at the most.
MOST_DATES = 36
#: How many dates a series has, the last one in view; *year* is the same season a year before.
COUNTS = {"year": 2, "years": 6, "half-year": 5, "quarter": 4, "month": 13}
#: As many year ends as a projection looks at.
YEAR_ENDS = "years"
_FORM = (
    "Dates lie a month, a quarter, half a year or a year apart, or are written one by one, such as "
    "2025-01-31,2025-12-31."
)


def by_from(text: str) -> str:
    """How dates are chosen, as it stands in an address: a step, or the dates themselves.

    Raises
    ------
    Problem
        It is neither, or the dates are one alone or too many.

    >>> by_from("2025-12-31,2025-01-31")
    '2025-01-31,2025-12-31'
    """
    if text in COUNTS:
        return text
    try:
        days = sorted({date.fromisoformat(day.strip()) for day in text.split(",")})
    except ValueError:
        raise Problem(_FORM) from None
    if not 2 <= len(days) <= MOST_DATES:
        raise Problem(
            f"Two to {MOST_DATES} different dates can be compared; these are {len(days)}."
        )
    if not all(1970 < day.year < 2200 for day in days):
        raise Problem("One of these years is out of reach.")
    return ",".join(day.isoformat() for day in days)


def windows_of(window: WindowInView, by: str) -> list[WindowInView]:
    """The windows of a series, oldest first, each looking back as far as the one in view."""
    # Windows that begin on one day, or with the log, would grow from date to date: a year each.
    back = window.back if window.months else "12"
    if by not in COUNTS:
        return [WindowInView(date.fromisoformat(day), back) for day in by.split(",")]
    step = MONTHS["year" if by == YEAR_ENDS else by]
    return [
        WindowInView(last_day_before(window.to, step * n), back)
        for n in range(COUNTS[by] - 1, -1, -1)
    ]


def dates_in_view(study: Study, window: WindowInView, by: str) -> list[WindowInView]:
    """The dates that are shown. Of a series that begins before the log no more than the last date
    that it lacks: it says where the log begins."""
    windows = windows_of(window, by)
    if by not in COUNTS or by == "year":
        return windows
    there = reach(study)
    first = next((n for n, each in enumerate(windows) if not covered(study, each)), None)
    if there is None or not first:
        return windows
    last = windows[first - 1]
    return windows[first - 1 :] if last.window.as_of > there.first else windows[first:]


def whole_windows(study: Study, window: WindowInView, by: str) -> list[WindowInView]:
    """Those dates whose windows the log covers whole; others are compared with nothing."""
    return [each for each in windows_of(window, by) if not covered(study, each)]


def what_is_lacking(study: Study, windows: list[WindowInView]) -> str:
    """Why there are no two dates to compare."""
    told = [(each, words) for each in windows if (words := covered(study, each))]
    each, words = told[-1]
    return (
        f"A crossing needs two windows that the log covers whole. Of the window to "
        f"{each.to:%d %b %Y} {words}. Look back over fewer months, choose another step, or bring "
        "in an older log."
    )
