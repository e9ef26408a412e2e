"""Where the arms are some months after a campaign: in which segments, and whether they left."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.differences import Difference, share_difference
from sortija.core.campaigns.strata import Arms

__all__ = ["LEAST_IN_STATE", "StateGap", "states_apart"]

#: Of a state with fewer customers, both arms together, nothing is told.
LEAST_IN_STATE = 20


@dataclass(frozen=True)
class StateGap:
    """The share of each arm in one state (``number``), and the difference; ``customers``: of both
    arms; None: too few to tell."""

    number: int
    customers: int
    gap: Difference | None


def states_apart(state: NDArray[np.integer], arms: Arms) -> list[StateGap]:
    """By how much those written to are in each state more often than those held out.

    Intervals are widened for as many looks (Bonferroni): without any effect one of them leaves 0
    out in at most 5 of 100 campaigns.

    Parameters
    ----------
    state : (m,) int
        Of the customers of ``arms``.

    >>> from sortija.core.campaigns.strata import arms_of
    >>> held = np.arange(400) % 2 == 0
    >>> state = np.where(held & (np.arange(400) < 200), 1, 0)
    >>> found = states_apart(state, arms_of(held))
    >>> [(each.number, round(each.gap.difference, 2)) for each in found]
    [(0, 0.5), (1, -0.5)]
    """
    numbers, counts = np.unique(state, return_counts=True)
    looks = max(int((counts >= LEAST_IN_STATE).sum()), 1)
    out = []
    for number, count in zip(numbers.tolist(), counts.tolist(), strict=True):
        gap = None
        if count >= LEAST_IN_STATE and looks > 1:
            gap = share_difference(state == number, arms, 1 - 0.05 / looks)
        out.append(StateGap(number, count, gap))
    return out
