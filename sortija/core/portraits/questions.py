"""What a node of a tree asks, and the best question about one column."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.portraits.bins import Binned
from sortija.core.portraits.cuts import shortest_between

__all__ = ["ALL_SUBSETS", "Question", "best_question"]

#: Up to so many levels every way to part them is tried.
ALL_SUBSETS = 8


@dataclass(frozen=True)
class Question:
    """Under ``cut``? Or, of a category: one of ``levels``?

    ``column``: its place; ``cut``: None of a category; ``levels``: codes; ``missing``: whether rows
    without a value count as a yes; ``in_order``: the levels were more than eight, and only ways
    that keep their order by first component were tried.
    """

    column: int
    cut: float | None
    levels: tuple[int, ...]
    missing: bool
    in_order: bool = False

    def true_of(self, values: NDArray[Any]) -> NDArray[np.bool_]:
        """(n,) whether each row answers yes."""
        if self.cut is None:
            yes = np.isin(values, self.levels)
            return yes | (values == 0) if self.missing else yes
        with np.errstate(invalid="ignore"):
            yes = values < self.cut
        return yes | np.isnan(values) if self.missing and values.dtype.kind == "f" else yes


def best_question(
    part: Binned, column: int, counts: NDArray[np.int64], least: int
) -> tuple[float, Question] | None:
    """(Σ over both sides of Σ counts² / rows, the question); the purer, the greater.

    Parameters
    ----------
    counts : (bins + 1, k) rows of a node in each bin, the missing ones first
    least : rows that either side has at least, those without a value included
    """
    there = np.flatnonzero(counts[1:].any(axis=1))
    if len(there) < 2:
        return None
    known = counts[1:][there]
    every = len(there) <= ALL_SUBSETS
    ways = np.zeros((0, 0), np.bool_)
    if part.ordered:
        first = known.cumsum(axis=0)[:-1]
    else:
        ways = _subsets(len(there)) if every else _in_order(known)
        first = ways.astype(np.int64) @ known
    purity, more = _purity(first, known, counts[0], least)
    best = int(purity.argmax())
    if purity[best] == -np.inf:
        return None
    missing = bool(more[best])
    if part.ordered:
        cut = shortest_between(float(part.high[there[best]]), float(part.low[there[best + 1]]))
        return float(purity[best]), Question(column, cut, (), missing)
    yes = set((there[ways[best]] + 1).tolist())
    if missing:  # levels that are not here go with the larger side, too
        yes |= set(range(1, part.bins + 1)) - set((there + 1).tolist())
    return float(purity[best]), Question(column, None, tuple(sorted(yes)), missing, not every)


def _purity(
    first: NDArray[np.int64], known: NDArray[np.int64], missing: NDArray[np.int64], least: int
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """(c,) purity where the first side has ``first``: (c, k), and whether missing ones go there;
    −∞ where a side is too small or nobody's value leads there."""
    second = known.sum(axis=0) - first
    more = first.sum(axis=1) >= second.sum(axis=1)
    empty = (first.sum(axis=1) == 0) | (second.sum(axis=1) == 0)
    first = first + more[:, None] * missing
    second = second + ~more[:, None] * missing
    n, m = first.sum(axis=1), second.sum(axis=1)
    squares = (first.astype(np.float64) ** 2).sum(axis=1) / np.maximum(n, 1)
    squares += (second.astype(np.float64) ** 2).sum(axis=1) / np.maximum(m, 1)
    squares[empty | (n < least) | (m < least)] = -np.inf
    return squares, more


def _subsets(levels: int) -> NDArray[np.bool_]:
    """Every way to part so many levels in two, the first on the first side."""
    numbers = np.arange(2 ** (levels - 1) - 1)
    rest = (numbers[:, None] >> np.arange(levels - 1)) & 1 == 1
    return np.concatenate([np.ones((len(numbers), 1), np.bool_), rest], axis=1)


def _in_order(known: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Ways that cut the levels' order by the first component of their groups' shares
    (Coppersmith, Hong & Hosking 1999)."""
    sizes = known.sum(axis=1)
    shares = known / sizes[:, None]
    centred = shares - (known.sum(axis=0) / sizes.sum())
    _, axes = np.linalg.eigh(np.einsum("li,lj,l->ij", centred, centred, sizes.astype(np.float64)))
    order = np.argsort(np.einsum("li,i->l", centred, axes[:, -1]), kind="stable")
    ways = np.zeros((len(known) - 1, len(known)), np.bool_)
    for place in range(len(known) - 1):
        ways[place, order[: place + 1]] = True
    return ways
