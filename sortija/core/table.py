"""The one column table that every stage passes on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "DTYPES",
    "JOINED_LATER",
    "NOT_GIVEN",
    "NO_VISIT",
    "REASONS",
    "TOO_FEW",
    "UNWORKABLE",
    "Column",
    "Kind",
    "Table",
]

Kind = Literal["number", "category", "whole", "flag"]
#: How the values of each kind are held, and what stands where there is none.
DTYPES: dict[str, type[np.generic]] = {
    "number": np.float64, "category": np.int32, "whole": np.int64, "flag": np.bool_,
}  # fmt: skip

#: Codes of why a value is missing; 0: it is there.
NO_VISIT, TOO_FEW, NOT_GIVEN, JOINED_LATER, UNWORKABLE = range(1, 6)
REASONS = {
    0: "",
    NO_VISIT: "no visit in the window",
    TOO_FEW: "too few visits",
    NOT_GIVEN: "not given",
    JOINED_LATER: "joined after the window",
    UNWORKABLE: "cannot be worked out",
}


@dataclass(frozen=True)
class Column:
    """One value per customer.

    Parameters
    ----------
    values : (n,) array
        float64 with NaN for missing (``number``), int32 level codes with 0 for missing
        (``category``; code *c* means ``levels[c - 1]``), or int64 (``whole``, such as money) and
        bool (``flag``), of which none is missing.
    unit : str
        ``"days"``, ``"purchases"``, ``"money"``, ``"share"``, ``"years"``, ``""``.
    why : (n,) uint8 array, a function that returns one, or None
        What ``reasons`` are, or what tells them when they are first asked for.
    """

    name: str
    kind: Kind
    values: NDArray[Any]
    unit: str = ""
    levels: tuple[str, ...] = ()
    why: NDArray[np.uint8] | Callable[[], NDArray[np.uint8]] | None = None

    def __post_init__(self) -> None:
        wanted = DTYPES[self.kind]
        if self.values.dtype != wanted:
            raise TypeError(f"{self.name}: {self.kind} wants {wanted.__name__}")

    def __len__(self) -> int:
        return len(self.values)

    def first(self, rows: int) -> Column:
        """The column cut to its first ``rows`` values."""
        if rows >= len(self):
            return self
        reasons = None if self.reasons is None else self.reasons[:rows]
        return replace(self, values=self.values[:rows], why=reasons)

    def sized(self, rows: int) -> Column:
        """The column for ``rows`` customers: cut, or missing for those who came since."""
        grown = rows - len(self)
        if grown <= 0:
            return self.first(rows)
        empty = np.nan if self.kind == "number" else 0
        values = np.concatenate([self.values, np.full(grown, empty, self.values.dtype)])
        reasons = self.reasons
        if reasons is not None:
            reasons = np.concatenate([reasons, np.full(grown, NOT_GIVEN, np.uint8)])
        return replace(self, values=values, why=reasons)

    @cached_property
    def reasons(self) -> NDArray[np.uint8] | None:
        """(n,) a key of :data:`REASONS` for each value; None: what is missing is *not given*."""
        return self.why() if callable(self.why) else self.why

    @property
    def missing(self) -> NDArray[np.bool_]:
        """(n,) True where there is no value."""
        if self.kind == "category":
            return np.asarray(self.values == 0)
        if self.kind == "number":
            return np.isnan(self.values)
        return np.zeros(len(self), np.bool_)


@dataclass(frozen=True)
class Table:
    """Columns of equal length under their names, in order."""

    columns: tuple[Column, ...]
    _by_name: dict[str, Column] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        if len({len(c) for c in self.columns}) > 1:
            raise ValueError("columns of one table have the same number of rows")
        object.__setattr__(self, "_by_name", {c.name: c for c in self.columns})
        if len(self._by_name) != len(self.columns):
            raise ValueError("two columns of one table carry the same name")

    def __len__(self) -> int:
        return len(self.columns[0]) if self.columns else 0

    def __iter__(self) -> Iterator[Column]:
        return iter(self.columns)

    def __contains__(self, name: str) -> bool:
        return name in self._by_name

    def __getitem__(self, name: str) -> Column:
        return self._by_name[name]

    def taken(self, rows: NDArray[np.int64]) -> Table:
        """Some rows of it, by number; without the reasons why values are missing."""
        return Table(
            tuple(
                Column(c.name, c.kind, np.asarray(c.values)[rows], c.unit, c.levels) for c in self
            )
        )

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(self._by_name)
