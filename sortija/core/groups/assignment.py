"""Assign customers of any date to a frozen grouping: a segment, or the reason why there is none.

A frozen grouping holds all that assigning takes, and nothing of the data that it was made from.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.lloyd import Centres, Fit, nearest_centres
from sortija.core.groups.own_centres import in_own_units
from sortija.core.groups.recipe import Preparation, Prepared, Recipe
from sortija.core.table import Table

__all__ = [
    "BORDER",
    "STATES",
    "FrozenGrouping",
    "PlacedRows",
    "Placement",
    "beside_segments",
    "centres_in_own_units",
    "freeze",
    "place",
    "placed_rows",
]

#: A customer nearer than this to another segment stands on the border.
BORDER = 0.1
#: States beside the k segments, coded after them in this order.
STATES = ("not yet", "left", "unplaced")


@dataclass(frozen=True)
class FrozenGrouping:
    """``counts``: (k,) customers of each segment when it was made; ``cost``: of all of them."""

    recipe: Recipe
    preparation: Preparation
    centres: Centres
    counts: NDArray[np.int64]
    cost: float

    @property
    def k(self) -> int:
        return len(self.centres)

    def place(self, table: Table, engine: Engine | None = None) -> PlacedRows:
        """Place every row of ``table``, which holds the columns that the preparation names."""
        rows = self.preparation.rows(table)
        placed = nearest_centres(rows, self.centres, engine)
        return placed_rows(
            rows, len(table), placed.labels, placed.distance.astype(np.float64), placed.margin
        )


@dataclass(frozen=True)
class PlacedRows:
    """One value per row: ``segment`` (n,) int32 from 1, 0 where a measure is missing; ``distance``
    (n,) √D (Gower's distance) to the own centre and ``margin`` (n,), NaN there."""

    segment: NDArray[np.int32]
    distance: NDArray[np.float64]
    margin: NDArray[np.float64]


def placed_rows(
    rows: Prepared, n: int, labels: NDArray[np.int32], distance: NDArray[np.float64],
    margin: NDArray[np.float32],
) -> PlacedRows:  # fmt: skip
    """Values of the prepared rows at their places among all ``n``."""
    segment = np.zeros(n, np.int32)
    away, close = np.full(n, np.nan), np.full(n, np.nan)
    segment[rows.rows] = labels + 1
    away[rows.rows] = distance if rows.gower else np.sqrt(distance)
    close[rows.rows] = margin
    return PlacedRows(segment, away, close)


def freeze(rows: Prepared, fit: Fit, recipe: Recipe) -> FrozenGrouping:
    """A grouping with everything that placing needs, and nothing of any customer (save donors)."""
    return FrozenGrouping(recipe, rows.preparation, fit.centres, fit.counts, fit.cost)


def centres_in_own_units(frozen: FrozenGrouping) -> tuple[dict[str, float | str], ...]:
    """Each centre by column: numbers in the column's own units, the commonest level of categories.

    A centre is a mean of prepared values: after a log it lies near the median, not at the mean.
    """
    out: list[dict[str, float | str]] = []
    own = in_own_units(frozen.preparation, frozen.centres)
    for group in range(frozen.k):
        values: dict[str, float | str] = {}
        for place, (name, _, _) in enumerate(frozen.preparation.numeric):
            values[name] = float(own[group, place])
        for place, category in enumerate(frozen.preparation.categories):
            values[category.name] = category.label(int(frozen.centres.modes[group, place]))
        out.append(values)
    return tuple(out)


@dataclass(frozen=True)
class Placement:
    """One value per customer.

    ``state``: 0 to k − 1 a segment, k *not yet* (no purchase before), k + 1 *left* (purchases
    before the window, none in it), k + 2 *unplaced* (a measure is missing); ``distance``: D to
    the own centre, ``rival``: the segment with the smallest margin, −1 where there is none;
    ``margin``: 0 on the border to 1 at the centre; NaN where not placed.
    """

    k: int
    state: NDArray[np.int32]
    distance: NDArray[np.float64]
    rival: NDArray[np.int32]
    margin: NDArray[np.float64]

    @property
    def states(self) -> int:
        """How many there are: the segments, and those of :data:`STATES`."""
        return self.k + len(STATES)

    @property
    def left(self) -> int:
        """The state of who bought before the window and not in it."""
        return self.k + STATES.index("left")

    @property
    def border(self) -> NDArray[np.bool_]:
        """(n,) True for customers nearly as close to another segment as to their own."""
        return self.margin < BORDER


def beside_segments(
    k: int, present: NDArray[np.bool_], bought: NDArray[np.bool_]
) -> NDArray[np.int32]:
    """(n,) the state of everybody before any is placed in one of ``k`` segments.

    >>> beside_segments(4, np.array([True, False, False]), np.array([True, True, False])).tolist()
    [6, 5, 4]
    """
    state = np.where(bought, k + STATES.index("left"), k + STATES.index("not yet"))
    state[present] = k + STATES.index("unplaced")
    return state.astype(np.int32)


def place(
    table: Table,
    preparation: Preparation,
    centres: Centres,
    present: NDArray[np.bool_],
    bought: NDArray[np.bool_],
    engine: Engine | None = None,
) -> Placement:
    """Place every customer.

    Parameters
    ----------
    table : the inputs of the preparation, one row per customer
    present : (n,) who made a purchase within the window
    bought : (n,) who made one before the window's end
    """
    n, k = len(present), len(centres)
    state = beside_segments(k, present, bought)
    rows = preparation.rows(table, present)
    placed = nearest_centres(rows, centres, engine)
    distance, margin = np.full(n, np.nan), np.full(n, np.nan)
    rival = np.full(n, -1, np.int32)
    state[rows.rows] = placed.labels
    distance[rows.rows] = placed.distance
    margin[rows.rows] = placed.margin
    rival[rows.rows] = placed.rival if k > 1 else -1
    return Placement(k, state, distance, rival, margin)
