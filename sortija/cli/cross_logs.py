"""Two dates of transaction logs, placed by a recipe, and what chance alone would have moved."""

from __future__ import annotations

import argparse
import sys
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.cli.cross_tables import Crossed
from sortija.cli.derive import columns_in_files
from sortija.cli.engines import engine_for
from sortija.cli.files import read_text
from sortija.cli.log_options import names_of, read_ledger
from sortija.cli.logs import Ledger
from sortija.cli.terminal import Trouble, Watch
from sortija.core.crossings.chance import Chance, chance_of
from sortija.core.crossings.matrix import border_moves
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.engine import Engine
from sortija.core.formats.measures import whole_ids
from sortija.core.formats.recipes import RecipeFileError, read_recipe
from sortija.core.groups.assignment import FrozenGrouping, place
from sortija.core.ledger.first_purchases import first_purchases
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.measures.coverage import Reach, coverage_of
from sortija.core.measures.derive import Derived, derive_series
from sortija.core.measures.window import Window
from sortija.core.table import Column, Table

__all__ = ["LogsCrossed", "cross_logs"]


@dataclass(frozen=True)
class LogsCrossed:
    """``customers``: names of all, one a value of ``crossed``; ``known``: rows of those who are
    known at the later date; ``early``: of those who bought before both windows; ``chance``: None
    where it was not asked for."""

    crossed: Crossed
    customers: pa.Array
    known: NDArray[np.int64]
    early: NDArray[np.int64]
    chance: Chance | None


def cross_logs(asked: argparse.Namespace, logs: list[Path], watch: Watch) -> LogsCrossed:
    """Derive both windows in one pass, place everybody, and tell chance where it is asked for."""
    try:
        frozen = read_recipe(read_text(asked.recipe))
    except RecipeFileError as problem:
        raise Trouble(f"{asked.recipe}: {problem}") from problem
    ledger, members = read_ledger(asked, logs, watch)
    mask = mask_of(default_rules())
    windows = [Window(day, asked.window) for day in (asked.before, asked.after)]
    _check(ledger, windows, mask)
    joined = members.joined if members else None
    engine = engine_for(watch)
    try:
        both = derive_series(
            ledger.log, windows, mask, ledger.scale, names_of(ledger), joined, engine, watch
        )
        columns = [columns_in_files(derived, members) for derived in both]
        by = ByCentres(frozen.preparation, frozen.centres)
        _all_there(asked.recipe, by.names, columns[0])
        crossed = _placed(frozen, by, both, columns, ledger.scale, engine)
        chance = None
        if asked.chance:
            chance = _chance(asked, ledger, windows, mask, by, columns, joined, engine, watch)
    finally:
        engine.release()
    watch.clear()
    names = whole_ids(pa.array(ledger.reader.cards.texts, pa.string()))
    known = np.flatnonzero(both[1].known)
    first = first_purchases(ledger.log.arrays(), mask)
    early = (first >= 0) & (first < windows[0].first_day(0))
    return LogsCrossed(crossed, names, known, np.flatnonzero(early), chance)


def _check(ledger: Ledger, windows: list[Window], mask: int) -> None:
    """Refuse windows that cannot be compared, and say what the log covers of them."""
    before, after = windows
    if after.last_day <= before.last_day:
        raise Trouble(
            f"--after {after.last_day} does not come after --before {before.last_day}. "
            "Both are the last days of their windows."
        )
    first, last = ledger.log.first_day(mask), ledger.log.last_day(mask)
    if last < 0:
        raise Trouble("No line counts. Look at what sortija derive --report sets aside.")
    for window in windows:
        words = coverage_of(window, Reach(first, last)).words
        if words:
            print(f"Caution: of the window to {window.last_day} {words}.", file=sys.stderr)


def _all_there(path: Path, names: tuple[str, ...], columns: dict[str, Column]) -> None:
    gone = next((name for name in names if name not in columns), None)
    if gone is not None:
        raise Trouble(
            f"{path}: it places by {gone}, which these logs do not give. "
            "If it is a column of the table of customers, name that table with --members."
        )


def _table(names: tuple[str, ...], columns: dict[str, Column]) -> Table:
    """The columns that a recipe places by, under the names that it calls them by."""
    return Table(tuple(replace(columns[name], name=name) for name in names))


def _placed(
    frozen: FrozenGrouping, by: ByCentres, both: tuple[Derived, ...],
    columns: list[dict[str, Column]], scale: int, engine: Engine,
) -> Crossed:  # fmt: skip
    tables = [_table(by.names, each) for each in columns]
    first, second = (
        place(table, frozen.preparation, frozen.centres, at.present, at.bought, engine)
        for table, at in zip(tables, both, strict=True)
    )
    rows = [
        frozen.preparation.rows(table, at.present) for table, at in zip(tables, both, strict=True)
    ]
    border = border_moves(first, second, rows[0], rows[1], frozen.centres)
    money = both[0].money / 10**scale, both[1].money / 10**scale
    segments = tuple(str(number) for number in range(1, frozen.k + 1))
    return Crossed(segments, first.state, second.state, money, border)


def _chance(
    asked: argparse.Namespace, ledger: Ledger, windows: list[Window], mask: int, by: ByCentres,
    columns: list[dict[str, Column]], joined: NDArray[np.float64] | None, engine: Engine,
    watch: Watch,
) -> Chance:  # fmt: skip
    def complete(table: Table, window: int, rows: NDArray[np.int64]) -> Table:
        def column(name: str) -> Column:
            found = columns[window][name]
            if found.name in table:
                return replace(table[found.name], name=name)
            return Column(name, found.kind, found.values[rows], found.unit, found.levels)

        return Table(tuple(map(column, by.names)))

    derived = frozenset(columns[0][name].name for name in by.names)
    inputs = Inputs(
        ledger.log, windows[0], windows[1], mask, ledger.scale, derived, names_of(ledger), joined,
        complete,
    )  # fmt: skip
    try:
        return chance_of(inputs, by, asked.chance, engine=engine, progress=watch)
    except ValueError as problem:
        words = str(problem)
        raise Trouble(f"{words[0].upper()}{words[1:]}. Use --window 12m, for one.") from problem
