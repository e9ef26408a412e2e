"""Yardsticks as movement needs them: who stands where, and how far a customer went."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.hysteresis import held
from sortija.core.groups.assignment import place
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation
from sortija.core.measures.preparation import apply
from sortija.core.scores.bands import band_by_cuts
from sortija.core.scores.ladder import Ladder
from sortija.core.scores.recipe import score
from sortija.core.table import Table

__all__ = ["ByCentres", "ByLadder", "MovingYardstick", "moved", "values_or_absence"]

#: What a customer without a visit has of what adds up.
_NOTHING = ("frequency", "visit_days", "monetary", "margin")


class MovingYardstick(Protocol):
    """A frozen yardstick: ``k`` segments by the columns ``names``."""

    @property
    def k(self) -> int: ...
    @property
    def names(self) -> tuple[str, ...]: ...
    def segments(self, table: Table, present: NDArray[np.bool_]) -> NDArray[np.int32]:
        """(n,) the segment from 0; −1 for who is not present, or lacks a measure."""
        ...

    def held(
        self, before: NDArray[np.int32], after: NDArray[np.int32], table: Table
    ) -> NDArray[np.int32]:
        """(n,) the states after, where customers keep their segment over a border; ``table``: of
        the later window."""
        ...

    def parts(self, before: Table, after: Table, days: int) -> dict[str, NDArray[np.float64]]:
        """Measure → (n,) its part in how far customers went between two windows of so many days."""
        ...


def values_or_absence(table: Table, name: str, days: int) -> NDArray[np.float64]:
    """A measure's values; without a visit the window's length since the last one, and sums of 0.

    What else is missing stays so: it is no sign of a change.
    """
    values = np.asarray(table[name].values, np.float64)
    if name == "recency":
        return np.where(np.isnan(values), float(days), values)
    return np.nan_to_num(values) if name in _NOTHING else values


def moved(
    yardstick: MovingYardstick, before: Table, after: Table, days: int
) -> NDArray[np.float64]:
    """(n,) how far customers went between two windows of so many days, in what shapes the
    segments."""
    parts = yardstick.parts(before, after, days).values()
    return sum(parts, np.zeros(len(before)))


@dataclass(frozen=True)
class ByCentres:
    """A grouping: each customer goes to the nearest centre, or stays until another's margin exceeds
    ``hold`` (:mod:`~sortija.core.crossings.hysteresis`)."""

    preparation: Preparation
    centres: Centres
    hold: float = 0.0

    @property
    def k(self) -> int:
        return len(self.centres)

    @property
    def names(self) -> tuple[str, ...]:
        donors = self.preparation.donors
        more = () if donors is None else tuple(name for name, _ in donors.categories)
        return tuple(dict.fromkeys((*self.preparation.names, *more)))

    def segments(self, table: Table, present: NDArray[np.bool_]) -> NDArray[np.int32]:
        state = place(table, self.preparation, self.centres, present, present).state
        return np.where(state < self.k, state, np.int32(-1))

    def held(
        self, before: NDArray[np.int32], after: NDArray[np.int32], table: Table
    ) -> NDArray[np.int32]:
        return held(before, after, table, self.preparation, self.centres, self.hold)

    def parts(self, before: Table, after: Table, days: int) -> dict[str, NDArray[np.float64]]:
        out = {}
        for name, fitted, weight in self.preparation.numeric:
            first, second = (
                apply(values_or_absence(each, name, days), fitted) for each in (before, after)
            )
            gap = np.nan_to_num((second - first) * weight)
            out[name] = np.abs(gap) if self.preparation.gower else gap**2
        return out


@dataclass(frozen=True)
class ByLadder:
    """A ladder: each customer goes to the first tier that holds its bands or its total."""

    ladder: Ladder

    @property
    def k(self) -> int:
        return len(self.ladder.names)

    @property
    def names(self) -> tuple[str, ...]:
        return self.ladder.measures

    def segments(self, table: Table, present: NDArray[np.bool_]) -> NDArray[np.int32]:
        places = self.ladder.places(score(table, self.ladder.score))
        return np.where(present, places - 1, -1).astype(np.int32)

    def held(
        self, before: NDArray[np.int32], after: NDArray[np.int32], table: Table
    ) -> NDArray[np.int32]:
        return after  # tiers have no borders to stand on

    def parts(self, before: Table, after: Table, days: int) -> dict[str, NDArray[np.float64]]:
        out = {}
        for name, weight, cuts in self.ladder.score.measures:
            first, second = (
                band_by_cuts(values_or_absence(each, name, days), cuts).bands.astype(np.float64)
                for each in (before, after)
            )
            both = (first > 0) & (second > 0)
            out[name] = np.where(both, weight * (second - first) ** 2, 0.0)
        return out
