"""Two groupings of the same customers side by side, and what stays of one in the next."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

__all__ = [
    "Comparison",
    "adjusted_rand",
    "best_matching",
    "carry_over",
    "compare",
    "cross_table",
    "nested_in_words",
    "rand_in_words",
    "variation_of_information",
]

#: An old group lives on in a new one that shares at least so much with it (Jaccard).
CARRIED = 0.25
#: From such a share of customers on, the finer of two groupings is said to divide the coarser one.
NESTED = 0.85


def cross_table(
    first: NDArray[np.integer], second: NDArray[np.integer], rows: int, columns: int
) -> NDArray[np.int64]:
    """(rows, columns) customers by their group in each; negative labels are left out.

    >>> cross_table(np.array([0, 0, 1]), np.array([0, 1, 1]), 2, 2).tolist()
    [[1, 1], [0, 1]]
    """
    both = (first >= 0) & (second >= 0)
    key = first[both].astype(np.int64) * columns + second[both]
    return np.bincount(key, minlength=rows * columns).reshape(rows, columns)


def _table(first: NDArray[np.integer], second: NDArray[np.integer]) -> NDArray[np.int64]:
    both = (first >= 0) & (second >= 0)
    if not both.any():
        return np.zeros((1, 1), np.int64)
    _, a = np.unique(first[both], return_inverse=True)
    _, b = np.unique(second[both], return_inverse=True)
    return cross_table(a, b, int(a.max()) + 1, int(b.max()) + 1)


def adjusted_rand(first: NDArray[np.integer], second: NDArray[np.integer]) -> float:
    """Adjusted Rand index (Hubert & Arabie 1985): 1 for equal groupings, about 0 by chance.

    Speaks of the customers who have a group (0 or more) in both.

    >>> float(adjusted_rand(np.array([0, 0, 1, 1]), np.array([1, 1, 0, 0])))
    1.0
    """
    table = _table(first, second).astype(np.float64)

    def pairs(counts: NDArray[np.float64]) -> float:
        return float((counts * (counts - 1) / 2).sum())

    together = pairs(table)
    rows, columns = pairs(table.sum(axis=1)), pairs(table.sum(axis=0))
    everyone = table.sum()
    everything = everyone * (everyone - 1) / 2
    expected = rows * columns / everything if everything else 0.0
    most = (rows + columns) / 2
    return 1.0 if most == expected else (together - expected) / (most - expected)


def variation_of_information(first: NDArray[np.integer], second: NDArray[np.integer]) -> float:
    """H(first | second) + H(second | first) in nats (Meilă 2007): 0 for equal groupings.

    >>> variation_of_information(np.array([0, 0, 1, 1]), np.array([1, 1, 0, 0]))
    0.0
    """
    table = _table(first, second).astype(np.float64)
    total = table.sum()
    if total == 0:
        return 0.0

    def entropy(counts: NDArray[np.float64]) -> float:
        share = counts[counts > 0] / total
        return float(-(share * np.log(share)).sum())

    joint = entropy(table.ravel())
    return max(0.0, 2 * joint - entropy(table.sum(axis=1)) - entropy(table.sum(axis=0)))


def best_matching(table: NDArray[np.int64]) -> NDArray[np.int64]:
    """For each row group its partner among the columns so that most customers agree; −1: none.

    >>> best_matching(np.array([[1, 9], [8, 2]]))
    array([1, 0])
    """
    rows, columns = linear_sum_assignment(-table)
    out = np.full(len(table), -1, np.int64)
    out[rows] = columns
    return out


@dataclass(frozen=True)
class Comparison:
    """``table``: (k₁, k₂) customers; ``matching``: (k₁,) partner of each group of the first, −1:
    none; ``differ``: (n,) bool, customers who are in both and not with their group's partner;
    ``only_first``, ``only_second``: customers that the other has not placed."""

    table: NDArray[np.int64]
    matching: NDArray[np.int64]
    differ: NDArray[np.bool_]
    only_first: int
    only_second: int
    adjusted_rand: float
    variation_of_information: float

    @property
    def agree(self) -> float:
        """Share of the customers in both who are with their group's partner."""
        both = int(self.table.sum())
        return 1.0 - float(self.differ.sum()) / both if both else float("nan")


