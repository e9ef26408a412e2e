"""How much of a window a log covers: what is not covered whole is compared with nothing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.window import Window

__all__ = ["Coverage", "Reach", "coverage_of", "reach_of"]

#: A log that begins a few days into a window lacks holidays and closed days, no data.
SLACK = 7
#: A log has begun once this gap is behind it, if hardly a line lies before the gap.
GAP = 60
STRAY = 0.01


@dataclass(frozen=True)
class Reach:
    """First and last day that a log tells of, both included, in days since 1970-01-01."""

    first: int
    last: int


@dataclass(frozen=True)
class Coverage:
    """``days`` of the ``of`` days of a window lie within the log; ``months`` as the window looks
    back, None where it counts in days."""

    days: int
    of: int
    months: int | None
    whole: bool

    @property
    def words(self) -> str:
        """Empty where the window is covered whole.

        >>> Coverage(184, 365, 12, False).words
        'the log has 6 of these 12 months'
        """
        if self.whole:
            return ""
        if self.days == 0:
            return "the log has nothing of this time"
        if self.months is not None:
            there = round(self.months * self.days / self.of)
            if 0 < there < self.months:
                return f"the log has {there} of these {self.months} months"
        return f"the log has {self.days} of these {self.of} days"


def reach_of(days: NDArray[np.integer], lines: NDArray[np.integer]) -> Reach | None:
    """From when to when a log tells; None without a dated line.

    A few stray lines years before the first real month (a till's clock that was wrong) do not
    make a log reach back: at most 1% of the lines, set off by more than 60 days, are passed over
    at either end.

    Parameters
    ----------
    days : (m,) int, ascending, since 1970-01-01
    lines : (m,) int, how many lines of each count

    >>> reach_of(np.array([100, 9000, 9001]), np.array([1, 500, 700]))
    Reach(first=9000, last=9001)
    """
    if not len(days):
        return None
    before = np.cumsum(lines)
    few = STRAY * before[-1]
    gaps = np.flatnonzero(np.diff(days) > GAP)
    early = [int(g) for g in gaps if before[g] <= few]
    late = [int(g) for g in gaps if before[-1] - before[g] <= few]
    first = days[early[-1] + 1] if early else days[0]
    last = days[late[0]] if late else days[-1]
    return Reach(int(first), int(last))


def coverage_of(window: Window, reach: Reach) -> Coverage:
    """How much of a window lies within the log.

    A window over the whole log begins with it, so that only its end can lie outside.

    >>> from datetime import date
    >>> year = Window(date(2026, 6, 30), 12)
    >>> coverage_of(year, Reach(year.as_of - 100, year.as_of - 1)).words
    'the log has 3 of these 12 months'
    """
    first, after = window.first_day(reach.first), window.as_of
    days = max(0, min(after, reach.last + 1) - max(first, reach.first))
    whole = reach.first - first <= SLACK and after - 1 - reach.last <= SLACK and days > 0
    months = window.months if window.since is None else None
    return Coverage(days, max(after - first, 0), months, whole)
