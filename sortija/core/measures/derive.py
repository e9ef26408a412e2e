"""Derive the measures of every customer within one window, or within a series of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import date_of
from sortija.core.engine import WHOLE, Engine, Parts, chunk_bounds
from sortija.core.engine.parts import Part
from sortija.core.ledger.counting import parts_of
from sortija.core.ledger.log import Log
from sortija.core.measures.catalogue import Measure
from sortija.core.measures.column_layout import Layout, Names
from sortija.core.measures.kernels import (
    DAYS,
    SUMS_OF_EVERYONE,
    Everyone,
    Figure,
    Results,
    day_money,
    derive_block,
)
from sortija.core.measures.reading import columns_from, reading_of, trend_of_everyone
from sortija.core.measures.window import Spans, Window
from sortija.core.progress import Progress, silent
from sortija.core.table import Table

__all__ = [
    "UNSURE_DAYS",
    "VERSION",
    "Derived",
    "Names",
    "Reconciliation",
    "derive",
    "derive_series",
    "last_day_of",
    "windows_at_once",
]

VERSION = 3
#: A first purchase so soon after the log begins may not be the customer's first at all.
UNSURE_DAYS = 90
#: Columns of one window at the most, and what windows of one pass may take together.
COLUMNS_AT_MOST = 100
SERIES_MEMORY = 4 << 30
#: Lines that are added up by day at a time.
_LINES = 1 << 20


@dataclass(frozen=True)
class Reconciliation:
    """Money at the study's scale: the window's ledger total and the three parts it splits into."""

    ledger: int
    table: int
    without_purchase: int
    without_customer: int

    @property
    def balances(self) -> bool:
        return self.ledger == self.table + self.without_purchase + self.without_customer


@dataclass(frozen=True)
class Derived:
    """Measures of one window.

    ``table``: one row per customer (also those without a purchase: all their measures are
    missing); ``about``: the measure behind each column; ``present``: (n,) who made a purchase;
    ``known``: (n,) who is known at the window's end; ``bought``: (n,) who made a purchase before
    it; ``money``: (n,) int64 sales less returns; ``at_least``: (n,) whose tenure may be longer,
    for the log may begin after them; ``trend``: the trend of all customers together.
    """

    table: Table
    about: dict[str, Measure]
    present: NDArray[np.bool_]
    known: NDArray[np.bool_]
    bought: NDArray[np.bool_]
    money: NDArray[np.int64]
    at_least: NDArray[np.bool_]
    trend: float
    reconciliation: Reconciliation


@dataclass(frozen=True)
class _Days:
    """Lines and money by day, of everyone and of the lines without a customer."""

    every: NDArray[np.int64]
    ownerless: NDArray[np.int64]

    def first_day(self) -> int:
        """The oldest day with a line that counts; −1 without any."""
        found = np.flatnonzero(self.every[:, 0])
        return int(found[0]) if len(found) else -1


def derive(
    log: Log,
    window: Window,
    mask: int,
    scale: int,
    names: Names | None = None,
    joined: NDArray[np.float64] | None = None,
    engine: Engine | None = None,
    progress: Progress = silent,
) -> Derived:
    """One row per customer from the lines that count within ``window``.

    Parameters
    ----------
    log : Log
    mask : int
        Bits of the rules that are on (``rules.mask_of``).
    scale : int
        Decimals of the study's money; money columns come out in major units.
    names : Names, optional
        Labels of departments, channels and sites; those named get a share each.
    joined : (customers,) float64, optional
        Joining dates in days since 1970-01-01, NaN where not given.
    """
    return derive_series(log, [window], mask, scale, names, joined, engine, progress)[0]


def windows_at_once(customers: int) -> int:
    """How many windows :func:`derive_series` makes in one pass without taking too much memory; more
    than five hardly save any time.

    >>> windows_at_once(6_000), windows_at_once(1_000_000), windows_at_once(50_000_000)
    (36, 5, 1)
    """
    each = max(1, customers) * COLUMNS_AT_MOST * 8
    return min(36, max(1, SERIES_MEMORY // each))


def derive_series(
    log: Log,
    windows: Sequence[Window],
    mask: int,
    scale: int,
    names: Names | None = None,
    joined: NDArray[np.float64] | None = None,
    engine: Engine | None = None,
    progress: Progress = silent,
) -> tuple[Derived, ...]:
    """The measures of several windows from one pass over the lines; see :func:`derive`.

    Each window's result is the same to the bit as :func:`derive` gives for it alone.

    Raises
    ------
    ValueError
        A window begins or ends before the one in front of it, or there is none.
    """
    names, engine = names or Names(), engine or Engine(1)
    days = _by_day(log, mask, engine)
    reading = reading_of(log, windows, days.first_day(), mask, scale, names, joined)
    n, many = log.customers, len(windows)
    values = np.empty((many, reading.width, n))
    money = np.zeros((many, n), np.int64)
    first_ever = np.full(n, -1, np.int64)
    blocks = chunk_bounds(n)
    everyone = np.zeros((max(len(blocks), 1), many, SUMS_OF_EVERYONE), np.int64)
    halves = 2 * len(reading.spans.season) + 1
    rhythms = np.zeros((max(len(blocks), 1), many, halves), np.int32)
    lines, within = log.arrays(), reading.windows

    def block(place: int) -> None:
        results = Results(values, money, first_ever, everyone[place], rhythms[place])
        derive_block(lines, *blocks[place], within, reading.wanted, results)

    def touched(place: int) -> Parts:
        own = slice(*blocks[place])
        joined = reading.wanted.joined
        reads = [*parts_of(lines, *blocks[place]), *([(joined, own)] if len(joined) else [])]
        # Of customers without a line nothing is written but what was there.
        changes: list[Part] = [
            (money, (WHOLE, own)),
            (first_ever, own),
            (everyone, place),
            (rhythms, place),
        ]
        return Parts(reads, [(values, (WHOLE, WHOLE, own))], changes)

    engine.map(
        block, range(len(blocks)), touched, lambda done: progress("measures", done, len(blocks))
    )
    whole, rhythm = everyone.sum(axis=0), rhythms.sum(axis=0)

    def window(place: int) -> Derived:
        at = _At(reading.spans, place, days, whole[place], rhythm[place])
        return _finish(at, reading.layout, values[place], money[place], first_ever, joined)

    return tuple(engine.here.map(window, range(many)))


@dataclass(frozen=True)
class _At:
    """One window of a series, with the sums by day and over everyone, and how many customers have
    which median gap, in half days."""

    spans: Spans
    place: int
    days: _Days
    everyone: NDArray[np.int64]
    rhythms: NDArray[np.int64]

    @property
    def first(self) -> int:
        return int(self.spans.first_days[self.place])

    @property
    def as_of(self) -> int:
        return int(self.spans.as_ofs[self.place])


def _by_day(log: Log, mask: int, engine: Engine) -> _Days:
    named, end, lines = int(log.start[-2]), len(log), log.arrays()
    bounds = [(a, min(a + _LINES, named)) for a in range(0, named, _LINES)]
    latest = int(log.day.max(initial=0)) if end < _LINES else DAYS - 1
    size = min(latest + 1, DAYS)

    def part(bound: tuple[int, int]) -> NDArray[np.int64]:
        out = np.zeros((max(size, 1), 2), np.int64)
        day_money(lines, mask, *bound, out)
        return out

    ownerless = part((named, end))

    def touched(bound: tuple[int, int]) -> Parts:
        return Parts([(each, slice(*bound)) for each in (lines.bits, lines.day, lines.money)])

    return _Days(sum(engine.map(part, bounds, touched), ownerless.copy()), ownerless)


def _finish(
    at: _At, layout: Layout, values: NDArray[np.float64], money: NDArray[np.int64],
    first_ever: NDArray[np.int64], joined: NDArray[np.float64] | None,
) -> Derived:  # fmt: skip
    """What wants figures of everyone, and the columns under their names."""
    columns, about = columns_from(layout, values, at.everyone, at.rhythms)
    visits = values[Figure.FREQUENCY]
    present = ~np.isnan(visits)
    bought = (first_ever >= 0) & (first_ever < at.as_of)
    known, unsure = bought.copy(), bought & (first_ever < at.days.first_day() + UNSURE_DAYS)
    if joined is not None:
        known |= joined < at.as_of
        unsure &= np.isnan(joined)
    return Derived(
        table=Table(columns), about=about, present=present, known=known, bought=bought,
        money=money, at_least=unsure, trend=trend_of_everyone(at.everyone),
        reconciliation=_reconcile(at),
    )  # fmt: skip


def _reconcile(at: _At) -> Reconciliation:
    inside = slice(max(at.first, 0), max(at.as_of, 0))
    money, table = int(at.everyone[Everyone.MONEY]), int(at.everyone[Everyone.TABLE])
    return Reconciliation(
        ledger=int(at.days.every[inside, 1].sum()),
        table=table,
        without_purchase=money - table,
        without_customer=int(at.days.ownerless[inside, 1].sum()),
    )


def last_day_of(log: Log, mask: int) -> Window | None:
    """The default window: 12 months up to the newest counted day; None for an empty ledger."""
    newest = log.last_day(mask)
    return Window(date_of(newest)) if newest >= 0 else None