def compare(
    first: NDArray[np.integer], second: NDArray[np.integer], rows: int, columns: int
) -> Comparison:
    """Two groupings of the same customers; a negative label is no group.

    Parameters
    ----------
    first, second : (n,) labels from 0
    rows, columns : how many groups each has

    Raises
    ------
    ValueError
        They are not of the same customers.

    >>> found = compare(np.array([0, 0, 1, 1]), np.array([1, 1, 0, -1]), 2, 2)
    >>> found.table.tolist(), float(found.adjusted_rand)
    ([[0, 2], [1, 0]], 1.0)
    """
    if len(first) != len(second):
        raise ValueError(f"{len(first)} and {len(second)} customers cannot be compared")
    table = cross_table(first, second, rows, columns)
    matching = best_matching(table)
    both = (first >= 0) & (second >= 0)
    partner = np.append(matching, -1)[np.where(both, first, -1)]
    return Comparison(
        table, matching, both & (partner != second),
        int(((first >= 0) & (second < 0)).sum()), int(((first < 0) & (second >= 0)).sum()),
        adjusted_rand(first, second), variation_of_information(first, second),
    )  # fmt: skip


def carry_over(table: NDArray[np.int64]) -> NDArray[np.int64]:
    """(columns,) which old group each new one carries on, −1 for one that is new.

    Old and new groups are paired so that the sum of their Jaccard shares is largest (assignment
    problem), and a pair that shares too little is none: the old group has vanished then.

    Parameters
    ----------
    table : (old, new) customers in both

    >>> carry_over(np.array([[90, 5], [10, 95]])).tolist()
    [0, 1]
    """
    union = table.sum(axis=1)[:, None] + table.sum(axis=0) - table
    share = np.divide(table, union, out=np.zeros(table.shape), where=union > 0)
    old, new = linear_sum_assignment(-share)
    out = np.full(table.shape[1], -1, np.int64)
    for a, b in zip(old, new, strict=True):
        if share[a, b] >= CARRIED:
            out[b] = a
    return out


def rand_in_words(value: float) -> str:
    """What an adjusted Rand index says of two groupings.

    The bounds are Steinley's (2004): excellent from 0.9, good from 0.8, moderate from 0.65.

    >>> rand_in_words(1.0)
    'the same groups'
    """
    if value >= 0.995:
        return "the same groups"
    if value >= 0.9:
        return "nearly the same groups"
    if value >= 0.8:
        return "much the same groups, with some customers elsewhere"
    if value >= 0.65:
        return "related groups, with many customers elsewhere"
    if value >= 0.2:
        return "groups that overlap in part only"
    return "groups that have little or nothing in common"


def nested_in_words(table: NDArray[np.integer]) -> str:
    """Where one grouping divides the groups of the other further, words that say so.

    An adjusted Rand index is low then, though the two do not contradict each other. ``table``:
    (rows, columns) customers by both. Empty where neither is nested in the other.

    >>> nested_in_words(np.array([[50, 0], [40, 0], [0, 60]])).partition(":")[0]
    'the first divides the groups of the second further'
    """
    whole, (rows, columns) = int(table.sum()), table.shape
    if whole == 0 or rows == columns or min(rows, columns) < 2:
        return ""
    finer = "first" if rows > columns else "second"
    coarser = "second" if rows > columns else "first"
    together = int(table.max(axis=1 if rows > columns else 0).sum()) / whole
    if together < NESTED:
        return ""
    return (
        f"the {finer} divides the groups of the {coarser} further: {together:.0%} of the customers "
        "stay with their group's majority"
    )
