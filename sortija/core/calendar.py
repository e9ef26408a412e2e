"""Calendar arithmetic: days since 1970, months clamped to their end, steps of time, seasons.

Everything that goes back or forth by months does so here, so that "a year before" has one answer.
"""

from __future__ import annotations

import calendar
from datetime import date, timedelta
from typing import Literal

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "EPOCH",
    "MONTHS",
    "Step",
    "date_of",
    "day_number",
    "last_day_before",
    "months_before",
    "season_of_month",
    "step_ends",
    "step_of",
    "step_starts",
]

EPOCH = date(1970, 1, 1)
Step = Literal["day", "week", "month"]
#: Months of a longer step.
MONTHS = {"month": 1, "quarter": 3, "half-year": 6, "year": 12}
_SEASONS = np.array([0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3, 0], np.int8)


def day_number(day: date) -> int:
    """Days since 1970-01-01.

    >>> day_number(date(1970, 2, 1))
    31
    """
    return (day - EPOCH).days


def date_of(number: int) -> date:
    """The date that many days after 1970-01-01.

    >>> date_of(31)
    datetime.date(1970, 2, 1)
    """
    return EPOCH + timedelta(days=number)


def months_before(day: date, months: int) -> date:
    """The same day so many calendar months earlier, clamped to that month's end.

    >>> months_before(date(2026, 5, 31), 3), months_before(date(2026, 2, 28), -1)
    (datetime.date(2026, 2, 28), datetime.date(2026, 3, 28))
    """
    year, month = divmod(day.year * 12 + day.month - 1 - months, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


def last_day_before(day: date, months: int) -> date:
    """A period's last day so many months earlier: the last day of a month stays the last.

    >>> last_day_before(date(2026, 2, 28), 2), last_day_before(date(2026, 6, 15), -12)
    (datetime.date(2025, 12, 31), datetime.date(2027, 6, 15))
    """
    other = months_before(day, months)
    if day.day == calendar.monthrange(day.year, day.month)[1]:
        return other.replace(day=calendar.monthrange(other.year, other.month)[1])
    return other


def step_of(day: NDArray[np.int32], step: Step) -> NDArray[np.int32]:
    """Number of the step of each day since 1970-01-01; −1 stays −1. Weeks begin on Monday.

    >>> step_of(np.array([-1, 0, 3, 4, 31], np.int32), "week").tolist()
    [-1, 0, 0, 1, 4]
    """
    if step == "month":
        number = day.astype("M8[D]").astype("M8[M]").astype(np.int32)
    elif step == "week":
        number = ((day + 3) // 7).astype(np.int32)  # 1970-01-01 was a Thursday
    else:
        number = day.astype(np.int32)
    return np.where(day < 0, np.int32(-1), number)


def step_starts(number: NDArray[np.int32], step: Step) -> NDArray[np.int32]:
    """First day of each step, since 1970-01-01.

    >>> step_starts(np.array([0, 1], np.int32), "month").tolist()
    [0, 31]
    """
    if step == "month":
        return number.astype("M8[M]").astype("M8[D]").astype(np.int32)
    return number * 7 - 3 if step == "week" else number


def step_ends(number: NDArray[np.int32], step: Step) -> NDArray[np.int32]:
    """Last day of each step, since 1970-01-01.

    >>> step_ends(np.array([0, 1], np.int32), "month").tolist()
    [30, 58]
    """
    return step_starts(number + np.int32(1), step) - np.int32(1)


def season_of_month(month: NDArray[np.int64] | int) -> NDArray[np.int8]:
    """Winter 0 to autumn 3 of months counted from January 0, in any year.

    >>> season_of_month(np.array([11, 0, 2, 13])).tolist()
    [0, 0, 1, 0]
    """
    return np.asarray(_SEASONS[month % 12])
