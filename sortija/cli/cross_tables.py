"""Two tables of placed customers, brought together by their names."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.cli.files import open_measures
from sortija.cli.terminal import Trouble
from sortija.core.calendar import day_number
from sortija.core.crossings.matrix import BORDER_MOVE
from sortija.core.formats.measures import KEY, MeasureFile, MeasureFileError
from sortija.core.groups.assignment import STATES

__all__ = ["Crossed", "cross_tables"]

_DATES = ("first", "joined", "known", "since", "date")


@dataclass(frozen=True)
class Crossed:
    """One value per customer; states count from 0, segments first and then those that are none.

    ``money``: before and after, in major units, None where no column tells; ``border``: who
    crossed by a hair, None where no margin is known.
    """

    segments: tuple[str, ...]
    before: NDArray[np.int32]
    after: NDArray[np.int32]
    money: tuple[NDArray[np.float64], NDArray[np.float64]] | None
    border: NDArray[np.bool_] | None

    @property
    def states(self) -> tuple[str, ...]:
        return (*self.segments, *STATES)

    def table(self, weights: NDArray[Any] | None = None) -> NDArray[np.float64]:
        """Sums of ``weights`` from state (rows) to state (columns); customers without weights."""
        width = len(self.states)
        key = self.before.astype(np.int64) * width + self.after
        sums = np.bincount(key, weights, width * width).astype(np.float64)
        return sums.reshape(width, width)


def cross_tables(asked: argparse.Namespace, files: list[MeasureFile]) -> Crossed:
    """Everybody of two tables, and of the table of who is known where there is one.

    Who is in the later table alone was *not yet* there before; who is in the earlier one alone has
    *left*. The table of who is known says since when each customer is, so that one who had bought
    earlier has *left* before, and one who has bought in neither window is counted, too.
    """
    one, two = files
    names, place = _joined(one, two)
    codes, segments = _segments(one, two, asked.segment)
    k, n = len(segments), len(names)
    unplaced = k + STATES.index("unplaced")
    states = []
    for which in range(2):
        state = np.full(n, -1, np.int32)
        state[place[which]] = np.where(codes[which] > 0, codes[which] - 1, unplaced)
        states.append(state)
    before, after = states
    since = _known_since(asked, names)
    if since is not None and len(since) > n:
        more = np.full(len(since) - n, -1, np.int32)
        before, after = np.concatenate([before, more]), np.concatenate([after, more])
    before, after = _beside(k, before, after, since, asked)
    counted = (before >= 0) & (after >= 0)
    money = _values(asked.money, "monetary", (one, two), place, len(before))
    margin = _values(asked.margin, "margin", (one, two), place, len(before))
    border = None
    if margin is not None:
        moved = (before != after) & (before < k) & (after < k)
        with np.errstate(invalid="ignore"):
            border = (moved & (margin[0] < BORDER_MOVE) & (margin[1] < BORDER_MOVE))[counted]
    if money is not None:
        first, second = (np.nan_to_num(each)[counted] for each in money)
        money = first, second
    return Crossed(segments, before[counted], after[counted], money, border)


def _text(cells: pa.Array) -> pa.Array:
    return cells if pa.types.is_string(cells.type) else cells.cast(pa.string())


def _joined(one: MeasureFile, two: MeasureFile) -> tuple[pa.Array, list[NDArray[np.int64]]]:
    """Names of everybody in either table, and each row's place among them."""
    names = pc.unique(pa.concat_arrays([_text(one.customers), _text(two.customers)]))
    return names, [_places(names, _text(file.customers)) for file in (one, two)]


def _places(names: pa.Array, wanted: pa.Array) -> NDArray[np.int64]:
    """Where each of ``wanted`` stands among ``names``; −1 for who is not there."""
    found = pc.index_in(wanted, value_set=names).fill_null(-1)
    return np.asarray(found.to_numpy(zero_copy_only=False), np.int64)


