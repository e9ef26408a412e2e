"""What could be seen of customers beforehand who then crossed, against those who stayed.

Each column gets its best single cut. Many cuts are tried, so a cut counts for as many; and what
holds on one step has to hold on the step before it, too.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from sortija.core.measures.intervals import holm, newcombe
from sortija.core.table import Column, Table

__all__ = ["LEAST", "Cut", "Pair", "Sign", "has_cut", "pairs_before", "signs_before", "tried_on"]

#: Customers on either side of a cut, at the least.
LEAST = 20
#: Bins of equal customers that numbers are cut between.
BINS = 20
#: Signs of which pairs are looked at.
BEST = 5
#: A sign is told where chance makes one as strong, of all columns and cuts, more seldom.
CLEAR = 0.05


@dataclass(frozen=True)
class Cut:
    """Customers with at least ``low`` and under ``high`` of a number, or with the ``level`` of a
    category (its code; 0 where the column is a number)."""

    low: float | None = None
    high: float | None = None
    level: int = 0


@dataclass(frozen=True)
class Sign:
    """Of ``having`` customers who had the cut ``crossed`` went, of the ``lacking`` others
    ``others``; ``difference``: interval of the rates' difference; ``p``: Holm's over all columns,
    each counted for as many cuts as it has."""

    name: str
    cut: Cut
    having: int
    crossed: int
    lacking: int
    others: int
    difference: tuple[float, float]
    p: float

    @property
    def lift(self) -> float:
        """Rate with the sign over the rate without; infinite where nobody went without it."""
        without = self.others / self.lacking if self.lacking else 0.0
        rate = self.crossed / self.having if self.having else 0.0
        return rate / without if without > 0 else float("inf")

    @property
    def told(self) -> bool:
        """Whether chance alone seldom makes a sign as strong."""
        return self.p < CLEAR


@dataclass(frozen=True)
class Pair:
    """Two signs together: of ``having`` customers with both ``crossed`` went, of the ``lacking``
    with the stronger alone ``others``; ``difference``: interval of those rates' difference; ``p``:
    Holm's over all pairs that were looked at."""

    stronger: Sign
    other: Sign
    having: int
    crossed: int
    lacking: int
    others: int
    difference: tuple[float, float]
    p: float

    @property
    def told(self) -> bool:
        """Whether the two together say more than the stronger alone, beyond what chance makes."""
        return self.p < CLEAR and self.difference[0] > 0


def has_cut(column: Column, cut: Cut) -> NDArray[np.bool_]:
    """(n,) who has a sign; nobody whose value is missing.

    >>> visits = Column("visits", "number", np.array([1.0, 5.0, np.nan]))
    >>> has_cut(visits, Cut(low=2.0)).tolist()
    [False, True, False]
    """
    values = np.asarray(column.values)
    if cut.level:
        return np.asarray(values == cut.level)
    with np.errstate(invalid="ignore"):
        there = ~np.isnan(values)
        if cut.low is not None:
            there &= values >= cut.low
        if cut.high is not None:
            there &= values < cut.high
    return there


def signs_before(table: Table, crossed: NDArray[np.bool_], stayed: NDArray[np.bool_]) -> list[Sign]:
    """The best cut of every column at the earlier date, the least chance first.

    Parameters
    ----------
    table : numbers and categories at the earlier date
    crossed, stayed : (n,) bool, who went and who stayed; others are left out

    >>> came = Column("silence", "number", np.tile([1.0, 9.0], 200))
    >>> went = np.tile([False, True], 200) & (np.arange(400) % 5 > 0)
    >>> [sign] = signs_before(Table((came,)), went, ~went)
    >>> sign.cut, sign.having, sign.crossed, sign.told
    (Cut(low=9.0, high=None, level=0), 200, 160, True)
    """
    who = np.flatnonzero(crossed | stayed)
    went = crossed[who]
    found: list[tuple[str, Cut, tuple[int, int, int, int], float]] = []
    for column in table:
        best = _best_cut(column, who, went)
        if best is not None:
            found.append((column.name, *best))
    adjusted = holm([p for *_, p in found])
    signs = [
        Sign(name, cut, *counts, _difference(*counts), p)
        for (name, cut, counts, _), p in zip(found, adjusted, strict=True)
    ]
    return sorted(signs, key=lambda sign: (sign.p, -sign.difference[0]))


