"""Looks at the lines that count: when, where, what, who is new, baskets, days without data."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import step_ends, step_of, step_starts
from sortija.core.engine import Engine
from sortija.core.ledger.summaries import gaps, visits
from sortija.server.ledger.rules.choices import NO_RATES, RATES
from sortija.server.ledger.store.ledger import Ledger, ledger_of, texts
from sortija.server.studies.actions import read_setting
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered

__all__ = ["LedgerSummaries", "ledger_summaries"]

#: More names than these are of no use on a screen; the rest are told together.
MOST_NAMES = 12
#: Lives as long as the process; kernels release the interpreter's lock.
ENGINE = Engine()


class SummaryPart(BaseModel):
    """One name of a column: its number (−1: none given, −2: all the rest), lines and money."""

    number: int
    name: str
    lines: int
    money: int


class SummaryColumn(BaseModel):
    """Parts of one column, largest money first; ``names``: how many there are in all."""

    column: str
    names: int
    parts: list[SummaryPart]


class Newcomers(BaseModel):
    """Customers by the month of their first purchase; ``starts``, ``ends`` since 1970-01-01."""

    starts: list[int]
    ends: list[int]
    customers: list[int]


class Baskets(BaseModel):
    """Purchases by what they come to, in major units; bar *i* goes from edge *i* to *i* + 1."""

    edges: list[float]
    purchases: list[int]
    median: float
    mean: float


class DataGap(BaseModel):
    """Days in a row without a line; ``site`` empty: in no shop at all."""

    site: str
    first: int
    last: int


class Margins(BaseModel):
    """Shares of sales that are gross margin; ``costs``: lines of the log tell their own cost."""

    departments: dict[str, float]
    rest: float | None
    names: list[str]
    costs: bool
    revision: int


class LedgerSummaries(BaseModel):
    """``hours``: (168) lines and money by hour of the week, Monday 0:00 first."""

    made_from: str
    hour_lines: list[int]
    hour_money: list[int]
    columns: list[SummaryColumn]
    newcomers: Newcomers
    baskets: Baskets | None
    gaps: list[DataGap]
    all_gaps: int
    margins: Margins | None


class _Key(NamedTuple):
    made_from: str


def ledger_summaries(study: Study) -> LedgerSummaries | None:
    """Every look at once; None while there is nothing to look at."""
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        return None
    found = _summaries(Keyed(_Key(ledger.made_from), ledger))
    return found.model_copy(update={"margins": _margins(ledger)})


@remembered
def _summaries(keyed: Keyed[Ledger]) -> LedgerSummaries:
    ledger = keyed.value
    hour_lines, hour_money = _hours(ledger)
    newcomers, baskets = _people(ledger)
    found = _gaps(ledger)
    return LedgerSummaries(
        made_from=ledger.made_from, hour_lines=hour_lines, hour_money=hour_money,
        columns=[c for name in ("department", "channel", "site") if (c := _column(ledger, name))],
        newcomers=newcomers, baskets=baskets, gaps=found[:MOST_NAMES], all_gaps=len(found),
        margins=None,
    )  # fmt: skip


def _margins(ledger: Ledger) -> Margins:
    chosen, revision = read_setting(ledger.study, RATES, NO_RATES)
    return Margins(
        **chosen, names=list(texts(ledger.study, "department"))[:200],
        costs=ledger.lines().log.cost is not None, revision=revision,
    )  # fmt: skip


def _hours(ledger: Ledger) -> tuple[list[int], list[int]]:
    keys, lines, money = ledger.lines().cubes["hour"].by_key(ledger.mask)
    inside = (keys >= 0) & (keys < 168)
    out = np.zeros((2, 168), np.int64)
    out[0, keys[inside]], out[1, keys[inside]] = lines[inside], money[inside]
    return out[0].tolist(), out[1].tolist()


def _column(ledger: Ledger, name: str) -> SummaryColumn | None:
    """The parts of a column; None where the log has one name for everything, or none."""
    keys, lines, money = ledger.lines().cubes[name].by_key(ledger.mask)
    if len(keys) < 2:
        return None
    names = (*texts(ledger.study, name), "")
    order = np.argsort(-money, kind="stable")
    parts = [
        SummaryPart(
            number=int(keys[p]), name=names[keys[p]] or "none given", lines=int(lines[p]),
            money=int(money[p]),
        )
        for p in order[:MOST_NAMES]
    ]  # fmt: skip
    rest = order[MOST_NAMES:]
    if len(rest):
        words = f"{len(rest):,} others"
        parts.append(SummaryPart(
            number=-2, name=words, lines=int(lines[rest].sum()), money=int(money[rest].sum())
        ))  # fmt: skip
    return SummaryColumn(column=name, names=len(keys), parts=parts)


def _people(ledger: Ledger) -> tuple[Newcomers, Baskets | None]:
    found = visits(ledger.lines().log, ledger.mask, ENGINE)
    month = step_of(found.first[found.first >= 0], "month")
    if not len(month):
        return Newcomers(starts=[], ends=[], customers=[]), None
    numbers = np.arange(month.min(), month.max() + 1, dtype=np.int32)
    newcomers = Newcomers(
        starts=step_starts(numbers, "month").tolist(),
        ends=step_ends(numbers, "month").tolist(),
        customers=np.bincount(month - numbers[0], minlength=len(numbers)).tolist(),
    )
    return newcomers, _baskets(found.money, 10**ledger.study.scale)


def _baskets(money: NDArray[np.int64], unit: int) -> Baskets:
    """Purchases between 1, 2 and 5 of every power of ten; the first and last bar take the rest."""
    middle = len(money) // 2
    typical = float(np.partition(money, middle)[middle]) / unit
    steps = np.array([f * 10.0**e for e in range(-1, 7) for f in (1, 2, 5)])
    edges = np.concatenate([[0.0], steps])
    limits = np.rint(edges * unit).astype(np.int64)
    counts = np.bincount(np.searchsorted(limits, money, side="right"), minlength=len(edges) + 1)
    counts = counts[1:]  # money below nothing goes to the first bar
    counts[0] += int((money < 0).sum())
    reached = np.cumsum(counts) / len(money)
    last = int(np.searchsorted(reached, 0.998)) + 1
    first = int(np.searchsorted(reached, 0.002, side="right"))
    kept = counts[first:last].copy()
    kept[0] += counts[:first].sum()
    kept[-1] += counts[last:].sum()
    return Baskets(
        edges=edges[first : last + 1].tolist(), purchases=kept.tolist(), median=typical,
        mean=float(money.mean()) / unit,
    )  # fmt: skip


def _gaps(ledger: Ledger) -> list[DataGap]:
    """Stretches without data: in all shops at once, then in single ones, longest first."""
    site, day = ledger.lines().site_days
    found = [DataGap(site="", first=g.first, last=g.last) for g in gaps(np.unique(day))]
    everywhere = [(g.first, g.last) for g in found]
    names = (*texts(ledger.study, "site"), "")
    own = []
    for number in np.unique(site[site >= 0]):
        for gap in gaps(day[site == number]):
            inside = any(first <= gap.first and gap.last <= last for first, last in everywhere)
            if not inside:
                own.append(DataGap(site=names[number], first=gap.first, last=gap.last))
    own.sort(key=lambda g: g.first - g.last)
    return [*found, *own]