def _segments(
    one: MeasureFile, two: MeasureFile, name: str
) -> tuple[list[NDArray[np.int32]], tuple[str, ...]]:
    """(codes of each table's rows from 1, 0 for none; names of the segments in order)."""
    try:
        columns = [file.table((), (name,))[name] for file in (one, two)]
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    levels = {level for column in columns for level in column.levels}
    if not levels:
        raise Trouble(f"{one.path} and {two.path}: nobody has a {name} in them.")
    whole = all(level.isdigit() for level in levels)
    order = tuple(sorted(levels, key=int if whole else str))
    codes = []
    for column in columns:
        number = np.array([0, *(order.index(level) + 1 for level in column.levels)], np.int32)
        codes.append(number[column.values])
    return codes, order


def _values(
    name: str | None, usual: str, files: tuple[MeasureFile, MeasureFile],
    place: list[NDArray[np.int64]], n: int,
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:  # fmt: skip
    """A column of numbers of both tables, a value per customer; None where it is not there.

    Raises
    ------
    Trouble
        It was asked for by name and one of the tables lacks it, or it holds no numbers.
    """
    if name is None and any(usual not in file.cells.column_names for file in files):
        return None
    out = []
    for file, rows in zip(files, place, strict=True):
        try:
            column = file.table((name or usual,))[name or usual]
        except MeasureFileError as problem:
            raise Trouble(str(problem)) from problem
        values = np.full(n, np.nan)
        values[rows] = column.values
        out.append(values)
    return out[0], out[1]


def _known_since(asked: argparse.Namespace, names: pa.Array) -> NDArray[np.float64] | None:
    """Since which day everybody is known, NaN where nobody says; those in neither table behind."""
    if asked.known is None:
        return None
    file = open_measures(asked.known)
    column = next((n for n in file.cells.column_names if n.lower() in _DATES), None)
    others = [n for n in file.cells.column_names if n != KEY]
    column = column or (others[0] if len(others) == 1 else None)
    if column is None:
        raise Trouble(
            f"{asked.known}: no column says since when customers are known. "
            "Call it first, with dates such as 2025-06-30."
        )
    if asked.before_date is None or asked.after_date is None:
        raise Trouble("--known wants --before-date and --after-date: the last days of the windows.")
    days = _days(file, column)
    place = _places(names, _text(file.customers))
    out = np.full(len(names) + int((place < 0).sum()), np.nan)
    place[place < 0] = np.arange(len(names), len(out))
    out[place] = days
    return out


def _days(file: MeasureFile, name: str) -> NDArray[np.float64]:
    cells = file.cells[name].combine_chunks()
    try:
        days = cells.cast(pa.date32()).cast(pa.int32()).cast(pa.float64())
    except pa.ArrowInvalid as problem:
        raise Trouble(
            f"{file.path}: column {name} holds something that is no date. "
            "Write dates as 2025-06-30."
        ) from problem
    return np.asarray(days.fill_null(np.nan).to_numpy(zero_copy_only=False), np.float64)


def _beside(
    k: int, before: NDArray[np.int32], after: NDArray[np.int32],
    since: NDArray[np.float64] | None, asked: argparse.Namespace,
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:  # fmt: skip
    """The states of those who are not in a table; −1 stays where a customer is not counted."""
    not_yet, left = (k + STATES.index(name) for name in ("not yet", "left"))
    if since is None:
        return np.where(before < 0, not_yet, before), np.where(after < 0, left, after)

    def known_by(day: date) -> NDArray[np.bool_]:
        with np.errstate(invalid="ignore"):
            return since <= day_number(day)

    early, late = known_by(asked.before_date), known_by(asked.after_date)
    first = np.where(before >= 0, before, np.where(early, left, not_yet))
    second = np.where(after >= 0, after, left)
    nowhere = (before < 0) & (after < 0) & ~late
    return np.where(nowhere, -1, first).astype(np.int32), second.astype(np.int32)
