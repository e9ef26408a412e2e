"""Rules that retell a grouping, from a tree, and how well they do on rows it had not seen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, readonly
from sortija.core.measures.intervals import wilson
from sortija.core.portraits.bins import binned
from sortija.core.portraits.conditions import Condition, conditions_of, joined
from sortija.core.portraits.kernels import count_drawn
from sortija.core.portraits.questions import best_question
from sortija.core.portraits.tree import Tree, grow, least_leaf
from sortija.core.table import Column

__all__ = ["LEAST_ROWS", "Retelling", "Rule", "Share", "held_back", "retell", "steadiness"]

#: Share of the rows that the tree does not see, and redrawn tables that its first question is
#: looked for in.
_HELD_BACK, _REDRAWN = 0.3, 20
#: Fewer rows than this cannot be parted into two leaves.
LEAST_ROWS = 58


@dataclass(frozen=True)
class Share:
    """``count`` of ``of`` rows, with the 95% interval by Wilson; NaN of none."""

    count: int
    of: int

    @property
    def value(self) -> float:
        return self.count / self.of if self.of else float("nan")

    @property
    def interval(self) -> tuple[float, float]:
        return wilson(self.count, self.of) if self.of else (float("nan"), float("nan"))


@dataclass(frozen=True)
class Rule:
    """How to find a segment: one list of conditions, or two of which either will do.

    ``leaves``: those that it takes together; ``holds``: how many of the segment it catches;
    ``belongs``: how many of those it catches are of the segment; both of rows held back.
    """

    segment: int
    ways: tuple[tuple[Condition, ...], ...]
    leaves: tuple[int, ...]
    holds: Share
    belongs: Share


@dataclass(frozen=True)
class Retelling:
    """A tree of some rows, told by the rest.

    ``reached``: (n,) the leaf of every row; ``counts``: (nodes, k) all rows at each node;
    ``errs``: (k, k) rows held back of a segment (down) and what the tree takes them for (across);
    ``right``: those told rightly; ``usual``: those that are of the largest segment, which no
    question finds as well; ``rules``: one a segment, in order; none where there is no question.
    """

    tree: Tree
    reached: NDArray[np.int16]
    counts: NDArray[np.int64]
    errs: NDArray[np.int64]
    right: Share
    usual: Share
    rules: tuple[Rule, ...]


def held_back(groups: NDArray[np.integer], k: int, seed: int) -> NDArray[np.bool_]:
    """(n,) the three in ten rows of each group that a tree does not see.

    >>> int(held_back(np.repeat([0, 1], [10, 20]), 2, 1).sum())
    9
    """
    rng = np.random.default_rng([seed, 43])
    out = np.zeros(len(groups), np.bool_)
    for group in range(k):
        rows = np.flatnonzero(groups == group)
        out[rng.permutation(rows)[: round(_HELD_BACK * len(rows))]] = True
    return out


def retell(
    columns: Sequence[Column], groups: NDArray[np.integer], k: int, depth: int = 3,
    seed: int = 4107, engine: Engine | None = None,
) -> Retelling:  # fmt: skip
    """Grow a tree on seven in ten rows and look at it with the other three.

    Parameters
    ----------
    columns : numbers and categories of equal length n, all of rows that are of a group
    groups : (n,) int, 0 to k − 1
    """
    away = held_back(groups, k, seed)
    seen = np.flatnonzero(~away)
    engine = engine or Engine(1)
    few = engine.map(lambda column: _rows_of(column, seen), columns)
    tree = grow(few, groups[seen], k, depth, engine=engine)
    reached = tree.reached(columns) if columns else np.zeros(len(groups), np.int16)
    size = len(tree.nodes)
    key = reached.astype(np.int64) * k + groups
    unseen = np.bincount(key[away], minlength=size * k).reshape(size, k)
    told = np.array([node.told for node in tree.nodes])
    errs = np.zeros((k, k), np.int64)
    np.add.at(errs.T, told, unseen)
    whole = np.bincount(key, minlength=size * k).reshape(size, k)
    for place in range(size - 1, -1, -1):
        sides = tree.nodes[place].sides
        if sides is not None:
            whole[place] += whole[list(sides)].sum(axis=0)
    n = int(unseen.sum())
    rules = tuple(_rule(tree, columns, segment, unseen) for segment in range(k))
    return Retelling(
        tree, reached, whole, errs, Share(int(errs.trace()), n),
        Share(int(unseen.sum(axis=0).max(initial=0)), n),
        rules if tree.nodes[0].question is not None else (),
    )  # fmt: skip


def _rows_of(column: Column, rows: NDArray[np.int64]) -> Column:
    return Column(column.name, column.kind, column.values[rows], column.unit, column.levels)


def _rule(tree: Tree, columns: Sequence[Column], segment: int, unseen: NDArray[np.int64]) -> Rule:
    """The leaf, or the two together, of greatest F1 among the rows that the tree was grown on."""
    counts = {leaf: tree.nodes[leaf].counts for leaf in tree.leaves}
    of = int(tree.nodes[0].counts[segment])
    choices = [*combinations(counts, 1), *combinations(counts, 2)]

    def f1(leaves: tuple[int, ...]) -> float:
        caught = sum(int(counts[leaf].sum()) for leaf in leaves)
        hits = sum(int(counts[leaf][segment]) for leaf in leaves)
        return 2 * hits / (caught + of) if caught + of else 0.0

    best = max(choices, key=f1)  # the first of equals, and single leaves come first
    ways = [conditions_of(tree.path(leaf), columns) for leaf in best]
    together = joined(*ways) if len(ways) == 2 else None
    hits = int(unseen[list(best), segment].sum())
    return Rule(
        segment, (together,) if together is not None else tuple(ways), best,
        Share(hits, int(unseen[:, segment].sum())), Share(hits, int(unseen[list(best)].sum())),
    )  # fmt: skip


def steadiness(
    columns: Sequence[Column], groups: NDArray[np.integer], k: int, seed: int = 4107,
    engine: Engine | None = None,
) -> float:  # fmt: skip
    """Share of 20 redrawn tables whose first question is about the same column.

    NaN where there is none to ask.
    """
    engine, n = engine or Engine(1), len(groups)
    own = readonly(np.asarray(groups, np.int32))
    parts = engine.map(binned, columns)
    least = least_leaf(n)

    def first(turn: int) -> int:
        times = np.ones(n, np.int64)
        if turn:
            rng = np.random.default_rng([seed, 47, turn])
            times = np.bincount(rng.integers(0, n, n), minlength=n)
        best, chosen = -1.0, -1
        for column, part in enumerate(parts):
            counts = np.zeros((part.bins + 1, k), np.int64)
            count_drawn(part.codes, own, times, counts)
            offer = best_question(part, column, counts, least)
            if offer is not None and offer[0] > best + 1e-9:
                best, chosen = offer[0], column
        return chosen

    found = engine.map(first, range(_REDRAWN + 1))
    return found[1:].count(found[0]) / _REDRAWN if found[0] >= 0 else float("nan")
