"""Does the model of expected visits hold? Fitted on what was before, checked on what came after."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import day_number, months_before
from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.ledger.counting import parts_of
from sortija.core.ledger.log import Log
from sortija.core.measures.expected import (
    WEEK,
    ExpectedModel,
    expected_visits,
    fit_expected,
    rhythm_of,
)
from sortija.core.measures.kernels import visits_block

__all__ = ["HeldOut", "check_expected", "next_days"]

#: (months held out, months that the log must reach back before them).
_LENGTHS = ((6, 12), (3, 6), (1, 3))
#: Customers by their visits before: lowest number of visits in each class.
CLASSES = (1, 2, 3, 4, 6, 10, 20)
#: The expected may miss the observed by so much before it is called no fit.
WHOLE, MONTHLY = 0.15, 0.35


@dataclass(frozen=True)
class HeldOut:
    """Expected against observed visits of customers known before the months held out.

    ``split``: first day held out, since 1970-01-01; ``ends``: last days of the months;
    ``expected``, ``observed``: (months,) visits in each; ``classes``: lowest number of earlier
    visits; ``by_class``: (classes, 3) customers, visits expected and observed a head.
    """

    split: int
    ends: tuple[int, ...]
    expected: NDArray[np.float64]
    observed: NDArray[np.int64]
    classes: tuple[int, ...]
    by_class: NDArray[np.float64]
    customers: int

    @property
    def error(self) -> float:
        """How far the sum expected is from the one observed, as a share of it."""
        seen = float(self.observed.sum())
        return float(self.expected.sum()) / seen - 1 if seen else float("nan")

    @property
    def worst(self) -> float:
        """The same of the month that is furthest off; a month without visits counts as one."""
        off = (self.expected - self.observed) / np.maximum(self.observed, 1)
        return float(off[int(np.argmax(np.abs(off)))]) if len(off) else float("nan")

    @property
    def fits(self) -> bool:
        return abs(self.error) <= WHOLE and abs(self.worst) <= MONTHLY


def next_days(last_day: date, months: int = 3) -> int:
    """Days of so many calendar months after ``last_day``.

    >>> next_days(date(2026, 6, 30)), next_days(date(2026, 12, 31), 2)
    (92, 59)
    """
    begins = last_day + timedelta(days=1)
    return day_number(months_before(begins, -months)) - day_number(begins)


def check_expected(
    log: Log, mask: int, last_day: date, log_begins: int, engine: Engine | None = None
) -> tuple[HeldOut, ExpectedModel] | None:
    """Fit on the log before its last months and hold them against what the model expects.

    None where the log is too short, or too few customers came again before.
    """
    engine = engine or Engine(1)
    after = last_day + timedelta(days=1)
    for months, before in _LENGTHS:
        split = months_before(after, months)
        if day_number(months_before(split, before)) >= log_begins:
            break
    else:
        return None
    found = rhythm_of(log, mask, day_number(split), engine)
    model = fit_expected(found, engine)
    if model is None:
        return None
    edges = [day_number(months_before(after, months - 1 - m)) for m in range(months)]
    sums, whole = [0.0], np.zeros(len(found))
    seen: list[int] = []
    each = np.zeros(len(found), np.int64)
    start = day_number(split)
    for edge in edges:
        whole = expected_visits(model, found, (edge - start) / WEEK, engine)
        sums.append(float(whole.sum()))
        month = _visits(log, mask, edges[len(seen) - 1] if seen else start, edge, engine)
        each += month[found.rows]
        seen.append(int(month[found.rows].sum()))
    by_class = _by_class(found.again + 1, whole, each)
    return HeldOut(
        start, tuple(edge - 1 for edge in edges), np.diff(sums), np.array(seen), CLASSES, by_class,
        len(found),
    ), model  # fmt: skip


def _visits(log: Log, mask: int, first: int, end: int, engine: Engine) -> NDArray[np.int64]:
    lines, out = log.arrays(), np.zeros((log.customers, 3), np.int64)

    def block(bounds: tuple[int, int]) -> None:
        visits_block(lines, mask, first, end, *bounds, out)

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts(parts_of(lines, *bounds), [(out, slice(*bounds))])

    engine.map(block, chunk_bounds(log.customers), touched)
    return out[:, 0]


def _by_class(
    visits: NDArray[np.float64], expected: NDArray[np.float64], seen: NDArray[np.int64]
) -> NDArray[np.float64]:
    place = np.searchsorted(CLASSES, visits, side="right") - 1
    size = len(CLASSES)
    customers = np.bincount(place, minlength=size).astype(np.float64)
    heads = np.maximum(customers, 1)
    return np.stack([
        customers,
        np.bincount(place, expected, minlength=size) / heads,
        np.bincount(place, seen, minlength=size) / heads,
    ], axis=1)  # fmt: skip
