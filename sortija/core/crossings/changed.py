"""Who has changed: the chance of it for each customer, by the local false discovery rate.

How often chance alone moves a customer as far says little by itself: of a thousand who never
change, fifty are moved so far that chance does it once in twenty times. What tells is how many more
customers went so far than chance would send (Efron 2008, "Microarrays, empirical Bayes and the
two-groups model", Statistical Science 23).
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

__all__ = ["LEAST", "chance_of_change", "concave_majorant"]

#: Customers are looked at in bands of alike visits, for those with few can hardly be told.
BANDS = 5
#: A band holds at least so many: of fewer, chance alone makes a heap.
LEAST = 250
#: Customers above this are taken to be unchanged, to tell how many are (Storey 2002).
UNCHANGED = 0.5
#: A heap that chance alone makes as often as this, in any band, tells of nobody.
ALONE = 0.05


def chance_of_change(
    p: NDArray[np.float64], visits: NDArray[np.float64], draws: int
) -> NDArray[np.float64]:
    """(n,) the chance that each customer has changed; NaN where ``p`` is.

    Parameters
    ----------
    p : (n,) float64
        How often chance alone moves a customer as far: whole multiples of 1/(draws + 1), NaN
        where it cannot be told.
    visits : (n,) float64
        What customers are banded by.

    >>> even = np.tile(np.arange(1, 11) / 10, 100)  # as chance alone would have it
    >>> float(chance_of_change(even, np.ones(1000), 9).max())
    0.0
    """
    out = np.full(len(p), np.nan)
    there = np.flatnonzero(~np.isnan(p))
    if len(there) == 0:
        return out
    bands = int(np.clip(len(there) // LEAST, 1, BANDS))
    cuts = np.quantile(visits[there], np.arange(1, bands) / bands)
    band = np.searchsorted(cuts, visits[there], side="left")
    for each in range(bands):
        mine = there[band == each]
        out[mine] = _of_band(p[mine], draws, ALONE / bands)
    return out


def _of_band(p: NDArray[np.float64], draws: int, alone: float) -> NDArray[np.float64]:
    n, steps = len(p), draws + 1
    if n == 0:
        return np.zeros(0)
    place = np.rint(p * steps).astype(np.int64)
    upto = np.cumsum(np.bincount(place, minlength=steps + 1)[: steps + 1]) / n
    grid = np.arange(steps + 1) / steps
    # How far chance alone lets a heap rise (Dvoretzky, Kiefer and Wolfowitz; Massart 1990).
    if (upto - grid).max() < np.sqrt(np.log(1 / alone) / (2 * n)):
        return np.zeros(n)
    above = grid > UNCHANGED
    unchanged = min(1.0, float((place > UNCHANGED * steps).mean()) / (above.sum() / steps))
    slopes = concave_majorant(upto) * steps
    with np.errstate(divide="ignore"):
        changed = np.clip(1 - unchanged / slopes, 0.0, 1.0)
    told: NDArray[np.float64] = changed[place - 1]
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
