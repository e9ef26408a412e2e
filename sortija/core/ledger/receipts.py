"""Receipts: runs of lines that belong together, and whole receipts that came twice."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["RunCutter", "Runs", "find_runs", "repeated"]

Digests = NDArray[np.uint64]
#: Runs that :func:`repeated` holds at once, about 25 bytes each.
PART_RUNS = 1 << 20


@dataclass(frozen=True)
class Runs:
    """Lines of one receipt that stand together in the file, in file order.

    ``key``: the receipt; ``content``: an order-free digest of its lines; ``count``: how many
    lines. All arrays have length r.
    """

    key: Digests
    content: Digests
    count: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.key)

    def slice(self, start: int, stop: int) -> Runs:
        """Runs ``start`` to ``stop``, without copying."""
        return Runs(self.key[start:stop], self.content[start:stop], self.count[start:stop])


@numba.njit(nogil=True, cache=True)
def _sum_runs(starts: Any, content: Any, out: Any) -> None:
    for run in range(len(out)):
        total = np.uint64(0)
        for line in range(starts[run], starts[run + 1]):
            total += content[line]
        out[run] = total


def find_runs(receipt: Digests, content: Digests) -> Runs:
    """Cut lines into runs.

    Parameters
    ----------
    receipt, content : (n,) uint64
        Receipt key and digest of each line. Lines whose receipt differs from the line before
        begin a new run.

    >>> runs = find_runs(np.array([7, 7, 8], np.uint64), np.array([1, 2, 3], np.uint64))
    >>> runs.key.tolist(), runs.count.tolist()
    ([7, 8], [2, 1])
    """
    if len(receipt) == 0:
        none = np.zeros(0, np.uint64)
        return Runs(none, none, np.zeros(0, np.int32))
    edges = np.flatnonzero(receipt[1:] != receipt[:-1]) + 1
    starts = np.concatenate([[0], edges, [len(receipt)]]).astype(np.int64)
    sums = np.empty(len(starts) - 1, np.uint64)
    _sum_runs(starts, content, sums)
    return Runs(receipt[starts[:-1]], sums, np.diff(starts).astype(np.int32))


def _join(first: Runs, second: Runs) -> Runs:
    """Two stretches of a log; what the cut between them divided is one run again."""
    if not len(first) or not len(second):
        return second if len(second) else first
    goes_on = int(first.key[-1] == second.key[0])
    content = np.concatenate([first.content, second.content[goes_on:]])
    count = np.concatenate([first.count, second.count[goes_on:]])
    if goes_on:
        place = len(first) - 1
        with np.errstate(over="ignore"):  # digests add up modulo 2**64
            content[place] += second.content[0]
        count[place] += second.count[0]
    return Runs(np.concatenate([first.key, second.key[goes_on:]]), content, count)


class RunCutter:
    """Cuts a log into runs batch by batch; only the run at the end is held back."""

    def __init__(self) -> None:
        self._held = find_runs(np.zeros(0, np.uint64), np.zeros(0, np.uint64))
        self._whole = 0

    def add(self, receipt: Digests, content: Digests) -> tuple[NDArray[np.int32], Runs]:
        """Lines of the next batch, at least one.

        Returns
        -------
        number : (n,) int32
            Run of every line, counted from 0 over the whole log.
        whole : Runs
            Those that no later line can belong to.
        """
        own = find_runs(receipt, content)
        runs = _join(self._held, own)
        first = self._whole + len(runs) - len(own)
        numbers = np.arange(first, first + len(own), dtype=np.int32)
        whole = len(runs) - 1
        self._held = runs.slice(whole, whole + 1)
        self._whole += whole
        return np.repeat(numbers, own.count), runs.slice(0, whole)

    def close(self) -> Runs:
        """The last run."""
        return self._held


@numba.njit(nogil=True, cache=True)
def _mark(
    key: Any, content: Any, part: Any, parts: Any, held_key: Any, held_content: Any, used: Any,
    out: Any,
) -> None:  # fmt: skip
    """Open addressing: a slot holds one (key, content); what finds itself there came before."""
    last = np.uint64(len(used) - 1)
    for run in range(len(key)):
        mixed = (key[run] ^ (content[run] * np.uint64(0x9E3779B97F4A7C15))) * np.uint64(
            0xFF51AFD7ED558CCD
        )
        mixed ^= mixed >> np.uint64(32)
        if mixed % parts != part:
            continue
        slot = (mixed // parts) & last
        while used[slot] and (held_key[slot] != key[run] or held_content[slot] != content[run]):
            slot = (slot + np.uint64(1)) & last
        if used[slot]:
            out[run] = True
        else:
            used[slot], held_key[slot], held_content[slot] = True, key[run], content[run]


def repeated(pieces: Callable[[], Iterable[tuple[Digests, Digests]]], runs: int) -> NDArray[Any]:
    """Which runs came before with the same receipt and the same lines.

    Parameters
    ----------
    pieces
        Gives key and content of all runs in the order in which they came, in pieces; called once
        for every ``PART_RUNS`` runs, so that memory stays bounded.
    runs : int
        How many there are in all.

    Returns
    -------
    (runs,) bool; the first of equal runs is False.

    >>> receipt, content = np.array([1, 2, 1], np.uint64), np.array([5, 6, 5], np.uint64)
    >>> repeated(lambda: [(receipt, content)], 3).tolist()
    [False, False, True]
    """
    parts = -(-max(runs, 1) // PART_RUNS)
    # A quarter more than the even share of a part, filled to a half at most.
    slots = 1 << int(np.ceil(np.log2(2.5 * max(runs, 1) / parts + 64)))
    out = np.zeros(runs, bool)
    for part in range(parts):
        held_key, held_content = np.empty(slots, np.uint64), np.empty(slots, np.uint64)
        used = np.zeros(slots, bool)
        start = 0
        for key, content in pieces():
            stop = start + len(key)
            mine = out[start:stop]
            _mark(
                key, content, np.uint64(part), np.uint64(parts), held_key, held_content, used, mine
            )
            start = stop
    return out
