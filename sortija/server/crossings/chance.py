"""What chance alone would have moved in a step: made by a job, kept as columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from sortija.core.crossings.chance import Chance, Range, chance_of
from sortija.core.crossings.rearranged import null_of
from sortija.core.crossings.yardsticks import ByCentres, ByLadder, MovingYardstick
from sortija.core.progress import Progress
from sortija.core.table import Column
from sortija.server.crossings.redrawing import inputs_for, modelled
from sortija.server.groups.yardsticks import assignments
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.jobs.engines import engine_for
from sortija.server.ledger.store.ledger import ledger_of
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
    if label := modelled(before.made, names):
        return f"Chance cannot be told: the groups are shaped by {label}, which a model makes."
    return ""


def moving_yardstick(at: AssignmentAt) -> MovingYardstick:
    """The yardstick as the core tells movement by it."""
    by = assignments.frozen(at.yardstick)
    if isinstance(by, assignments.ByLadder):
        return ByLadder(by.ladder)
    return ByCentres(by.preparation, by.centres, at.hold)


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
    by, engine = moving_yardstick(after), engine_for(progress)
    try:
        inputs = inputs_for(ledger, before.made, after.made, by.names)
        at = before.kept_from
        found = chance_of(
            inputs, by, DRAWS, engine=engine, progress=progress,
            earlier=None if at is None else np.asarray(at.placement.state, np.int32),
        )  # fmt: skip
    finally:
        engine.release()
    _keep(before, after, found)


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
