"""A classification tree: a few questions that tell groups apart (Breiman et al. 1984)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, chunk_bounds, readonly
from sortija.core.portraits.bins import Binned, binned
from sortija.core.portraits.kernels import count_bins, lead_on
from sortija.core.portraits.questions import Question, best_question
from sortija.core.table import Column

__all__ = ["DEEPEST", "Node", "Tree", "grow", "least_leaf"]

DEEPEST = 4
_FEWEST, _SHARE = 20, 0.01


def least_leaf(rows: int) -> int:
    """Rows that a leaf has at least: 20, and one in a hundred.

    >>> least_leaf(500), least_leaf(100_000)
    (20, 1000)
    """
    return max(_FEWEST, -int(-rows * _SHARE // 1))


@dataclass(frozen=True)
class Node:
    """``counts``: (k,) rows of each group that came here; ``sides``: the nodes that a question
    leads to, for those of whom it is true and for the rest; neither where this is a leaf."""

    counts: NDArray[np.int64]
    depth: int
    question: Question | None = None
    sides: tuple[int, int] | None = None

    @property
    def told(self) -> int:
        """The group that most of those here are of."""
        return int(self.counts.argmax())


@dataclass(frozen=True)
class Tree:
    """``nodes``: the first is the root, every other comes after the one that leads to it."""

    k: int
    nodes: tuple[Node, ...]

    @property
    def leaves(self) -> list[int]:
        return [place for place, node in enumerate(self.nodes) if node.question is None]

    def path(self, leaf: int) -> list[tuple[Question, bool]]:
        """Questions from the root to a node, each with whether it is true there."""
        found: list[tuple[Question, bool]] = []
        for place in range(leaf - 1, -1, -1):
            node = self.nodes[place]
            if node.question is not None and node.sides is not None and leaf in node.sides:
                found.append((node.question, leaf == node.sides[0]))
                leaf = place
        return found[::-1]

    def reached(self, columns: Sequence[Column]) -> NDArray[np.int16]:
        """(n,) the leaf that every row comes to."""
        at = np.zeros(len(columns[0]) if columns else 0, np.int16)
        for place, node in enumerate(self.nodes):
            if node.question is None or node.sides is None:
                continue
            here = np.flatnonzero(at == place)
            yes = node.question.true_of(columns[node.question.column].values[here])
            at[here] = np.where(yes, *node.sides)
        return at


def grow(
    columns: Sequence[Column], groups: NDArray[np.integer], k: int, depth: int = 3,
    least: int | None = None, engine: Engine | None = None,
) -> Tree:  # fmt: skip
    """The tree of greatest gain in purity (Gini) at every step.

    Parameters
    ----------
    columns : numbers and categories of equal length n
        Missing values go with the side that has more rows whose value is known.
    groups : (n,) int, 0 to k − 1
    depth : questions in a row, 4 at most
    least : rows of a leaf, :func:`least_leaf` by default

    >>> x = Column("x", "number", np.arange(100.0))
    >>> tree = grow([x], np.repeat([0, 1], [30, 70]), 2)
    >>> tree.nodes[0].question.cut, [tree.nodes[leaf].counts.tolist() for leaf in tree.leaves]
    (30.0, [[30, 0], [0, 70]])
    """
    engine, n = engine or Engine(1), len(groups)
    own = readonly(np.asarray(groups, np.int32))
    least = least_leaf(n) if least is None else least
    parts = engine.map(binned, columns)
    nodes = [Node(np.bincount(own, minlength=k), 0)]
    at, open_nodes = np.zeros(n, np.int16), [0]
    for level in range(min(depth, DEEPEST)):
        found = _questions(parts, own, k, at, [nodes[p].counts for p in open_nodes], least, engine)
        columns_asked = [-1 if q is None else q.column for q in found]
        answers = np.zeros(
            (len(found), max((part.bins for part in parts), default=0) + 1), np.bool_
        )
        grown: list[int] = []
        for number, (place, question) in enumerate(zip(open_nodes, found, strict=True)):
            if question is None:
                continue
            answers[number, : parts[question.column].bins + 1] = _by_bin(
                question, parts[question.column]
            )
            sides = len(nodes), len(nodes) + 1
            nodes[place] = Node(nodes[place].counts, level, question, sides)
            nodes += [Node(np.zeros(k, np.int64), level + 1)] * 2
            grown += sides
        if not grown:
            break
        counts = np.zeros((len(grown), k), np.int64)
        codes = [part.codes for part in parts]
        for chunk in chunk_bounds(n):
            lead_on(_stacked(codes, *chunk), own[slice(*chunk)], at[slice(*chunk)],
                    np.array(columns_asked), answers, counts)  # fmt: skip
        for place, row in zip(grown, counts, strict=True):
            nodes[place] = Node(row, level + 1)
        open_nodes = grown
    return Tree(k, tuple(nodes))


def _stacked(codes: Sequence[NDArray[np.uint16]], start: int, stop: int) -> NDArray[np.uint16]:
    return np.stack([each[start:stop] for each in codes])


def _by_bin(question: Question, part: Binned) -> NDArray[np.bool_]:
    """(bins + 1,) whether the rows of each bin answer yes, the missing ones first."""
    if question.cut is None:
        yes = np.isin(np.arange(1, part.bins + 1), question.levels)
    else:
        yes = part.high < question.cut
    return np.append(question.missing, yes)


def _questions(
    parts: Sequence[Binned], groups: NDArray[np.int32], k: int, at: NDArray[np.int16],
    totals: Sequence[NDArray[np.int64]], least: int, engine: Engine,
) -> list[Question | None]:  # fmt: skip
    """The best question of every open node; None where none makes its rows purer."""

    def of_column(column: int) -> list[tuple[float, Question] | None]:
        part = parts[column]
        counts = np.zeros((len(totals), part.bins + 1, k), np.int64)
        count_bins(part.codes, groups, at, counts)
        return [best_question(part, column, table, least) for table in counts]

    found = engine.map(of_column, range(len(parts)))
    out: list[Question | None] = []
    for number, total in enumerate(totals):
        best, chosen = float(total @ total) / max(int(total.sum()), 1) * (1 + 1e-12), None
        for mine in found:
            offer = mine[number]
            if offer is not None and offer[0] > best + 1e-9:
                best, chosen = offer
        out.append(chosen)
    return out
