"""What customers did after a campaign was sent, and what they spent before."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.counting import Lines, receipt_at

__all__ = ["Responses", "responses_of"]


@dataclass(frozen=True)
class Responses:
    """Of (m,) customers: ``day`` of the first purchase after the day of sending, −1 where there was
    none; ``spent`` since then and ``before`` that, money of all lines that count."""

    day: NDArray[np.int64]
    spent: NDArray[np.int64]
    before: NDArray[np.int64]

    @property
    def came(self) -> NDArray[np.bool_]:
        """(m,) who bought."""
        return np.asarray(self.day >= 0)


def responses_of(
    lines: Lines, mask: int, customers: NDArray[np.int64], sent: int, through: int, since: int
) -> Responses:  # fmt: skip
    """What these customers bought from the day after ``sent`` to ``through``, the last day that
    counts.

    Parameters
    ----------
    lines : each customer's in order of day and receipt
    mask : bits of the rules that are on
    customers : (m,) row numbers
    sent, through, since : day numbers
        Spend before is told from ``since`` to ``sent``.
    """
    m = len(customers)
    day, spent = np.full(m, -1, np.int64), np.zeros(m, np.int64)
    before = np.zeros(m, np.int64)
    _read(lines, mask, customers, sent, through, since, day, spent, before)
    return Responses(day, spent, before)


@numba.njit(nogil=True, cache=True)
def _read(
    lines: Lines, mask: int, customers: Any, sent: int, through: int, since: int,
    first: Any, spent: Any, before: Any,
) -> None:  # fmt: skip
    for place in range(len(customers)):
        c = customers[place]
        start, end = lines.start[c], lines.start[c + 1]
        line = start + np.searchsorted(lines.day[start:end], since)
        while line < end and lines.day[line] <= through:
            day = lines.day[line]
            line, money, purchase = receipt_at(lines, line, end, mask)
            if day <= sent:
                before[place] += money
                continue
            spent[place] += money
            if purchase and first[place] < 0:
                first[place] = day
