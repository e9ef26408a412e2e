"""Ways through several dates: which states customers were in, one after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["ANY", "Paths", "paths_of"]

#: Stands in a pattern for whatever state.
ANY = -1


@dataclass(frozen=True)
class Paths:
    """``ways``: (p, d) int32 the states of each way that somebody went, the one that most went
    first; ``of``: (n,) int64 which of them each customer went; ``customers``: (p,)."""

    ways: NDArray[np.int32]
    of: NDArray[np.int64]
    customers: NDArray[np.int64]

    def matching(self, pattern: Sequence[int]) -> NDArray[np.bool_]:
        """(p,) the ways that follow a pattern of states and :data:`ANY`.

        Raises
        ------
        ValueError
            It has a place too many or too few.
        """
        if len(pattern) != self.ways.shape[1]:
            raise ValueError(f"a pattern has a place for each of {self.ways.shape[1]} dates")
        wanted = np.array(pattern, np.int32)
        fits: NDArray[np.bool_] = ((wanted == ANY) | (self.ways == wanted)).all(axis=1)
        return fits

    def sums(self, values: NDArray[np.int64]) -> NDArray[np.int64]:
        """(p,) what ``values``, one a customer, add up to on each way."""
        out = np.zeros(len(self.ways), np.int64)
        np.add.at(out, self.of, values)
        return out


def paths_of(states: Sequence[NDArray[np.int32]]) -> Paths:
    """Everybody's way through the dates.

    Parameters
    ----------
    states : (n,) int each, the states at one date after the other

    Raises
    ------
    ValueError
        There is no date, or the dates are of different customers.

    >>> found = paths_of([np.array([0, 0, 1], np.int32), np.array([0, 0, 2], np.int32)])
    >>> found.ways.tolist(), found.customers.tolist(), found.of.tolist()
    ([[0, 0], [1, 2]], [2, 1], [0, 0, 1])
    >>> found.matching([ANY, 2]).tolist()
    [False, True]
    """
    if not states or len({len(each) for each in states}) != 1:
        raise ValueError("a path leads the same customers through one date or more")
    of = np.zeros(len(states[0]), np.int64)
    ways = np.zeros((1, 0), np.int32)
    for each in states:
        width = int(each.max(initial=0)) + 1
        # Numbered anew at every date, so that the numbers never outgrow the customers.
        keys, of = np.unique(of * width + each, return_inverse=True)
        ways = np.column_stack([ways[keys // width], (keys % width).astype(np.int32)])
    customers = np.bincount(of, minlength=len(ways))
    order = np.argsort(-customers, kind="stable")
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    return Paths(ways[order], place[of], customers[order])
