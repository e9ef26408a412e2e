"""Draw a holdout: seeded, stratified, exact to one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Holdout", "draw_holdout"]

LEAST_STRATUM = 20


@dataclass(frozen=True)
class Holdout:
    """``held``: (m,) True for those who are not written to; ``stratum``: (m,) of each."""

    held: NDArray[np.bool_]
    stratum: NDArray[np.int64]


def _merged(segment: NDArray[np.integer], value: NDArray[np.integer]) -> NDArray[np.int64]:
    """Segment × value band, in strata of 20 at least where a segment has as many customers.

    A band under 20 goes to the neighbouring band of its segment, the smaller of two; what is
    still under 20 is a whole segment.
    """
    width = int(value.max()) + 1 if len(value) else 1
    stratum = segment.astype(np.int64) * width + value
    there, place = np.unique(stratum, return_inverse=True)
    counts = np.bincount(place, minlength=len(there)).tolist()
    # Bands in order: segment, first stratum, customers, and which strata they are now.
    runs: list[tuple[int, int, int, list[int]]] = [
        (int(s) // width, i, n, [i]) for i, (s, n) in enumerate(zip(there, counts, strict=True))
    ]

    def beside(at: int) -> list[int]:
        near = (at - 1, at + 1)
        return [i for i in near if 0 <= i < len(runs) and runs[i][0] == runs[at][0]]

    while small := [i for i, r in enumerate(runs) if r[2] < LEAST_STRATUM and beside(i)]:
        at = min(small, key=lambda i: (runs[i][2], i))
        to = min(beside(at), key=lambda i: (runs[i][2], i))
        of, first, count, mine = runs[to]
        runs[to] = (of, first, count + runs[at][2], mine + runs[at][3])
        del runs[at]
    name = np.empty(len(there), np.int64)
    for _, first, _, mine in runs:
        name[mine] = there[first]
    return np.asarray(name[place])


def draw_holdout(
    segment: NDArray[np.integer], value: NDArray[np.integer], share: float, seed: int
) -> Holdout:
    """Hold out a share of an audience.

    Within each stratum customers are shuffled by the seed; then every 1/share-th of the whole
    row of strata is held out, so that the total is exact to 1 and every stratum has its share.

    Parameters
    ----------
    segment, value : (m,) int, not negative
    share : float
        Between 0 and 1, 0 for no holdout.

    Raises
    ------
    ValueError
        A share that is none.

    >>> held = draw_holdout(np.repeat([0, 1], 50), np.zeros(100, int), 0.1, seed=4)
    >>> int(held.held.sum()), int(held.held[:50].sum())
    (10, 5)
    """
    if not 0 <= share < 1:
        raise ValueError("the share held out lies between 0 and 1")
    m = len(segment)
    stratum = _merged(segment, value)
    rng = np.random.default_rng([seed, 11])
    _, place = np.unique(stratum, return_inverse=True)
    # One key of both, for it sorts in half the time: the whole part by stratum, the rest by chance.
    order = np.argsort(place + rng.random(m))
    held = np.zeros(m, np.bool_)
    offset = rng.random()
    steps = np.floor(np.arange(m + 1) * share + offset)
    held[order] = steps[1:] > steps[:-1]
    return Holdout(held, stratum)
