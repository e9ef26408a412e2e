"""Windows: an as-of date and how far to look back."""

from __future__ import annotations

import calendar
from dataclasses import dataclass
from datetime import date, timedelta

__all__ = ["EPOCH", "Window", "day_number", "months_before"]

EPOCH = date(1970, 1, 1)


def day_number(day: date) -> int:
    """Days since 1970-01-01."""
    return (day - EPOCH).days


def months_before(day: date, months: int) -> date:
    """The same day so many calendar months earlier, clamped to that month's end."""
    count = day.year * 12 + day.month - 1 - months
    year, month = divmod(count, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


@dataclass(frozen=True)
class Window:
    """``last_day`` is the last day included; ``months`` None looks back over the whole log."""

    last_day: date
    months: int | None = 12

    @property
    def as_of(self) -> int:
        """The midnight after the last day, exclusive, in days since 1970-01-01."""
        return day_number(self.last_day) + 1

    def first_day(self, log_begins: int) -> int:
        """First day included, in days since 1970-01-01; the log's first day without a look-back."""
        if self.months is None:
            return log_begins
        return day_number(months_before(self.last_day + timedelta(days=1), self.months))
