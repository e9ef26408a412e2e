"""Customers by the quarter of their first purchase: who came again when, and what they spent."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.survival import Survival, kaplan_meier
from sortija.core.ledger.counting import Lines, receipt_at
from sortija.core.measures.derive import UNSURE_DAYS

__all__ = ["LEAST", "Cohorts", "cohorts_of", "time_to_next"]

#: A rate of fewer customers is none.
LEAST = 20


@dataclass(frozen=True)
class Cohorts:
    """A cohort and period per quarter, oldest first; period 0 is the quarter of joining.

    ``starts``: (q + 1,) first day of each quarter, and where the last ends; ``customers``: (q,);
    ``bought``, ``money``: (q, q) int64, customers with a purchase in a period and what all of the
    cohort spent; ``whole``: (q,) quarters that lie within the log; ``unsure``: (q,) cohorts some
    of whom may have been customers before the log begins.
    """

    starts: NDArray[np.int64]
    customers: NDArray[np.int64]
    bought: NDArray[np.int64]
    money: NDArray[np.int64]
    whole: NDArray[np.bool_]
    unsure: NDArray[np.bool_]

    def told(self, cohort: int, period: int) -> bool:
        """Whether a period of a cohort has ended within the log."""
        at = cohort + period
        return at < len(self.whole) and bool(self.whole[at])


def cohorts_of(lines: Lines, mask: int, begins: int, ends: int) -> Cohorts:
    """Cohorts of a log.

    Parameters
    ----------
    lines : each customer's in order of day and receipt
    mask : bits of the rules that are on
    begins, ends : the log's first day, and the day after the last one that is looked at
    """
    months = np.array([begins, max(ends - 1, begins)]).astype("M8[D]").astype("M8[M]").astype(int)
    quarters = np.arange(months[0] // 3, months[1] // 3 + 2) * 3
    starts = quarters.astype("M8[M]").astype("M8[D]").astype(np.int64)
    many = len(starts) - 1
    customers = np.zeros(many, np.int64)
    bought, money = np.zeros((many, many), np.int64), np.zeros((many, many), np.int64)
    _count(lines, mask, starts, begins, ends, customers, bought, money)
    whole = (starts[:-1] >= begins) & (starts[1:] <= ends)
    return Cohorts(starts, customers, bought, money, whole, starts[:-1] < begins + UNSURE_DAYS)


@numba.njit(nogil=True, cache=True)
def _count(
    lines: Lines, mask: int, starts: Any, begins: int, ends: int, customers: Any, bought: Any,
    money: Any,
) -> None:  # fmt: skip
    for c in range(len(lines.start) - 2):
        line, end = lines.start[c], lines.start[c + 1]
        cohort, last = -1, -1
        while line < end and lines.day[line] < ends:
            day = lines.day[line]
            if day < begins:
                line += 1
                continue
            line, value, purchase = receipt_at(lines, line, end, mask)
            if cohort < 0 and not purchase:
                continue
            quarter = np.searchsorted(starts, day, side="right") - 1
            if cohort < 0:
                cohort = quarter
                customers[cohort] += 1
            money[cohort, quarter - cohort] += value
            if purchase and quarter != last:
                bought[cohort, quarter - cohort] += 1
                last = quarter


def time_to_next(lines: Lines, mask: int, begins: int, ends: int) -> Survival | None:
    """Days from the first purchase to the next day with one, of those who are new in the log.

    Who came within 90 days of its beginning may have been there before, and is left out. None
    where nobody is new.
    """
    days = np.full(len(lines.start) - 2, -1, np.int64)
    again = np.zeros(len(days), np.bool_)
    _wait(lines, mask, begins + UNSURE_DAYS, ends, days, again)
    new = days >= 0
    if not new.any():
        return None
    return kaplan_meier(days[new].astype(np.float64), again[new])


@numba.njit(nogil=True, cache=True)
def _wait(lines: Lines, mask: int, since: int, ends: int, days: Any, again: Any) -> None:
    for c in range(len(days)):
        line, end = lines.start[c], lines.start[c + 1]
        first = -1
        while line < end and lines.day[line] < ends:
            day = lines.day[line]
            line, _, purchase = receipt_at(lines, line, end, mask)
            if not purchase or day < 0:
                continue
            if first < 0:
                first = day
                if first < since:
                    break
                days[c] = ends - 1 - first
            elif day > first:
                days[c], again[c] = day - first, True
                break
