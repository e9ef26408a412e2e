"""Windows: an as-of date and how far to look back; series of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import (
    MONTHS,
    day_number,
    last_day_before,
    months_before,
    season_of_month,
)

__all__ = [
    "Spans",
    "Step",
    "Window",
    "series_of",
    "spans_of",
    "year_before",
]

Step = Literal["month", "quarter", "year"]


@dataclass(frozen=True)
class Window:
    """``last_day`` is the last day included.

    ``since``: the first day included, where the window begins on a given day; else ``months``
    back, None for the whole log.
    """

    last_day: date
    months: int | None = 12
    since: date | None = None

    @property
    def as_of(self) -> int:
        """The midnight after the last day, exclusive, in days since 1970-01-01."""
        return day_number(self.last_day) + 1

    def first_day(self, log_begins: int) -> int:
        """First day included, in days since 1970-01-01; the log's first day without a look-back."""
        if self.since is not None:
            return day_number(self.since)
        if self.months is None:
            return log_begins
        return day_number(months_before(self.last_day + timedelta(days=1), self.months))


def series_of(window: Window, step: Step, count: int) -> list[Window]:
    """``count`` windows ending with ``window``, oldest first, one ``step`` apart.

    Each looks back as far as ``window``; one that begins on a given day keeps beginning there,
    and those that would end before it are left out. Ends stay on the same day of the month,
    clamped from the original day; the last day of a month stays the last.

    >>> [str(w.last_day) for w in series_of(Window(date(2026, 6, 30)), "quarter", 3)]
    ['2025-12-31', '2026-03-31', '2026-06-30']
    """
    out = []
    for back in range(count - 1, -1, -1):
        end = last_day_before(window.last_day, back * MONTHS[step])
        if window.since is None or end >= window.since:
            out.append(Window(end, window.months, window.since))
    return out


def year_before(window: Window) -> Window:
    """The same season one year earlier.

    >>> str(year_before(Window(date(2024, 2, 29))).last_day)
    '2023-02-28'
    """
    since = months_before(window.since, 12) if window.since else None
    return Window(last_day_before(window.last_day, 12), window.months, since)


@dataclass(frozen=True)
class Spans:
    """Windows by days since 1970-01-01, for kernels.

    ``first_days``, ``as_ofs``: (W,) int64; ``of_day``: (days, 3) int16 from the first day of
    all: first and last window that hold the day, and the first whose early half does;
    ``season``: (days,) int8, winter 0 to autumn 3.
    """

    first_days: NDArray[np.int64]
    as_ofs: NDArray[np.int64]
    of_day: NDArray[np.int16]
    season: NDArray[np.int8]


def spans_of(windows: Sequence[Window], log_begins: int) -> Spans:
    """The windows by day.

    Raises
    ------
    ValueError
        There is none, or one begins or ends before the one in front of it.

    >>> from datetime import date
    >>> spans = spans_of([Window(date(1970, 3, 31), 1)], 0)
    >>> spans.first_days.tolist(), spans.as_ofs.tolist()
    ([59], [90])
    """
    if not windows:
        raise ValueError("a series has at least one window")
    as_ofs = np.array([w.as_of for w in windows], np.int64)
    firsts = np.array([w.first_day(log_begins) for w in windows], np.int64)
    firsts = np.minimum(firsts, as_ofs)
    if (np.diff(as_ofs) < 0).any() or (np.diff(firsts) < 0).any():
        raise ValueError("the windows of a series follow each other, oldest first")
    days = np.arange(firsts[0], as_ofs[-1])
    middles = firsts + (as_ofs - firsts) // 2
    of_day = np.empty((len(days), 3), np.int16)
    of_day[:, 0] = np.searchsorted(as_ofs, days, side="right")
    of_day[:, 1] = np.searchsorted(firsts, days, side="right") - 1
    of_day[:, 2] = np.searchsorted(middles, days, side="right")
    season = season_of_month(days.astype("M8[D]").astype("M8[M]").astype(np.int64))
    return Spans(firsts, as_ofs, of_day, season)