def pairs_before(
    table: Table, signs: Sequence[Sign], crossed: NDArray[np.bool_], stayed: NDArray[np.bool_]
) -> list[Pair]:
    """Pairs of the best signs (five at the most), the highest rate first; of fewer than 20 with
    both, or with the stronger alone, nothing is told.

    Parameters
    ----------
    table : what :func:`signs_before` was given
    signs : those of its signs that are told, the best first
    """
    found = []
    for one, other in combinations(signs[:BEST], 2):
        has = [has_cut(table[sign.name], sign.cut) for sign in (one, other)]
        if one.crossed * other.having < other.crossed * one.having:
            one, other, has = other, one, has[::-1]
        among = has[0] & (crossed | stayed)
        counts = _counts(has[1], crossed & among, stayed & among)
        if counts[0] >= LEAST and counts[2] >= LEAST:
            found.append((one, other, counts, _p(*counts)))
    adjusted = holm([p for *_, p in found])
    pairs = [
        Pair(one, other, *counts, _difference(*counts), p)
        for (one, other, counts, _), p in zip(found, adjusted, strict=True)
    ]
    return sorted(pairs, key=lambda pair: -pair.crossed / pair.having)


def tried_on(
    sign: Sign, column: Column, crossed: NDArray[np.bool_], stayed: NDArray[np.bool_]
) -> Sign | None:
    """The same cut on another step; None where too few stand on a side of it."""
    counts = _counts(has_cut(column, sign.cut), crossed, stayed)
    having, _, lacking, _ = counts
    if having < LEAST or lacking < LEAST:
        return None
    return Sign(sign.name, sign.cut, *counts, _difference(*counts), _p(*counts))


def _counts(
    having: NDArray[np.bool_], crossed: NDArray[np.bool_], stayed: NDArray[np.bool_]
) -> tuple[int, int, int, int]:
    both = crossed | stayed
    return (
        int((having & both).sum()), int((having & crossed).sum()), int((~having & both).sum()),
        int((~having & crossed).sum()),
    )  # fmt: skip


def _difference(having: int, crossed: int, lacking: int, others: int) -> tuple[float, float]:
    return newcombe((crossed, having), (others, lacking))


def _p(having: int, crossed: int, lacking: int, others: int) -> float:
    """How often chance alone makes the rates differ so much (two-sided, pooled)."""
    pooled = (crossed + others) / (having + lacking)
    spread = np.sqrt(pooled * (1 - pooled) * (1 / having + 1 / lacking))
    if spread == 0:
        return 1.0
    z = abs(crossed / having - others / lacking) / spread
    return float(2 * special.ndtr(-z))


def _best_cut(
    column: Column, who: NDArray[np.int64], went: NDArray[np.bool_]
) -> tuple[Cut, tuple[int, int, int, int], float] | None:
    """The cut with the purest sides, its counts, and its p for as many cuts as were tried."""
    tried: list[tuple[Cut, NDArray[np.bool_]]]
    values = np.asarray(column.values)[who]
    if column.kind == "category":
        tried = [
            (Cut(level=code), np.asarray(values == code))
            for code in range(1, len(column.levels) + 1)
        ]
    else:
        numbers = values.astype(np.float64)
        tried = [
            (Cut(low=float(edge)), np.nan_to_num(numbers, nan=-np.inf) >= edge)
            for edge in _edges(numbers)
        ]
    best: tuple[float, Cut, tuple[int, int, int, int]] | None = None
    many = 0
    for cut, having in tried:
        counts = _counts(having, went, ~went)
        if counts[0] < LEAST or counts[2] < LEAST:
            continue
        many += 1
        impure = _impurity(*counts)
        if best is None or impure < best[0]:
            best = impure, cut, counts
    if best is None:
        return None
    _, cut, counts = best
    having_, crossed, lacking, others = counts
    if column.kind != "category" and crossed / having_ < others / lacking:
        # The sign is on the other side of the edge; who has no value has no sign.
        cut = Cut(high=cut.low)
        counts = _counts(has_cut(column, cut)[who], went, ~went)
        if counts[0] < LEAST or counts[2] < LEAST:
            return None
    return cut, counts, min(1.0, _p(*counts) * many)


def _edges(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    there = numbers[~np.isnan(numbers)]
    if len(there) == 0:
        return there
    return np.unique(np.quantile(there, np.arange(1, BINS) / BINS, method="higher"))


def _impurity(having: int, crossed: int, lacking: int, others: int) -> float:
    """Gini's, of both sides together."""
    one, other = crossed / having, others / lacking
    return having * 2 * one * (1 - one) + lacking * 2 * other * (1 - other)
