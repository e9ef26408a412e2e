"""Conditions on one column each, as a path of questions comes to them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.portraits.questions import Question
from sortija.core.table import Column

__all__ = ["Condition", "conditions_of", "joined", "meets"]


@dataclass(frozen=True)
class Condition:
    """From ``low`` on and under ``high`` (None: open), or one of ``levels``.

    ``others``: the category's further levels; ``missing``: rows without a value are meant, too;
    ``gaps``: whether there are such rows.
    """

    column: str
    low: float | None = None
    high: float | None = None
    levels: tuple[str, ...] = ()
    others: tuple[str, ...] = ()
    missing: bool = False
    gaps: bool = True

    @property
    def of_category(self) -> bool:
        return bool(self.levels)

    @property
    def free(self) -> bool:
        """Whether every row meets it."""
        open_ended = self.low is None and self.high is None and not self.others
        return open_ended and (self.missing or not self.gaps)

    def true_of(self, column: Column) -> NDArray[np.bool_]:
        """(n,) whether each row meets it."""
        values: NDArray[Any] = column.values
        if self.of_category:
            codes = [column.levels.index(level) + 1 for level in self.levels]
            return np.isin(values, [*codes, 0] if self.missing else codes)
        with np.errstate(invalid="ignore"):
            yes = np.ones(len(values), np.bool_) if self.low is None else values >= self.low
            yes = yes if self.high is None else yes & (values < self.high)
        gone = np.isnan(values) if values.dtype.kind == "f" else np.zeros(len(values), np.bool_)
        return (yes & ~gone) | gone if self.missing else yes & ~gone


def conditions_of(
    path: Iterable[tuple[Question, bool]], columns: Sequence[Column]
) -> tuple[Condition, ...]:
    """What a path of answered questions asks of each column, in order of the first question."""
    found: dict[str, Condition] = {}
    for question, yes in path:
        column = columns[question.column]
        begun = found.get(column.name, _anything(column))
        found[column.name] = _narrowed(begun, question, yes, column)
    return tuple(found.values())


def _anything(column: Column) -> Condition:
    if column.kind == "category":
        gaps = bool((column.values == 0).any())
    else:
        gaps = column.kind == "number" and bool(np.isnan(column.values).any())
    return Condition(column.name, levels=column.levels, missing=True, gaps=gaps)


def _narrowed(begun: Condition, question: Question, yes: bool, column: Column) -> Condition:
    missing = begun.missing and question.missing == yes
    if question.cut is not None:
        if yes:
            high = question.cut if begun.high is None else min(begun.high, question.cut)
            return replace(begun, high=high, missing=missing)
        low = question.cut if begun.low is None else max(begun.low, question.cut)
        return replace(begun, low=low, missing=missing)
    asked = {column.levels[code - 1] for code in question.levels}
    levels = tuple(level for level in begun.levels if (level in asked) == yes)
    return replace(
        begun, levels=levels, others=tuple(v for v in column.levels if v not in levels),
        missing=missing,
    )  # fmt: skip


def meets(
    conditions: Iterable[Condition], columns: dict[str, Column], rows: int
) -> NDArray[np.bool_]:
    """(n,) whether each row meets all of them."""
    yes = np.ones(rows, np.bool_)
    for condition in conditions:
        yes &= condition.true_of(columns[condition.column])
    return yes


def joined(
    one: tuple[Condition, ...], other: tuple[Condition, ...]
) -> tuple[Condition, ...] | None:
    """The conditions that hold where either does, where a single list can say so: both are alike
    but for one column, and its two parts lie side by side.

    >>> low, high = Condition("x", high=3.0, missing=True), Condition("x", low=3.0)
    >>> joined((low,), (high,)), joined((Condition("x", high=3.0),), (Condition("y", high=3.0),))
    ((), None)
    """
    mine, theirs = ({c.column: c for c in each} for each in (one, other))
    if set(mine) != set(theirs):
        return None
    apart = [name for name in mine if mine[name] != theirs[name]]
    if len(apart) != 1:
        return None
    both = _either(mine[apart[0]], theirs[apart[0]])
    if both is None:
        return None
    whole = (both if c.column == both.column else c for c in one)
    return tuple(condition for condition in whole if not condition.free)


def _either(one: Condition, other: Condition) -> Condition | None:
    missing = one.missing or other.missing
    if one.of_category:
        levels = {*one.levels, *other.levels}
        every = (*one.levels, *one.others)
        return replace(
            one, levels=tuple(v for v in sorted(every, key=every.index) if v in levels),
            others=tuple(v for v in one.others if v not in levels), missing=missing,
        )  # fmt: skip
    if one.high is not None and one.high == other.low:
        return replace(one, high=other.high, missing=missing)
    if one.low is not None and one.low == other.high:
        return replace(one, low=other.low, missing=missing)
    return None
