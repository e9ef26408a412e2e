"""What chance alone would have moved in a step: made by a job, kept as columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.crossings.chance import Chance, Inputs, Range, chance_of
from sortija.core.crossings.rearranged import null_of
from sortija.core.crossings.yardsticks import ByCentres, ByLadder, MovingYardstick
from sortija.core.engine import Engine
from sortija.core.measures.formula import evaluate
from sortija.core.progress import Progress
from sortija.core.table import Column, Table
from sortija.server.groups.yardsticks import assignments
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.measures.derivation import inputs_of_window
from sortija.server.measures.formulas import Formulated, formulas_behind
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies import models
from sortija.server.studies.column_details import Details, details_of
from sortija.server.studies.columns import read_column, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population
from sortija.server.studies.problems import Problem

__all__ = [
    "ChanceDetails",
    "Kept",
    "RangeBody",
    "kept",
    "make",
    "moving_yardstick",
    "stamp_of",
    "why_not",
]

VERSION = 3
#: Draws of each step.
DRAWS = 100
#: What a model makes of the whole log, not of a window's lines.
_MODELLED = frozenset({"expected", "active"})


class RangeBody(Details):
    """Mean of the draws, and between what 95 in 100 further draws would lie; null: not told."""

    mean: list[float | None]
    low: list[float | None]
    high: list[float | None]


class ChanceDetails(Details):
    """What the draws of one step came to; see ``core.crossings.chance.Chance``.

    Matrices by state, row by row; ``sizes``: of the states afterwards. ``told``: of how many
    customers, ``draws``: of how many draws, ``everybody``: the log begins with the earlier window,
    so that nobody can be told to be new.
    """

    draws: int
    null: str
    told: int
    everybody: bool
    seen: list[int]
    spent_before: list[int]
    spent_after: list[int]
    figures: list[bool]
    moves: RangeBody
    sizes: RangeBody
    money: RangeBody
    steadiness: RangeBody


@dataclass(frozen=True)
class Kept:
    """``p`` and ``changed``: (n,) a value per customer, NaN where chance is not told."""

    details: ChanceDetails
    rows: dict[str, models.Column]

    @property
    def p(self) -> NDArray[np.float64]:
        return np.asarray(read_column(self.rows["chance:p"]).values)

    @property
    def changed(self) -> NDArray[np.float64]:
        return np.asarray(read_column(self.rows["chance:changed"]).values)


def stamp_of(before: AssignmentAt, after: AssignmentAt) -> str:
    """What the draws of a step are made from."""
    return fingerprint("chance", VERSION, DRAWS, before.stamp, after.stamp)


def kept(before: AssignmentAt, after: AssignmentAt) -> Kept | None:
    """What was made of a step; None while nothing was."""
    rows = {
        row.name: row
        for row in models.Column.objects.filter(
            population__study=before.yardstick.study, window=after.window.key,
            fingerprint=stamp_of(before, after),
        )
    }  # fmt: skip
    if "chance:p" not in rows:
        return None
    return Kept(details_of(rows["chance:p"], ChanceDetails), rows)


def why_not(before: AssignmentAt, after: AssignmentAt) -> str:
    """Why chance cannot be told of a step at all; empty where it can."""
    study = before.yardstick.study
    if ledger_of(study) is None:
        return "Chance is told from a log, and this study has none."
    try:
        null_of(before.window.window, after.window.window)
    except ValueError as problem:
        words = str(problem)
        return f"{words[0].upper()}{words[1:]}."
    names = moving_yardstick(before).names
    modelled = next((name for name in names if name in _MODELLED), None)
    if modelled is not None:
        label = before.made.about(modelled).label
        return f"Chance cannot be told: the groups are shaped by {label}, which a model makes."
    return ""


def moving_yardstick(at: AssignmentAt) -> MovingYardstick:
    """The yardstick as the core tells movement by it."""
    by = assignments.frozen(at.yardstick)
    if isinstance(by, assignments.ByLadder):
        return ByLadder(by.ladder)
    return ByCentres(by.preparation, by.centres)


def make(before: AssignmentAt, after: AssignmentAt, progress: Progress) -> None:
    """Draw, and keep what came of it.

    Raises
    ------
    Problem
        It cannot be told of this step.
    """
    ledger = ledger_of(before.yardstick.study)
    if ledger is None or (words := why_not(before, after)):
        raise Problem(words if ledger else "The log was removed. Import it again.")
    by, engine = moving_yardstick(before), Engine()
    try:
        found = chance_of(_inputs(ledger, before, after, by), by, DRAWS, engine=engine,
                          progress=progress)  # fmt: skip
    finally:
        engine.release()
    _keep(before, after, found)


def _inputs(
    ledger: Ledger, before: AssignmentAt, after: AssignmentAt, by: MovingYardstick
) -> Inputs:
    own = formulas_behind(before.made, by.names)
    needs = {*by.names, *(name for each in own for name in each.needs.values())}
    derived = frozenset(name for name in needs if name in before.made.derived)
    fixed = [_fixed(at.made, needs - derived - {each.name for each in own})
             for at in (before, after)]  # fmt: skip
    names, joined = inputs_of_window(ledger)
    return Inputs(
        ledger.lines().log, before.window.window, after.window.window, ledger.mask,
        ledger.study.scale, derived, names, joined, _completes(by.names, fixed, own),
    )  # fmt: skip


def _fixed(made: MeasureSet, names: set[str]) -> dict[str, Column]:
    """Columns that chance does not move: what tables of customers say."""
    gone = next((name for name in names if name not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study.")
    return {name: made.column(name) for name in names}


def _completes(
    names: tuple[str, ...], fixed: list[dict[str, Column]], own: list[Formulated]
) -> Callable[[Table, int, NDArray[np.int64]], Table]:
    def complete(table: Table, window: int, who: NDArray[np.int64]) -> Table:
        there = {column.name: column for column in table}
        for name, column in fixed[window].items():
            values = np.asarray(column.values)[who]
            there[name] = Column(name, column.kind, values, column.unit, column.levels)
        for each in own:
            given = {w: np.asarray(there[n].values, np.float64) for w, n in each.needs.items()}
            there[each.name] = Column(
                each.name, "number", evaluate(each.formula, given or {"": np.zeros(len(who))})
            )
        return Table(tuple(there[name] for name in names))

    return complete


def _keep(before: AssignmentAt, after: AssignmentAt, found: Chance) -> None:
    details = ChanceDetails(
        draws=found.draws, null=found.null, told=int(found.told.sum()), everybody=found.everybody,
        seen=found.observed.ravel().tolist(), spent_before=found.spent[0].tolist(),
        spent_after=found.spent[1].tolist(), figures=found.has_figure.ravel().tolist(),
        moves=_range(found.moves), sizes=_range(found.sizes), money=_range(found.money),
        steadiness=_range(found.steadiness),
    )  # fmt: skip
    columns = [
        (Column("chance:p", "number", found.p), details),
        (Column("chance:changed", "number", found.changed, "share"), None),
    ]
    study = before.yardstick.study
    with transaction.atomic():
        population = Population.objects.select_for_update(no_key=True).get(
            study=study, name="customers"
        )
        write_columns(population, columns, after.window.key, stamp_of(before, after))


def _range(found: Range) -> RangeBody:
    def plain(values: NDArray[np.float64]) -> list[float | None]:
        return [None if np.isnan(v) else float(v) for v in np.ravel(values)]

    return RangeBody(mean=plain(found.mean), low=plain(found.low), high=plain(found.high))
