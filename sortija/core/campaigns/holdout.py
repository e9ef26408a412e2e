"""Draw a holdout: seeded, stratified, exact to one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Holdout", "draw_holdout", "draw_versions"]

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
    order = _by_stratum(stratum, rng)
    held = np.zeros(m, np.bool_)
    held[order] = _every(m, share, rng)
    return Holdout(held, stratum)


def draw_versions(
    stratum: NDArray[np.integer], held: NDArray[np.bool_], shares: Sequence[float], seed: int
) -> NDArray[np.int64]:
    """(m,) which version each customer is sent, from 1; 0 for those who are held out.

    Drawn like the holdout: every version has its share of every stratum, its total exact to 1.

    Parameters
    ----------
    stratum, held : (m,)
    shares : the share of those written to that each version has; they sum to 1

    Raises
    ------
    ValueError
        Shares that do not sum to 1, or one that is not above 0.

    >>> held = np.zeros(100, bool)
    >>> np.bincount(draw_versions(np.zeros(100, int), held, [0.7, 0.3], 1)).tolist()
    [0, 70, 30]
    """
    if not shares or min(shares) <= 0 or abs(sum(shares) - 1) > 1e-6:
        raise ValueError("the shares of versions are above 0, and together 1")
    rng = np.random.default_rng([seed, 13])
    left = np.flatnonzero(~held)
    left = left[_by_stratum(stratum[left], rng)]
    out, rest = np.zeros(len(held), np.int64), 1.0
    for number, share in enumerate(shares[:-1], 1):
        mine = _every(len(left), share / rest, rng)
        out[left[mine]] = number
        left, rest = left[~mine], rest - share
    out[left] = len(shares)
    return out


def _by_stratum(stratum: NDArray[np.integer], rng: np.random.Generator) -> NDArray[np.int64]:
    """One stratum after the other, shuffled within each."""
    _, place = np.unique(stratum, return_inverse=True)
    # One key of both, for it sorts in half the time: the whole part by stratum, the rest by chance.
    return np.argsort(place + rng.random(len(stratum)))


def _every(m: int, share: float, rng: np.random.Generator) -> NDArray[np.bool_]:
    """(m,) True for every 1/share-th of a row, exact to 1, from where chance begins."""
    steps = np.floor(np.arange(m + 1) * share + rng.random())
    return np.asarray(steps[1:] > steps[:-1])
