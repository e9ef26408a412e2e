"""Cohorts of the log: who came again, and how long they took."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.core.calendar import date_of
from sortija.core.crossings.cohorts import LEAST, Cohorts, cohorts_of, time_to_next
from sortija.core.crossings.survival import Survival
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["CohortsPage", "cohorts_page"]

#: Points of the curve that are drawn.
POINTS = 120


class CohortCell(BaseModel):
    """A cohort in one quarter since it came: how many bought, what all of them spent; ``first``
    and ``last``: its days."""

    first: str
    last: str
    bought: int
    money: int


class CohortRow(BaseModel):
    """Customers whose first purchase lies from ``first`` to ``last``; ``cells``: a quarter each,
    as far as they have ended. ``unsure``: some may have been customers before the log begins;
    ``few``: so few that no share of them is told."""

    first: str
    last: str
    customers: int
    unsure: bool
    few: bool
    cells: list[CohortCell]


class WaitBody(BaseModel):
    """Days to the next purchase of ``customers`` who are new: share still waiting, with its
    interval; ``half``: days after which half have bought again, null if that is not seen."""

    customers: int
    days: list[float]
    waiting: list[float]
    low: list[float | None]
    high: list[float | None]
    half: float | None
    after_year: float | None


class CohortsPage(BaseModel):
    """``begins``, ``ends``: what the log has up to the window's last day; ``least``: of fewer
    customers no share is told."""

    status: Status
    begins: str
    ends: str
    rows: list[CohortRow]
    wait: WaitBody | None
    least: int = LEAST


def cohorts_page(study: Study, window: WindowInView | None) -> CohortsPage:
    """Cohorts up to the window's last day."""
    ledger = ledger_of(study)
    reach = ledger.reach() if ledger and ledger.built else None
    if ledger is None or reach is None or window is None:
        words = "Cohorts are counted from a log. Import one first."
        return CohortsPage(
            status=Status(state="empty", words=words), begins="", ends="", rows=[], wait=None
        )  # fmt: skip
    ends = min(window.window.as_of, reach.last + 1)
    if ends <= reach.first:
        words = f"The log begins on {date_of(reach.first):%d %b %Y}, after this window."
        return CohortsPage(
            status=Status(state="empty", words=words), begins="", ends="", rows=[], wait=None
        )  # fmt: skip
    return _made(Keyed((ledger.made_from, reach.first, ends), (ledger, reach.first, ends)))


@remembered
def _made(key: Keyed[tuple[Ledger, int, int]]) -> CohortsPage:
    ledger, begins, ends = key.value
    lines = ledger.lines().log.arrays()
    found = cohorts_of(lines, ledger.mask, begins, ends)
    wait = time_to_next(lines, ledger.mask, begins, ends)
    return CohortsPage(
        status=Status(state="whole"), begins=date_of(begins).isoformat(),
        ends=date_of(ends - 1).isoformat(),
        rows=[_row(found, cohort) for cohort in range(len(found.customers))],
        wait=_wait(wait, ends - begins) if wait else None,
    )  # fmt: skip


def _days(found: Cohorts, quarter: int) -> tuple[str, str]:
    first, after = int(found.starts[quarter]), int(found.starts[quarter + 1])
    return date_of(first).isoformat(), date_of(after - 1).isoformat()


def _row(found: Cohorts, cohort: int) -> CohortRow:
    first, last = _days(found, cohort)
    cells = []
    for period in range(len(found.whole) - cohort):
        if found.told(cohort, period):
            days = _days(found, cohort + period)
            cells.append(CohortCell(
                first=days[0], last=days[1], bought=int(found.bought[cohort, period]),
                money=int(found.money[cohort, period]),
            ))  # fmt: skip
    return CohortRow(
        first=first, last=last, customers=int(found.customers[cohort]),
        unsure=bool(found.unsure[cohort]), few=bool(found.customers[cohort] < LEAST), cells=cells,
    )  # fmt: skip


def _wait(found: Survival, span: int) -> WaitBody:
    step = max(1, -(-len(found.times) // POINTS))
    places = sorted({*range(0, len(found.times), step), len(found.times) - 1} - {-1})

    def plain(values: list[float]) -> list[float | None]:
        return [None if value != value else float(value) for value in values]

    return WaitBody(
        customers=int(found.at_risk[0]) if len(found.at_risk) else 0,
        days=[float(found.times[p]) for p in places],
        waiting=[float(found.waiting[p]) for p in places],
        low=plain([float(found.low[p]) for p in places]),
        high=plain([float(found.high[p]) for p in places]),
        half=None if found.median != found.median else found.median,
        after_year=found.at(365) if span > 365 + 90 else None,
    )  # fmt: skip
