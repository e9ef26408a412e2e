"""Files that lie over one another: receipts that came by several, and which file gives way."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["OVERLAPS", "Overlap", "Replaced", "overlapping"]

#: What becomes of receipts that an earlier file has too. ``both``: they all stay, except those
#: that came twice with the same lines; ``skip``: this file's give way; ``replace``: the earlier.
Overlap = Literal["both", "skip", "replace"]
OVERLAPS: tuple[Overlap, ...] = ("both", "skip", "replace")
Keys = NDArray[np.uint64]
Pieces = Callable[[], Iterable[Keys]]
#: Receipts held at once, about 20 bytes each.
PART_KEYS = 1 << 21


@numba.njit(nogil=True, cache=True)
def _slot(key: Any, held: Any, used: Any) -> int:
    last = np.uint64(len(held) - 1)
    slot = (key * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(20) & last
    while used[slot] and held[slot] != key:
        slot = (slot + np.uint64(1)) & last
    return int(slot)


@numba.njit(nogil=True, cache=True)
def _learn(
    keys: Any, file: Any, replaces: Any, part: Any, parts: Any, held: Any, used: Any, first: Any,
    taker: Any,
) -> None:  # fmt: skip
    for key in keys:
        if key % parts != part:
            continue
        slot = _slot(key, held, used)
        if not used[slot]:
            used[slot], held[slot], first[slot] = True, key, file
        if replaces:
            taker[slot] = file


@numba.njit(nogil=True, cache=True)
def _ask(
    keys: Any, file: Any, part: Any, parts: Any, held: Any, used: Any, first: Any, taker: Any,
    known: Any, replaced: Any,
) -> None:  # fmt: skip
    for run in range(len(keys)):
        if keys[run] % parts == part:
            slot = _slot(keys[run], held, used)
            known[run] = first[slot] < file
            replaced[run] = taker[slot] > file


def overlapping(
    files: Sequence[Pieces], sizes: Sequence[int], choices: Sequence[Overlap]
) -> list[tuple[NDArray[np.bool_], NDArray[np.bool_]]]:
    """For each file, in the order in which they came: which of its receipts are shared.

    Parameters
    ----------
    files
        Each gives the receipt keys of its runs in pieces; called several times.
    sizes : how many runs each file has
    choices : what was chosen for each file

    Returns
    -------
    known, gives_way : (runs,) bool for each file
        Whether an earlier file has the receipt too; whether the run is superseded by that.
    """
    total = max(sum(sizes), 1)
    parts = -(-total // PART_KEYS)
    slots = 1 << int(np.ceil(np.log2(2.5 * total / parts + 64)))
    known = [np.zeros(size, np.bool_) for size in sizes]
    replaced = [np.zeros(size, np.bool_) for size in sizes]
    for part in range(parts):
        held, used = np.empty(slots, np.uint64), np.zeros(slots, np.bool_)
        first, taker = np.zeros(slots, np.int32), np.full(slots, -1, np.int32)
        turn = (np.uint64(part), np.uint64(parts))
        for number, file in enumerate(files):
            for keys in file():
                replaces = choices[number] == "replace"
                _learn(keys, number, replaces, *turn, held, used, first, taker)
        for number, file in enumerate(files):
            start = 0
            for keys in file():
                mine = slice(start, start + len(keys))
                _ask(
                    keys, number, *turn, held, used, first, taker, known[number][mine],
                    replaced[number][mine],
                )  # fmt: skip
                start += len(keys)
    return [
        (seen, gone | (seen if choice == "skip" else False))
        for seen, gone, choice in zip(known, replaced, choices, strict=True)
    ]


@dataclass(frozen=True)
class Replaced:
    """Shops and days that a replacing file covers whole: strictly within its first and last day.

    A receipt that the new export no longer has was corrected away; on the days at its edges, of
    which it may hold a part only, just the receipts that it has too give way.
    """

    sites: NDArray[np.int16]
    after: int
    before: int

    @staticmethod
    def by(site: NDArray[np.int16], day: NDArray[np.int32]) -> Replaced:
        """What lines with these sites and days replace; lines without a date tell nothing."""
        dated = day >= 0
        if not dated.any():
            return Replaced(np.zeros(0, np.int16), 0, 0)
        days = day[dated]
        return Replaced(np.unique(site[dated]), int(days.min()), int(days.max()))

    def together(self, other: Replaced) -> Replaced:
        """What two batches of one file replace."""
        if not len(self.sites) or not len(other.sites):
            return other if len(other.sites) else self
        return Replaced(
            np.union1d(self.sites, other.sites).astype(np.int16),
            min(self.after, other.after), max(self.before, other.before),
        )  # fmt: skip

    def takes(self, site: NDArray[np.int16], day: NDArray[np.int32]) -> NDArray[np.bool_]:
        """Which lines of an earlier file give way."""
        return (day > self.after) & (day < self.before) & np.isin(site, self.sites)
