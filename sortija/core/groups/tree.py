"""The tree of a hierarchical grouping: who joined whom, at which height."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["Tree", "tree_of"]


@dataclass(frozen=True)
class Tree:
    """Merges in order of height.

    ``merges``: (n − 1, 2) int64, the two clusters that join: a leaf below n, else n + the merge
    that made it, the smaller number first; ``heights``: (n − 1,) float64; ``sizes``: (n − 1,)
    int64 rows below each merge; ``weights``: (n,) int64 rows that each leaf stands for.
    """

    merges: NDArray[np.int64]
    heights: NDArray[np.float64]
    sizes: NDArray[np.int64]
    weights: NDArray[np.int64]

    @property
    def leaves(self) -> int:
        return len(self.weights)

    def cut(self, k: int) -> NDArray[np.int32]:
        """(n,) group of each leaf, 0 to k − 1, numbered by their first leaves.

        Raises
        ------
        ValueError
            Fewer leaves than groups, or no group.
        """
        if not 1 <= k <= self.leaves:
            raise ValueError(f"{self.leaves} leaves cannot make {k} groups")
        return _cut(self.merges, self.leaves, k)


@numba.njit(nogil=True, cache=True)
def _cut(merges: Any, n: int, k: int) -> Any:
    parent = np.arange(2 * n - 1)
    for step in range(n - k):
        parent[merges[step, 0]] = n + step
        parent[merges[step, 1]] = n + step
    for node in range(2 * n - 2, -1, -1):
        parent[node] = parent[parent[node]]
    number = np.full(2 * n - 1, -1, np.int32)
    out = np.empty(n, np.int32)
    given = 0
    for leaf in range(n):
        root = parent[leaf]
        if number[root] < 0:
            number[root] = given
            given += 1
        out[leaf] = number[root]
    return out


def tree_of(
    pairs: NDArray[np.int64], heights: NDArray[np.float64], weights: NDArray[np.int64]
) -> Tree:
    """A tree from merges in any order in which the lower ones can go first.

    Parameters
    ----------
    pairs : (n − 1, 2) int64
        A leaf of each of the two clusters that join.
    heights : (n − 1,) float64
    weights : (n,) int64

    >>> tree = tree_of(np.array([[0, 1], [1, 2]]), np.array([1.0, 3.0]), np.ones(3, np.int64))
    >>> tree.heights.tolist()
    [1.0, 3.0]
    """
    order = np.argsort(heights, kind="stable")
    merges, sizes = _numbered(pairs[order], weights)
    return Tree(merges, heights[order], sizes, weights)


@numba.njit(nogil=True, cache=True)
def _numbered(pairs: Any, weights: Any) -> Any:
    """Leaves by which clusters were named → numbers of the clusters; and their sizes."""
    n = len(weights)
    above = np.arange(n)  # path to the leaf that stands for a cluster
    cluster = np.arange(n)  # what the cluster of such a leaf is called
    rows = weights.copy()
    merges = np.empty((n - 1, 2), np.int64)
    sizes = np.empty(n - 1, np.int64)
    for step in range(n - 1):
        a, b = pairs[step, 0], pairs[step, 1]
        while above[a] != a:
            above[a] = above[above[a]]
            a = above[a]
        while above[b] != b:
            above[b] = above[above[b]]
            b = above[b]
        merges[step, 0] = min(cluster[a], cluster[b])
        merges[step, 1] = max(cluster[a], cluster[b])
        above[b] = a
        rows[a] += rows[b]
        sizes[step] = rows[a]
        cluster[a] = n + step
    return merges, sizes
