"""Texts of one kind (cards, sites, items …), each with a number in order of arrival."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numba
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.ledger.parse_numbers import empty_digest, hash_cells

__all__ = ["Codebook"]

_FREE = -1
#: What digests leave out around a text, and nothing else: two texts never come out the same.
_BLANKS = "".join(map(chr, range(33)))


@numba.njit(nogil=True, cache=True)
def _insert(digests: Any, first: int, held: Any, codes: Any) -> None:
    """Put known digests into an empty table; digest ``n`` has code ``first + n``."""
    last = np.uint64(len(held) - 1)
    for n in range(len(digests)):
        slot = digests[n] & last
        while codes[slot] != _FREE:
            slot = (slot + np.uint64(1)) & last
        held[slot], codes[slot] = digests[n], first + n


@numba.njit(nogil=True, cache=True)
def _look_up(
    digests: Any, empty: Any, held: Any, codes: Any, known: int, out: Any, fresh: Any
) -> int:
    """Codes of cells; new ones get the next, their first rows go to ``fresh``. How many are new."""
    last = np.uint64(len(held) - 1)
    new = 0
    for row in range(len(digests)):
        digest = digests[row]
        if digest == empty:
            out[row] = -1
            continue
        slot = digest & last
        while codes[slot] != _FREE and held[slot] != digest:
            slot = (slot + np.uint64(1)) & last
        if codes[slot] == _FREE:
            held[slot], codes[slot] = digest, known + new
            fresh[new] = row
            new += 1
        out[row] = codes[slot]
    return new


class Codebook:
    """Numbers from 0 for texts, in order of arrival; blanks around a text do not count.

    Texts are told apart by 64-bit digests in a table of open addressing: a million cells take
    milliseconds, and no Python string is made but for a text that is new. (That any two of a
    million texts share a digest has a chance of one in thirty million.)
    """

    def __init__(self, texts: Iterable[str] = ()) -> None:
        self.texts = list(texts)
        digests = hash_cells(pa.array(self.texts, pa.string()))
        self._digests = [digests] if len(digests) else []
        self._held: NDArray[np.uint64] = np.zeros(0, np.uint64)
        self._codes: NDArray[np.int32] = np.zeros(0, np.int32)

    def __len__(self) -> int:
        return len(self.texts)

    def encode(
        self, cells: pa.Array, digests: NDArray[np.uint64] | None = None
    ) -> NDArray[np.int32]:
        """Number of each cell; ``-1`` for an empty one. New texts get the next numbers.

        ``digests``: those of the cells, where they are known already.
        """
        self._make_room(len(self) + len(cells))
        digests = hash_cells(cells) if digests is None else digests
        out = np.empty(len(cells), np.int32)
        fresh = np.empty(len(cells), np.int64)
        new = _look_up(
            digests, np.uint64(empty_digest()), self._held, self._codes, len(self), out, fresh
        )
        if new:
            rows = fresh[:new]
            self._digests.append(digests[rows])
            self.texts += [text.strip(_BLANKS) for text in cells.take(pa.array(rows)).to_pylist()]
        return out

    def _make_room(self, texts: int) -> None:
        """Grow the table so that it is half full at most."""
        if 2 * texts <= len(self._held):
            return
        slots = 1 << (2 * texts - 1).bit_length()
        self._held = np.zeros(slots, np.uint64)
        self._codes = np.full(slots, _FREE, np.int32)
        first = 0
        for digests in self._digests:
            _insert(digests, first, self._held, self._codes)
            first += len(digests)
