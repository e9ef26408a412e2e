"""Where sizes and money go if nothing changes, and if one way were taken more seldom."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import last_day_before
from sortija.core.crossings.projection import (
    LEAST_STEPS,
    Projection,
    WhatIf,
    periods_until,
    project,
)
from sortija.server.crossings.dates import what_is_lacking
from sortija.server.crossings.placed import placed_at
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.crossings.steps import crossed, pair_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.store.coverage import covered
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["AheadPage", "ahead_page"]

#: Periods that are looked ahead, and dates that rates are taken from at the most.
PERIODS = 3
MOST_DATES = 12


class Ahead(BaseModel):
    """A figure of a state at a date to come; 95 in 100 lie from ``low`` to ``high``."""

    mean: float
    low: float
    high: float


class StateAhead(BaseModel):
    """One state: customers and money at the dates seen, then at those to come, now first.

    ``until``: periods until one of it is first in *left*, on average; null where that may never
    be, or cannot be told.
    """

    customers: list[int]
    money: list[int]
    ahead: list[Ahead]
    money_ahead: list[Ahead]
    until: float | None


class Wondered(BaseModel):
    """What a changed rate makes of it: ``rate``: a period, as it was seen; ``fewer``: how many
    fewer would be in ``target`` at the last date, and ``money``: what all of them would spend more
    in the period that ends there; ``states``: customers at each date to come."""

    origin: int
    target: int
    rate: float
    changed: float
    fewer: Ahead
    money: Ahead
    states: list[list[Ahead]]


class AheadPage(BaseModel):
    """``months``: of a period, as long as the windows; ``dates``: seen; ``coming``: now and those
    to come; ``steps``: how many rates are taken from; ``arrivals``: how many were new in each;
    ``rates``: (s, s) as seen; ``lacks``: why nothing is told."""

    status: Status
    states: list[SegmentKey]
    months: int
    dates: list[str]
    coming: list[str]
    steps: int
    arrivals: list[int]
    rough: str
    rows: list[StateAhead]
    rates: list[list[float]]
    wondered: Wondered | None
    lacks: str


@dataclass(frozen=True)
class _Seen:
    """What was seen: tables of steps, sizes and money at the last date, in k segments and *left*.

    Rows and columns: the segments, *not yet* (the new come out of it), *left*, *unplaced*.
    """

    tables: list[NDArray[np.int64]]
    arrivals: list[int]
    now: NDArray[np.int64]
    spend: NDArray[np.float64]

    @staticmethod
    def of(placed: Sequence[AssignmentAt]) -> _Seen:
        k = placed[0].placement.k
        tables, arrivals = [], []
        for n in range(len(placed) - 1):
            table = crossed(pair_of(placed[n], placed[n + 1])).customers.copy()
            table[k, k] = 0  # who is not there yet at either date is nobody yet
            tables.append(table)
            arrivals.append(int(table[k].sum()))
        last = placed[-1]
        now = np.bincount(last.placement.state, minlength=k + 3).astype(np.int64)
        now[k] = 0
        spent = np.bincount(last.placement.state, last.made.money.astype(np.float64), k + 3)
        return _Seen(tables, arrivals, now, spent / np.maximum(now, 1))

    @property
    def rates(self) -> NDArray[np.float64]:
        seen = np.sum(self.tables, axis=0).astype(np.float64)
        sums = seen.sum(axis=1, keepdims=True)
        return np.divide(seen, sums, out=np.zeros_like(seen), where=sums > 0)

    def ahead(self, what_if: WhatIf | None = None) -> Projection:
        entrance = len(self.now) - 3
        return project(self.tables, self.now, self.arrivals, entrance, PERIODS, what_if)


def ahead_page(
    study: Study, window: WindowInView | None, asked: tuple[int, int, float] | None
) -> AheadPage:
    """Sizes and money ahead; ``asked``: from, to and the rate of a what-if."""
    page = AheadPage(
        status=Status(state="whole"), states=[], months=12, dates=[], coming=[], steps=0,
        arrivals=[], rough="", rows=[], rates=[], wondered=None, lacks="",
    )  # fmt: skip
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        words = "What comes next is told of segments. Adopt groups first."
        page.status = Status(state="empty", words=words)
        return page
    windows = _apart(window)
    page.months = windows[-1].months or 12
    whole = [each for each in windows if not covered(study, each)]
    if len(whole) < 2 or whole[-1] != windows[-1]:
        page.lacks = what_is_lacking(study, windows[-2:])
        return page
    at = placed_at(study, yardstick, whole)
    page.status = at.status or page.status
    if not at.dates:
        return page
    seen = _Seen.of(at.dates)
    page.states, page.dates = states_of(yardstick), [w.to.isoformat() for w in whole]
    page.coming = [
        last_day_before(window.to, -page.months * n).isoformat() for n in range(PERIODS + 1)
    ]
    page.steps, page.arrivals = len(seen.tables), seen.arrivals
    page.rates, page.rough = seen.rates.tolist(), _rough(page.months, page.steps)
    plain = seen.ahead()
    page.rows = _rows(at.dates, seen, plain)
    if asked is not None and _possible(asked, len(page.states)):
        page.wondered = _wondered(seen, plain, *asked)
    return page


def _apart(window: WindowInView) -> list[WindowInView]:
    """Windows that share no day, the one in view last."""
    back = window.back if window.months else "12"
    months = int(back)
    return [
        WindowInView(last_day_before(window.to, months * n), back)
        for n in range(MOST_DATES - 1, -1, -1)
    ]


def _rough(months: int, steps: int) -> str:
    words = []
    if months % 12:
        words.append("The periods are of different seasons, which no rate here knows of.")
    if steps == 1:
        words.append(
            "Fitted on one step alone: how much rates differ from period to period nobody has "
            "seen, so that the true intervals are wider."
        )
    elif steps < LEAST_STEPS:
        words.append(
            f"Fitted on {steps} steps: too few to see how much rates differ from period to period, "
            "so that the true intervals are wider."
        )
    return " ".join(words)


def _range(values: NDArray[np.float64]) -> Ahead:
    low, high = np.quantile(values, (0.025, 0.975))
    return Ahead(mean=float(values.mean()), low=float(low), high=float(high))


def _rows(placed: Sequence[AssignmentAt], seen: _Seen, plain: Projection) -> list[StateAhead]:
    states = len(seen.now)
    counts = [np.bincount(at.placement.state, minlength=states) for at in placed]
    money = [
        np.bincount(at.placement.state, at.made.money.astype(np.float64), states) for at in placed
    ]
    until = _until(seen)
    rows = []
    for state in range(states):
        sizes = plain.sizes[:, :, state].astype(np.float64)
        rows.append(StateAhead(
            customers=[int(count[state]) for count in counts],
            money=[round(float(sums[state])) for sums in money],
            ahead=[_range(sizes[:, p]) for p in range(PERIODS + 1)],
            money_ahead=[_range(sizes[:, p] * seen.spend[state]) for p in range(PERIODS + 1)],
            until=until[state],
        ))  # fmt: skip
    return rows


def _until(seen: _Seen) -> list[float | None]:
    k = len(seen.now) - 3
    left = k + 1
    if not any(table[:, left].any() for table in seen.tables):
        return [None] * len(seen.now)
    found = periods_until(seen.rates, left)
    return [float(v) if s < k and np.isfinite(v) else None for s, v in enumerate(found)]


def _possible(asked: tuple[int, int, float], states: int) -> bool:
    origin, target, rate = asked
    k = states - 3
    return 0 <= origin < k and 0 <= target < states and target != k and 0 <= rate <= 1


def _wondered(
    seen: _Seen, plain: Projection, origin: int, target: int, rate: float
) -> Wondered:  # fmt: skip
    other = seen.ahead(WhatIf(origin, target, rate))
    gap = other.expected - plain.expected
    last = gap[:, PERIODS]
    return Wondered(
        origin=origin, target=target, rate=float(seen.rates[origin, target]), changed=rate,
        fewer=_range(-last[:, target]), money=_range(last @ seen.spend),
        states=[
            [_range(other.sizes[:, p, s].astype(np.float64)) for p in range(PERIODS + 1)]
            for s in range(len(seen.now))
        ],
    )  # fmt: skip
