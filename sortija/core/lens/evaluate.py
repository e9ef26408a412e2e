"""Evaluate a lens over all customers, and draw every chart of a screen from one pass.

A byte a customer counts the clauses that it fails. 0: in the lens. 1, and the failed clause is
a chart's own: the customer still counts for that chart's bars, which are drawn without the
chart's own clause so that it can be widened.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, chunk_bounds
from sortija.core.lens.bins import Bins
from sortija.core.lens.clauses import MISSING, Clause, ClauseError
from sortija.core.table import Column

__all__ = ["Bars", "Chart", "Selection", "Totals", "draw", "members", "select", "without"]


@dataclass(frozen=True)
class Totals:
    """How many customers, and their money at the study's scale."""

    customers: int
    money: int


@dataclass(frozen=True)
class Chart:
    """A chart to draw: its field, its bins, and its window where it is fixed to one."""

    field: str
    bins: Bins
    window: str = ""


@dataclass(frozen=True)
class Bars:
    """Counts a bar for everyone and for the lens without the chart's own clause."""

    everyone: NDArray[np.int64]
    lens: NDArray[np.int64]
    everyone_missing: int
    lens_missing: int


@dataclass(frozen=True)
class Selection:
    """A lens evaluated: ``fails`` (clauses, n) uint8, ``failed`` (n,) uint8 their sum.

    ``known``: (n,) bool, who is part of everyone.
    """

    clauses: tuple[Clause, ...]
    fails: NDArray[np.uint8]
    failed: NDArray[np.uint8]
    known: NDArray[np.bool_]
    everyone: Totals
    lens: Totals


@numba.njit(nogil=True, cache=True)
def _fail_ranges(
    values: Any, lows: Any, highs: Any, missing: bool, negated: bool, out: Any
) -> None:
    for i in range(len(values)):
        value = values[i]
        holds = missing and np.isnan(value)
        for r in range(len(lows)):
            if value >= lows[r] and value < highs[r]:
                holds = True
        out[i] = 1 if holds == negated else 0


@numba.njit(nogil=True, cache=True)
def _fail_levels(values: Any, wanted: Any, negated: bool, out: Any) -> None:
    for i in range(len(values)):
        out[i] = 1 if wanted[values[i]] == negated else 0


@numba.njit(nogil=True, cache=True)
def _sum(failed: Any, known: Any, money: Any, limit: int) -> tuple[int, int]:
    count, total = 0, 0
    for i in range(len(failed)):
        if known[i] and failed[i] <= limit:
            count += 1
            total += money[i]
    return count, total


@numba.njit(nogil=True, cache=True)
def _bars(codes: Any, failed: Any, own: Any, known: Any, everyone: Any, lens: Any) -> None:
    """``own`` has length 0 where the chart has no clause of its own."""
    with_own = len(own) > 0
    for i in range(len(codes)):
        if not known[i]:
            continue
        everyone[codes[i]] += 1
        if failed[i] == 0 or (with_own and failed[i] == 1 and own[i] == 1):
            lens[codes[i]] += 1


def _fail(clause: Clause, column: Column, start: int, stop: int, out: NDArray[np.uint8]) -> None:
    values = column.values[start:stop]
    if column.kind == "number":
        lows = np.array([-np.inf if low is None else low for low, _ in clause.ranges], float)
        highs = np.array([np.inf if high is None else high for _, high in clause.ranges], float)
        _fail_ranges(values, lows, highs, MISSING in clause.values, clause.negated, out)
        return
    wanted = np.zeros(len(column.levels) + 1, np.bool_)
    for value in clause.values:
        if value == MISSING:
            wanted[0] = True
        elif value in column.levels:
            wanted[column.levels.index(value) + 1] = True
    _fail_levels(values, wanted, clause.negated, out)


def select(
    clauses: Sequence[Clause],
    columns: Mapping[tuple[str, str], Column],
    known: NDArray[np.bool_],
    money: NDArray[np.int64],
    engine: Engine | None = None,
) -> Selection:
    """Evaluate clauses over all customers.

    Parameters
    ----------
    columns : (field, window) of every clause → its column of n values
    known, money : (n,) who is part of everyone, and everyone's money

    Raises
    ------
    ClauseError
        A clause asks a category for ranges.
    """
    engine = engine or Engine(1)
    for clause in clauses:
        if clause.ranges and columns[clause.field, clause.window].kind == "category":
            raise ClauseError(f"{clause.field} has values to pick, not ranges.")
    n = len(known)
    fails = np.zeros((len(clauses), n), np.uint8)
    failed = np.zeros(n, np.uint8)

    def part(bounds: tuple[int, int]) -> tuple[int, int, int, int]:
        start, stop = bounds
        for place, clause in enumerate(clauses):
            column = columns[clause.field, clause.window]
            _fail(clause, column, start, stop, fails[place, start:stop])
            failed[start:stop] += fails[place, start:stop]
        here = slice(start, stop)
        mine = _sum(failed[here], known[here], money[here], 0)
        return (*mine, *_sum(failed[here], known[here], money[here], 255))

    sums = engine.map(part, chunk_bounds(n))
    inside = Totals(sum(s[0] for s in sums), sum(s[1] for s in sums))
    everyone = Totals(sum(s[2] for s in sums), sum(s[3] for s in sums))
    return Selection(tuple(clauses), fails, failed, known, everyone, inside)


def draw(selection: Selection, charts: Sequence[Chart], engine: Engine | None = None) -> list[Bars]:
    """The bars of every chart of a screen."""
    engine = engine or Engine(1)
    bounds = chunk_bounds(len(selection.known))
    own_clause = {(c.field, c.window): i for i, c in enumerate(selection.clauses)}
    nothing = np.zeros(0, np.uint8)

    def part(job: tuple[Chart, tuple[int, int]]) -> NDArray[np.int64]:
        chart, (start, stop) = job
        counts = np.zeros((2, 256), np.int64)
        place = own_clause.get((chart.field, chart.window))
        own = nothing if place is None else selection.fails[place, start:stop]
        codes = chart.bins.codes[start:stop]
        _bars(
            codes, selection.failed[start:stop], own, selection.known[start:stop],
            counts[0], counts[1],
        )  # fmt: skip
        return counts

    parts = engine.map(part, [(chart, b) for chart in charts for b in bounds])
    out = []
    for place, chart in enumerate(charts):
        mine = parts[place * len(bounds) : (place + 1) * len(bounds)]
        total = sum(mine, np.zeros((2, 256), np.int64))
        bars = chart.bins.count
        out.append(Bars(total[0, :bars], total[1, :bars], int(total[0, 255]), int(total[1, 255])))
    return out


def without(selection: Selection, place: int, money: NDArray[np.int64]) -> Totals:
    """The lens as it would be without its clause number ``place``."""
    left = selection.failed - selection.fails[place]
    return Totals(*_sum(left, selection.known, money, 0))


def members(selection: Selection) -> NDArray[np.int64]:
    """Row numbers of the customers in the lens.

    >>> from sortija.core.table import Column
    >>> visits = Column("visits", "number", np.array([1.0, 4.0, 9.0]))
    >>> clause = Clause("measure:visits", ranges=((3, None),))
    >>> money = np.array([100, 200, 700])
    >>> found = select([clause], {("measure:visits", ""): visits}, np.ones(3, bool), money)
    >>> members(found).tolist()
    [1, 2]
    """
    return np.flatnonzero((selection.failed == 0) & selection.known)
