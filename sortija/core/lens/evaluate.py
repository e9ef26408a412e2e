"""Evaluate a lens over all customers: a byte a customer counts the clauses that it fails."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.lens.clauses import MISSING, Clause, ClauseError
from sortija.core.table import Column

__all__ = ["Selection", "Totals", "fails_of", "members", "select", "select_by", "without"]


@dataclass(frozen=True)
class Totals:
    """How many customers, and their money at the study's scale."""

    customers: int
    money: int


@dataclass(frozen=True)
class Selection:
    """A lens evaluated: ``fails``, for each clause (n,) uint8, ``failed`` (n,) uint8 their sum.

    ``known``: (n,) bool, who is part of everyone.
    """

    clauses: tuple[Clause, ...]
    fails: tuple[NDArray[np.uint8], ...]
    failed: NDArray[np.uint8]
    known: NDArray[np.bool_]
    everyone: Totals
    lens: Totals

    def inside(self, own: int | None = None) -> NDArray[np.uint8]:
        """Who is in the lens, (n,) uint8; with ``own``, whether or not they fail that clause."""
        fails = self.failed == (0 if own is None else self.fails[own])
        return fails.view(np.uint8) & self.known.view(np.uint8)


# The loops over all customers choose nothing: a processor does several rows of them at once.


@numba.njit(nogil=True, cache=True)
def _fail_range(
    values: Any, low: float, high: float, missing: bool, negated: bool, out: Any
) -> None:
    for i in range(len(values)):
        value = values[i]
        # What is missing is not equal to itself.
        holds = ((value >= low) & (value < high)) | (missing & (value != value))
        out[i] = holds == negated


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
        out[i] = wanted[values[i]] == negated


@numba.njit(nogil=True, cache=True)
def _sums(failed: Any, known: Any, money: Any) -> tuple[int, int, int, int]:
    """Customers and money of the lens, then of everyone."""
    inside, spent, everyone, all_spent = 0, 0, 0, 0
    for i in range(len(failed)):
        there = int(known[i])
        hit = there * int(failed[i] == 0)
        inside += hit
        spent += hit * money[i]
        everyone += there
        all_spent += there * money[i]
    return inside, spent, everyone, all_spent


def _fail(clause: Clause, column: Column, start: int, stop: int, out: NDArray[np.uint8]) -> None:
    values = column.values[start:stop]
    if column.kind == "number":
        missing, negated = MISSING in clause.values, clause.negated
        lows = np.array([-np.inf if low is None else low for low, _ in clause.ranges], float)
        highs = np.array([np.inf if high is None else high for _, high in clause.ranges], float)
        if len(lows) == 1:
            _fail_range(values, lows[0], highs[0], missing, negated, out)
        else:
            _fail_ranges(values, lows, highs, missing, negated, out)
        return
    wanted = np.zeros(len(column.levels) + 1, np.bool_)
    for value in clause.values:
        if value == MISSING:
            wanted[0] = True
        elif value in column.levels:
            wanted[column.levels.index(value) + 1] = True
    _fail_levels(values, wanted, clause.negated, out)


def fails_of(clause: Clause, column: Column, engine: Engine | None = None) -> NDArray[np.uint8]:
    """Who fails a clause, (n,) uint8: 1 for whoever does.

    Raises
    ------
    ClauseError
        It asks a category for ranges.
    """
    if clause.ranges and column.kind == "category":
        raise ClauseError(f"{clause.field} has values to pick, not ranges.")
    fails = np.zeros(len(column.values), np.uint8)

    def part(bounds: tuple[int, int]) -> None:
        start, stop = bounds
        _fail(clause, column, start, stop, fails[start:stop])

    def touched(bounds: tuple[int, int]) -> Parts:
        here = slice(*bounds)
        return Parts(reads=[(column.values, here)], writes=[(fails, here)])

    (engine or Engine(1)).map(part, chunk_bounds(len(fails)), touched)
    return fails


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
    fails = [fails_of(clause, columns[clause.field, clause.window], engine) for clause in clauses]
    return select_by(clauses, fails, known, money, engine)


def select_by(
    clauses: Sequence[Clause],
    fails: Sequence[NDArray[np.uint8]],
    known: NDArray[np.bool_],
    money: NDArray[np.int64],
    engine: Engine | None = None,
) -> Selection:
    """The same where it is known already who fails which clause: see :func:`fails_of`."""
    failed = np.zeros(len(known), np.uint8)

    def part(bounds: tuple[int, int]) -> tuple[int, int, int, int]:
        here = slice(*bounds)
        for each in fails:
            failed[here] += each[here]
        return _sums(failed[here], known[here], money[here])

    def touched(bounds: tuple[int, int]) -> Parts:
        here = slice(*bounds)
        reads = [(each, here) for each in (*fails, known, money)]
        return Parts(reads=reads, changes=[(failed, here)])

    sums = (engine or Engine(1)).map(part, chunk_bounds(len(known)), touched)
    inside = Totals(sum(s[0] for s in sums), sum(s[1] for s in sums))
    everyone = Totals(sum(s[2] for s in sums), sum(s[3] for s in sums))
    return Selection(tuple(clauses), tuple(fails), failed, known, everyone, inside)


def without(selection: Selection, place: int, money: NDArray[np.int64]) -> Totals:
    """The lens as it would be without its clause number ``place``."""
    left = selection.failed - selection.fails[place]
    customers, spent, _, _ = _sums(left, selection.known, money)
    return Totals(customers, spent)


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
