"""Did the segments' sizes change, and between which two do more go one way than the other?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from sortija.core.measures.intervals import holm

__all__ = ["LEAST_MOVES", "Lopsided", "SizesTest", "lopsided", "sizes_changed"]

#: Of fewer moves between two segments, both ways together, no direction is told.
LEAST_MOVES = 10


@dataclass(frozen=True)
class SizesTest:
    """χ² on ``df`` degrees of freedom, and how often chance alone changes sizes so much."""

    chi_squared: float
    df: int
    p: float


@dataclass(frozen=True)
class Lopsided:
    """Moves between ``one`` and ``other``: ``there`` from the one to the other, ``back`` from the
    other to the one; ``p`` is Holm's over all pairs that were looked at."""

    one: int
    other: int
    there: int
    back: int
    z: float
    p: float


def sizes_changed(moves: NDArray[np.integer]) -> SizesTest | None:
    """Stuart's and Maxwell's test that each segment is as large at both dates.

    It compares customers with themselves, so it takes only those who are in a segment at both
    dates, and only windows of equal seasons that share no day: else the sizes of customers who
    never change differ by themselves. A segment that nobody enters or leaves says nothing and is
    left out. None where nobody moves.

    Parameters
    ----------
    moves : (k, k) int
        Customers from segment (rows) to segment (columns).

    >>> found = sizes_changed(np.array([[50, 20], [5, 40]]))  # McNemar's test, of two segments
    >>> round(found.chi_squared, 6), found.df, round(found.p, 4)
    (9.0, 1, 0.0027)
    """
    table = np.asarray(moves, np.float64)
    table = table - np.diag(np.diag(table))
    out, into = table.sum(axis=1), table.sum(axis=0)
    there = np.flatnonzero(out + into)
    if len(there) < 2:
        return None
    table = table[np.ix_(there, there)]
    change = (out - into)[there]
    spread = np.diag((out + into)[there]) - table - table.T
    df = int(np.linalg.matrix_rank(spread, hermitian=True))
    chi = float(change @ np.linalg.pinv(spread, hermitian=True) @ change)
    return SizesTest(chi, df, float(special.chdtrc(df, max(chi, 0.0))))


def lopsided(moves: NDArray[np.integer]) -> list[Lopsided]:
    """Pairs of segments with enough moves between them, the most lopsided first.

    z = (there − back) / √(there + back). Only of windows of equal seasons that share no day: on
    overlapping ones customers who never change go one way more often than back, because recency
    rises slowly and falls at once.

    Parameters
    ----------
    moves : (k, k) int
        Customers from segment (rows) to segment (columns).

    >>> [found] = lopsided(np.array([[50, 20], [5, 40]]))
    >>> found.there, found.back, round(found.z, 2)
    (20, 5, 3.0)
    """
    table = np.asarray(moves, np.int64)
    pairs = [
        (one, other) for one in range(len(table)) for other in range(one + 1, len(table))
        if table[one, other] + table[other, one] >= LEAST_MOVES
    ]  # fmt: skip
    found = []
    for one, other in pairs:
        there, back = int(table[one, other]), int(table[other, one])
        if back > there:
            one, other, there, back = other, one, back, there
        found.append((one, other, there, back, (there - back) / (there + back) ** 0.5))
    told = holm([2 * float(special.ndtr(-z)) for *_, z in found])
    rows = [Lopsided(*each, p) for each, p in zip(found, told, strict=True)]
    return sorted(rows, key=lambda row: (row.p, -row.z))
