"""One step between two dates: who crossed, and who by a hair."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import last_day_before
from sortija.core.crossings.hysteresis import held
from sortija.core.crossings.matrix import Crossings, border_moves, cross
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.core.table import Column, Table
from sortija.server.groups.models import Yardstick
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    ByLadder,
    frozen,
)
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = [
    "Pair",
    "border_of",
    "can_hold",
    "checked_hold",
    "crossed",
    "held_along",
    "held_pair",
    "of_one_season",
    "pair_of",
    "prepared_at",
    "shared_months",
]


Pair = Keyed[tuple[AssignmentAt, AssignmentAt]]


def pair_of(before: AssignmentAt, after: AssignmentAt) -> Pair:
    """Both ends of a step, as caches know them."""
    return Keyed((before.stamp, after.stamp), (before, after))


def prepared_at(at: AssignmentAt, preparation: Preparation, who: NDArray[np.bool_]) -> Prepared:
    """The rows of some customers at one date, prepared by the frozen constants of a grouping."""
    table = table_for(at.yardstick.study, at.made, list(preparation.names))
    numbers = np.flatnonzero(at.made.present & who)
    some = Table(tuple(
        Column(column.name, column.kind, np.asarray(column.values)[numbers], column.unit,
               column.levels)
        for column in table
    ))  # fmt: skip
    rows = preparation.rows(some)
    return replace(rows, rows=numbers[rows.rows])


@remembered
def border_of(key: Pair) -> NDArray[np.bool_]:
    """(n,) True for customers who crossed by a hair, and may as well not have."""
    before, after = key.value
    by = frozen(before.yardstick)
    if isinstance(by, ByLadder):
        return np.zeros(len(before.placement.state), np.bool_)  # tiers have edges, no borders
    first, second = (np.asarray(at.placement.state) for at in (before, after))
    moved = (first != second) & (first < len(by.centres)) & (second < len(by.centres))
    return border_moves(
        before.placement, after.placement, prepared_at(before, by.preparation, moved),
        prepared_at(after, by.preparation, moved), by.centres,
    )  # fmt: skip


@remembered
def crossed(key: Pair) -> Crossings:
    """The matrices of a step."""
    before, after = key.value
    return cross(
        before.placement, after.placement, before.made.money, after.made.money, border_of(key)
    )


def can_hold(yardstick: Yardstick, windows: Sequence[WindowInView]) -> bool:
    """Whether customers can be kept in place over these dates."""
    return not isinstance(frozen(yardstick), ByLadder) and _apart(windows)


def _apart(windows: Sequence[WindowInView]) -> bool:
    """Two dates alone, or windows that share no month: chance knows nothing of what was before."""
    return len(windows) == 2 or not any(shared_months(*pair) for pair in pairwise(windows))


def checked_hold(hold: float, windows: Sequence[WindowInView]) -> None:
    """A Problem where customers cannot be kept in place so."""
    if not 0 <= hold <= 1:
        raise Problem("Customers can be kept until a margin of 0 to 1.")
    if hold and not _apart(windows):
        raise Problem(
            "Customers are kept in place over dates whose windows share no month. Choose dates a "
            "year apart, or two dates."
        )


def held_along(placed: Sequence[AssignmentAt], hold: float) -> list[AssignmentAt]:
    """The same dates, where customers stay in their segment from the first one on until another's
    margin exceeds ``hold``; a ladder has no margins."""
    kept = list(placed[:1])
    if hold <= 0 or not kept or isinstance(frozen(kept[0].yardstick), ByLadder):
        return list(placed)
    for after in placed[1:]:
        before = kept[-1]
        kept.append(_held(Keyed((before.stamp, after.stamp, hold), (before, after, hold))))
    return kept


def held_pair(
    placed: Sequence[AssignmentAt], hold: float
) -> tuple[AssignmentAt, AssignmentAt]:  # fmt: skip
    """The last step of these dates, kept in place from the first one on."""
    before, after = held_along(placed, hold)[-2:]
    return before, after


@remembered
def _held(key: Keyed[tuple[AssignmentAt, AssignmentAt, float]]) -> AssignmentAt:
    before, after, hold = key.value
    by = frozen(after.yardstick)
    assert not isinstance(by, ByLadder)
    table = table_for(after.yardstick.study, after.made, list(by.names))
    first, second = (np.asarray(at.placement.state, np.int32) for at in (before, after))
    state = held(first, second, table, by.preparation, by.centres, hold)
    stamp = fingerprint("held", before.stamp, after.stamp, hold)
    return replace(
        after, placement=replace(after.placement, state=state), stamp=stamp, hold=hold,
        kept_from=before,
    )  # fmt: skip


def shared_months(before: WindowInView, after: WindowInView) -> int:
    """Months that two windows share; 0 where they share none or look back over all."""
    if before.months is None:
        return 0
    apart = (after.to.year - before.to.year) * 12 + after.to.month - before.to.month
    return max(0, before.months - apart)


def of_one_season(before: WindowInView, after: WindowInView) -> bool:
    """Whether whole years lie between the ends of two windows of one length."""
    apart = (after.to.year - before.to.year) * 12 + after.to.month - before.to.month
    return (
        before.months is not None
        and apart > 0
        and last_day_before(after.to, apart) == (before.to)
        and apart % 12 == 0
    )
