"""What a draw's measures are completed by: columns that chance does not move, and formulas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.formula import Formula, evaluate
from sortija.core.table import Column, Table

__all__ = ["Completing", "Own"]


@dataclass(frozen=True)
class Own:
    """A measure by a formula; ``needs``: the column behind each of its words."""

    name: str
    formula: Formula
    needs: Mapping[str, str]


@dataclass(frozen=True)
class Completing:
    """Called with the measures that lines give a block of customers, the window (0 or 1) and their
    numbers; gives the columns ``names``.

    ``fixed``: for each window, columns of all customers that no draw changes.
    """

    names: tuple[str, ...]
    fixed: Sequence[Mapping[str, Column]]
    own: Sequence[Own]

    def __call__(self, table: Table, window: int, who: NDArray[np.int64]) -> Table:
        there = {column.name: column for column in table}
        for name, column in self.fixed[window].items():
            values = np.asarray(column.values)[who]
            there[name] = Column(name, column.kind, values, column.unit, column.levels)
        for each in self.own:
            given = {w: np.asarray(there[n].values, np.float64) for w, n in each.needs.items()}
            there[each.name] = Column(
                each.name, "number", evaluate(each.formula, given or {"": np.zeros(len(who))})
            )
        return Table(tuple(there[name] for name in self.names))
