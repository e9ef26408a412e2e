"""Derive the measures of every customer within one window, or within a series of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import date_of
from sortija.core.engine import Engine, chunk_bounds, readonly
from sortija.core.ledger.counting import Kind
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import ON_OFFER
from sortija.core.measures.catalogue import MEASURES, Measure
from sortija.core.measures.column_layout import Layout, Names, layout_of
from sortija.core.measures.kernels import (
    DAYS,
    FIXED,
    SUMS_OF_EVERYONE,
    Everyone,
    Figure,
    Results,
    Wanted,
    Windows,
    against_everyone,
    day_money,
    derive_block,
)
from sortija.core.measures.window import Spans, Window, spans_of
from sortija.core.progress import Progress, silent
from sortija.core.table import JOINED_LATER, NO_VISIT, NOT_GIVEN, TOO_FEW, Column, Table

__all__ = [
    "VERSION",
    "Derived",
    "Names",
    "Reconciliation",
    "derive",
    "derive_series",
    "last_day_of",
]

VERSION = 3
SHORTEST_GAP = 14.0
#: A first purchase so soon after the log begins may not be the customer's first at all.
UNSURE_DAYS = 90
#: Lines that are added up by day at a time.
_LINES = 1 << 20
#: Why a figure is missing for a customer with a purchase; else for having too few visits.
_WHY = {"margin": NOT_GIVEN, "tenure": JOINED_LATER}


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
    begins = days.first_day()
    spans = spans_of(windows, max(begins, 0))
    told = log.cost is not None or bool(names.rates)
    layout = layout_of(names, told, lambda kind, size: _most_sold(log, mask, kind, size))
    n, many = log.customers, len(windows)
    values = np.empty((many, len(FIXED) + len(layout.shares), n))
    money = np.zeros((many, n), np.int64)
    first_ever = np.full(n, -1, np.int64)
    blocks = chunk_bounds(n)
    everyone = np.zeros((max(len(blocks), 1), many, SUMS_OF_EVERYONE), np.int64)
    rhythms = np.zeros((max(len(blocks), 1), many, 2 * len(spans.season) + 1), np.int32)
    names_of = (*FIXED, *layout.shares)
    apart = layout.left_out | {"tenure"}  # which is not read from lines
    columns = [place for place, name in enumerate(names_of) if name not in apart]
    rates = np.array(names.rates or ((np.nan,) if log.cost is not None else ()), np.float64)
    dates = readonly(np.zeros(0) if joined is None else joined)
    wanted = Wanted(
        mask, ON_OFFER, rates, dates, 10.0**scale, layout.at, np.array(columns), layout.slots
    )
    lines, within = log.arrays(), Windows(
        spans.first_days, spans.as_ofs, spans.of_day, spans.season
    )  # fmt: skip

    def block(place: int) -> None:
        progress("measures", place, len(blocks))
        results = Results(values, money, first_ever, everyone[place], rhythms[place])
        derive_block(lines, *blocks[place], within, wanted, results)

    engine.map(block, range(len(blocks)))
    whole, rhythm = everyone.sum(axis=0), rhythms.sum(axis=0)

    def window(place: int) -> Derived:
        at = _At(spans, place, days, whole[place], rhythm[place])
        return _finish(at, layout, values[place], money[place], first_ever, joined)

    return tuple(engine.map(window, range(many)))


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
    return _Days(sum(engine.map(part, bounds), ownerless.copy()), ownerless)


def _most_sold(log: Log, mask: int, kind: str, size: int) -> NDArray[np.int64]:
    """Numbers of departments or sites by the sales that count, most first."""
    codes: NDArray[np.int16] = getattr(log, kind)
    sales = log.counts(mask) & (log.kind == Kind.SALE) & (codes >= 0) & (codes < size)
    sold = np.bincount(codes[sales], log.money[sales], minlength=size)
    return np.argsort(-sold, kind="stable")


def _finish(
    at: _At, layout: Layout, values: NDArray[np.float64], money: NDArray[np.int64],
    first_ever: NDArray[np.int64], joined: NDArray[np.float64] | None,
) -> Derived:  # fmt: skip
    """What wants figures of everyone, and the columns under their names."""
    everyone = _trend_of(at.everyone)
    own, recency, trend = values[Figure.SILENCE], values[Figure.RECENCY], values[Figure.TREND]
    visits = values[Figure.FREQUENCY]
    against_everyone(own, recency, trend, _usual_gap(at.rhythms), SHORTEST_GAP, everyone)
    columns, about = [], {}
    for place, name in enumerate((*FIXED, *layout.shares)):
        if name in layout.left_out:
            continue
        measure = layout.shares.get(name) or MEASURES[name]
        why = partial(_reasons, values[place], visits, _WHY.get(name, TOO_FEW))
        columns.append(Column(name, "number", values[place], measure.unit, why=why))
        about[name] = measure
    present = ~np.isnan(visits)
    bought = (first_ever >= 0) & (first_ever < at.as_of)
    known, unsure = bought.copy(), bought & (first_ever < at.days.first_day() + UNSURE_DAYS)
    if joined is not None:
        known |= joined < at.as_of
        unsure &= np.isnan(joined)
    return Derived(
        table=Table(tuple(columns)), about=about, present=present, known=known, bought=bought,
        money=money, at_least=unsure, trend=everyone, reconciliation=_reconcile(at),
    )  # fmt: skip


def _reasons(
    values: NDArray[np.float64], visits: NDArray[np.float64], code: int
) -> NDArray[np.uint8]:
    """Why values are missing: there was no visit, or else what ``code`` says."""
    reasons = np.where(np.isnan(visits), np.uint8(NO_VISIT), np.uint8(code))
    return np.where(np.isnan(values), reasons, np.uint8(0))


def _usual_gap(rhythms: NDArray[np.int64]) -> float:
    """Median over customers of their median gaps, told by how many have which, in half days."""
    upto = np.cumsum(rhythms)
    if not upto[-1]:
        return SHORTEST_GAP
    low, high = np.searchsorted(upto, [(upto[-1] - 1) // 2, upto[-1] // 2], side="right")
    return float(low + high) / 4.0


def _trend_of(whole: NDArray[np.int64]) -> float:
    """The trend of all customers together."""
    told = {each: int(whole[each]) for each in Everyone}
    half = told[Everyone.MONEY_OF_PURCHASES] / max(told[Everyone.FREQUENCY], 1) / 2.0
    early = told[Everyone.EARLY_GROSS]
    late = told[Everyone.GROSS] - early + half
    return math.log(late / (early + half)) if early + half > 0 and late > 0 else 0.0


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
