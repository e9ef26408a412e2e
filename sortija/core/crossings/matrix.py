"""Crossings between two placements by one yardstick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.assignment import Placement
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Prepared

__all__ = ["BORDER_MOVE", "Crossings", "border_moves", "cross", "margin_towards"]

#: Both margins under this: the customer crossed by a hair.
BORDER_MOVE = 0.3


@dataclass(frozen=True)
class Crossings:
    """From state (rows) to state (columns): 0 to k − 1 segments, k *not yet*, k + 1 *left*,
    k + 2 *unplaced*.

    ``customers``, ``money_before``, ``money_after``: (k + 3, k + 3) int64; ``border``: how many
    of the customers moved by a hair (segment to segment only).
    """

    k: int
    customers: NDArray[np.int64]
    money_before: NDArray[np.int64]
    money_after: NDArray[np.int64]
    border: NDArray[np.int64]


def margin_towards(
    rows: Prepared, centres: Centres, own: NDArray[np.int32], other: NDArray[np.int32]
) -> NDArray[np.float64]:
    """(D_other − D_own) / D(centre_other, centre_own) a row; 0 towards a coincident centre."""
    gammas = rows.gammas.astype(np.float64)

    def distance(groups: NDArray[np.int32]) -> NDArray[np.float64]:
        gap = rows.numbers.astype(np.float64) - centres.numbers[groups].T
        differs = (rows.codes != centres.modes[groups].T) * gammas[:, None]
        each = np.abs(gap) if rows.gower else gap**2
        return each.sum(axis=0) + differs.sum(axis=0)

    apart = centres.apart(rows.gammas, rows.gower).astype(np.float64)[own, other]
    with np.errstate(invalid="ignore", divide="ignore"):
        margin = (distance(other) - distance(own)) / apart
    return np.where(apart > 0, margin, 0.0)


def border_moves(
    before: Placement,
    after: Placement,
    rows_before: Prepared,
    rows_after: Prepared,
    centres: Centres,
) -> NDArray[np.bool_]:
    """(n,) True for A→B where the margin towards B before and towards A after are under 0.3.

    ``rows_before`` and ``rows_after`` are the customers as prepared at the two dates.
    """
    k = before.k
    moved = (before.state != after.state) & (before.state < k) & (after.state < k)
    out = np.zeros(len(moved), np.bool_)
    movers = np.flatnonzero(moved)
    first = rows_before.take(np.searchsorted(rows_before.rows, movers))
    second = rows_after.take(np.searchsorted(rows_after.rows, movers))
    origin, target = before.state[movers], after.state[movers]
    near = margin_towards(first, centres, origin, target) < BORDER_MOVE
    near &= margin_towards(second, centres, target, origin) < BORDER_MOVE
    out[movers] = near
    return out


def cross(
    before: Placement,
    after: Placement,
    money_before: NDArray[np.int64],
    money_after: NDArray[np.int64],
    border: NDArray[np.bool_],
) -> Crossings:
    """Count the crossings of all customers; ``border`` marks those who crossed by a hair.

    Raises
    ------
    ValueError
        The placements are of different yardsticks or populations.

    >>> from sortija.core.groups.assignment import Placement
    >>> def at(*states):
    ...     n = len(states)
    ...     none = np.full(n, np.nan)
    ...     return Placement(2, np.array(states, np.int32), none, np.full(n, -1, np.int32), none)
    >>> money = np.array([500, 100, 100])
    >>> found = cross(at(0, 0, 1), at(0, 1, 3), money, money, np.zeros(3, bool))
    >>> found.customers[:2].tolist()
    [[1, 1, 0, 0, 0], [0, 0, 0, 1, 0]]
    """
    if before.k != after.k or len(before.state) != len(after.state):
        raise ValueError("crossings need two placements by one yardstick")
    width = before.states
    key = before.state.astype(np.int64) * width + after.state

    def table(weights: NDArray[np.int64] | None = None) -> NDArray[np.int64]:
        out = np.zeros(width * width, np.int64)
        np.add.at(out, key, 1 if weights is None else weights)
        return out.reshape(width, width)

    hair = border.astype(np.int64)
    return Crossings(before.k, table(), table(money_before), table(money_after), table(hair))
