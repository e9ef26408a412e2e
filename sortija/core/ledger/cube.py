"""Lines and money by one attribute and by combination of bits: all that a switch of rules needs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.ledger.counting import counts

__all__ = ["Cube"]


@numba.njit(nogil=True, cache=True)
def _count(key: Any, bits: Any, money: Any, held: Any, lines: Any, total: Any) -> int:
    """Open addressing over (key, bits); −1 when the table is more than half full."""
    last = np.uint64(len(held) - 1)
    used = 0
    for line in range(len(key)):
        own = (np.int64(key[line]) + 1) << 32 | np.int64(bits[line])
        slot = ((np.uint64(own) * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(29)) & last
        while held[slot] >= 0 and held[slot] != own:
            slot = (slot + np.uint64(1)) & last
        if held[slot] < 0:
            held[slot] = own
            used += 1
            if 2 * used > len(held):
                return -1
        lines[slot] += 1
        total[slot] += money[line]
    return used


@dataclass(frozen=True)
class Cube:
    """One entry a combination of key and bits that occurs, in order of both.

    ``key``: an attribute's number (−1: none); ``bits``; ``lines``; ``money`` at the study's
    scale.
    """

    key: NDArray[np.int32]
    bits: NDArray[np.int32]
    lines: NDArray[np.int64]
    money: NDArray[np.int64]

    @staticmethod
    def of(key: NDArray[Any], bits: NDArray[np.int32], money: NDArray[np.int64]) -> Cube:
        """Count the lines of one batch; arrays of equal length, keys from −1 up."""
        slots = 1 << 12
        while True:
            held = np.full(slots, -1, np.int64)
            lines, total = np.zeros(slots, np.int64), np.zeros(slots, np.int64)
            if _count(readonly(key), readonly(bits), readonly(money), held, lines, total) >= 0:
                there = held >= 0
                return Cube._sorted(held[there], lines[there], total[there])
            slots *= 4

    @staticmethod
    def _sorted(own: NDArray[np.int64], lines: NDArray[np.int64], money: NDArray[np.int64]) -> Cube:
        order = np.argsort(own)
        own = own[order]
        return Cube(
            (own >> 32).astype(np.int32) - 1, (own & 0xFFFFFFFF).astype(np.int32),
            lines[order], money[order],
        )  # fmt: skip

    @staticmethod
    def merge(cubes: Sequence[Cube]) -> Cube:
        """The cube of several batches together."""
        if not cubes:
            none = np.zeros(0, np.int64)
            return Cube._sorted(none, none, none)
        own = np.concatenate([(c.key.astype(np.int64) + 1) << 32 | c.bits for c in cubes])
        owns, place = np.unique(own, return_inverse=True)
        lines, money = np.zeros(len(owns), np.int64), np.zeros(len(owns), np.int64)
        np.add.at(lines, place, np.concatenate([c.lines for c in cubes]))
        np.add.at(money, place, np.concatenate([c.money for c in cubes]))
        return Cube._sorted(owns, lines, money)

    def by_key(self, mask: int) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.int64]]:
        """Keys, and lines and money of each that count where the bits of ``mask`` are on."""
        counted = counts.py_func(self.bits, mask)
        keys, place = np.unique(self.key[counted], return_inverse=True)
        lines, money = np.zeros(len(keys), np.int64), np.zeros(len(keys), np.int64)
        np.add.at(lines, place, self.lines[counted])
        np.add.at(money, place, self.money[counted])
        return keys, lines, money
