"""Hysteresis: a customer keeps its segment until another one fits clearly better.

It takes away moves over a border, by chance and real ones alike: its price is told beside it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.matrix import margin_towards
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation
from sortija.core.table import Table

__all__ = ["held"]


def held(
    before: NDArray[np.int32], after: NDArray[np.int32], table: Table, preparation: Preparation,
    centres: Centres, hold: float,
) -> NDArray[np.int32]:  # fmt: skip
    """(n,) the states after, of those who moved from segment to segment only where the new one's
    margin over the old one exceeds ``hold``. Whoever was in no segment before has none to keep.

    Parameters
    ----------
    before, after : (n,) int
        States at both dates, segments from 0.
    table : Table
        The columns of the later date.
    """
    k = len(centres)
    moved = (before != after) & (before < k) & (after < k)
    if hold <= 0 or not moved.any():
        return after
    rows = preparation.rows(table, moved)
    old, new = before[rows.rows], after[rows.rows]
    stays = margin_towards(rows, centres, new, old) <= hold
    out = after.copy()
    out[rows.rows[stays]] = old[stays]
    return out
