"""Receipts: runs of lines that belong together, and whole receipts that came twice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["Runs", "find_runs", "repeated"]


@dataclass(frozen=True)
class Runs:
    """Lines of one receipt that stand together in the file, in file order.

    ``key``: the receipt; ``content``: an order-free digest of its lines; ``first``, ``count``:
    the run's lines within the batch.
    """

    key: NDArray[np.uint64]
    content: NDArray[np.uint64]
    first: NDArray[np.int64]
    count: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.key)


@numba.njit(nogil=True, cache=True)
def _sum_runs(starts: Any, content: Any, out: Any) -> None:
    for run in range(len(out)):
        total = np.uint64(0)
        for line in range(starts[run], starts[run + 1]):
            total += content[line]
        out[run] = total


def find_runs(receipt: NDArray[np.uint64], content: NDArray[np.uint64]) -> Runs:
    """Cut lines into runs.

    Parameters
    ----------
    receipt, content : (n,) uint64
        Receipt key and digest of each line. Lines whose receipt differs from the line before
        begin a new run.
    """
    if len(receipt) == 0:
        none = np.zeros(0, np.uint64)
        return Runs(none, none, np.zeros(0, np.int64), np.zeros(0, np.int64))
    edges = np.flatnonzero(receipt[1:] != receipt[:-1]) + 1
    starts = np.concatenate([[0], edges, [len(receipt)]]).astype(np.int64)
    sums = np.empty(len(starts) - 1, np.uint64)
    _sum_runs(starts, content, sums)
    return Runs(receipt[starts[:-1]], sums, starts[:-1], np.diff(starts))


def repeated(
    key: NDArray[np.uint64],
    content: NDArray[np.uint64],
    known: tuple[NDArray[np.uint64], NDArray[np.uint64]] | None = None,
) -> NDArray[np.bool_]:
    """Which runs came before with the same receipt and the same lines.

    Parameters
    ----------
    key, content : (r,) uint64
        Runs in file order.
    known : pair of arrays, optional
        Key and content of the runs of earlier files.

    Returns
    -------
    (r,) bool; the first of equal runs is False unless it is already known.
    """
    earlier = len(known[0]) if known else 0
    if known:
        key = np.concatenate([known[0], key])
        content = np.concatenate([known[1], content])
    order = np.lexsort((content, key))  # stable: equal runs stay in file order
    same = np.zeros(len(key), bool)
    same[1:] = (key[order][1:] == key[order][:-1]) & (content[order][1:] == content[order][:-1])
    out = np.zeros(len(key), bool)
    out[order] = same
    return out[earlier:]
