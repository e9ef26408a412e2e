"""Place customers by a frozen yardstick: a segment, or the reason why there is none."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.engines import Centres, nearest_centres
from sortija.core.groups.recipe import Preparation
from sortija.core.table import Table

__all__ = ["BORDER", "STATES", "Placement", "place"]

#: A customer nearer than this to another segment stands on the border.
BORDER = 0.1
#: States beside the k segments, coded after them in this order.
STATES = ("not yet", "left", "unplaced")


@dataclass(frozen=True)
class Placement:
    """One value a customer.

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
    def border(self) -> NDArray[np.bool_]:
        """(n,) True for customers nearly as close to another segment as to their own."""
        return self.margin < BORDER


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
    table : the inputs of the preparation, one row a customer
    present : (n,) who made a purchase within the window
    bought : (n,) who made one before the window's end
    """
    n, k = len(present), len(centres)
    state = np.where(bought, k + 1, k).astype(np.int32)
    state[present] = k + 2
    rows = preparation.rows(table, present)
    placed = nearest_centres(rows, centres, engine)
    distance, margin = np.full(n, np.nan), np.full(n, np.nan)
    rival = np.full(n, -1, np.int32)
    state[rows.rows] = placed.labels
    distance[rows.rows] = placed.distance
    margin[rows.rows] = placed.margin
    rival[rows.rows] = placed.rival if k > 1 else -1
    return Placement(k, state, distance, rival, margin)
