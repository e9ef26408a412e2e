"""Who has changed: the chance of it for each customer, by the local false discovery rate.

How often chance alone moves a customer as far says little by itself: of a thousand who never
change, fifty are moved so far that chance does it once in twenty times. What tells is how many more
customers went so far than chance would send (Efron 2008, "Microarrays, empirical Bayes and the
two-groups model", Statistical Science 23).
"""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

__all__ = ["LEAST", "Draws", "chance_of_change", "concave_majorant"]

#: Customers are looked at in bands of alike visits, for those with few can hardly be told.
BANDS = 5
#: A band holds at least so many: of fewer, chance alone makes a heap.
LEAST = 250
#: Customers above this are taken to be unchanged, to tell how many are (Storey 2002).
UNCHANGED = 0.5
#: A heap that chance alone makes as often as this, in any band, tells of nobody.
ALONE = 0.05


class Draws(NamedTuple):
    """How far chance moves each customer, against how far it went.

    ``farther``, ``as_far``: (n,) of how many of ``many`` draws went farther, and just as far;
    ``there``: (n,) of whom it can be told.
    """

    farther: NDArray[np.int64]
    as_far: NDArray[np.int64]
    there: NDArray[np.bool_]
    many: int


def chance_of_change(draws: Draws, visits: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n,) the chance that each customer has changed; NaN where it cannot be told.

    A customer whose visits chance can hardly put otherwise went as far as many of the draws: it
    stands anywhere among those, for a place by lot, so that places are even where nobody changed.

    Parameters
    ----------
    visits : (n,) float64
        What customers are banded by.

    >>> even = np.tile(np.arange(10), 100)  # as chance alone would have it
    >>> everybody = np.ones(1000, bool)
    >>> draws = Draws(even, np.zeros(1000, int), everybody, 9)
    >>> float(chance_of_change(draws, np.ones(1000)).max())
    0.0
    """
    out = np.full(len(visits), np.nan)
    who = np.flatnonzero(draws.there)
    if len(who) == 0:
        return out
    bands = int(np.clip(len(who) // LEAST, 1, BANDS))
    cuts = np.quantile(visits[who], np.arange(1, bands) / bands)
    band = np.searchsorted(cuts, visits[who], side="left")
    for each in range(bands):
        mine = who[band == each]
        first = draws.farther[mine]
        out[mine] = _of_band(first, first + draws.as_far[mine], draws.many + 1, ALONE / bands)
    return out


def _of_band(
    first: NDArray[np.int64], last: NDArray[np.int64], steps: int, alone: float
) -> NDArray[np.float64]:
    """Of customers who stand anywhere from place ``first`` to ``last`` among ``steps``."""
    n = len(first)
    if n == 0:
        return np.zeros(0)
    weight = 1.0 / (last - first + 1)
    ends = np.bincount(first, weight, steps + 1) - np.bincount(last + 1, weight, steps + 1)
    upto = np.concatenate([[0.0], np.cumsum(np.cumsum(ends)[:steps])]) / n
    grid = np.arange(steps + 1) / steps
    # How far chance alone lets a heap rise (Dvoretzky, Kiefer and Wolfowitz; Massart 1990).
    if (upto - grid).max() < np.sqrt(np.log(1 / alone) / (2 * n)):
        return np.zeros(n)
    half = int(np.ceil(UNCHANGED * steps))
    unchanged = min(1.0, float(1 - upto[half]) / (1 - half / steps))
    slopes = concave_majorant(upto) * steps
    with np.errstate(divide="ignore"):
        changed = np.clip(1 - unchanged / slopes, 0.0, 1.0)
    summed = np.concatenate([[0.0], np.cumsum(changed)])
    told: NDArray[np.float64] = (summed[last + 1] - summed[first]) * weight
    return told


def concave_majorant(heights: NDArray[np.float64]) -> NDArray[np.float64]:
    """(m − 1,) slopes of the least concave line above m heights one step apart, never rising
    (Grenander 1956).

    >>> concave_majorant(np.array([0.0, 1.0, 4.0, 5.0])).tolist()
    [2.0, 2.0, 1.0]
    """
    hull: list[int] = []
    for at in range(len(heights)):
        while len(hull) > 1:
            one, two = hull[-2], hull[-1]
            before = (heights[two] - heights[one]) * (at - two)
            if before > (heights[at] - heights[two]) * (two - one):
                break
            hull.pop()
        hull.append(at)
    slopes = np.empty(len(heights) - 1)
    for one, two in pairwise(hull):
        slopes[one:two] = (heights[two] - heights[one]) / (two - one)
    return slopes
