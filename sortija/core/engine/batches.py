"""One map on a cluster: its function and items packed into batches, and what comes back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import xxhash

from sortija.core.engine.parcels import LARGE, Array, Parcel, Slot, pack
from sortija.core.engine.parts import Part, Parts
from sortija.core.engine.remote import Batch, Done, Piece, Task, versions

__all__ = ["Work", "content_of"]


@dataclass
class Work:
    """A function and its items, and the results as they come in.

    ``slots``: the arrays of which items are sent parts.
    """

    function: Callable[[Any], Any]
    items: Sequence[Any]
    parts: Callable[[Any], Parts] | None
    results: list[Any] = field(default_factory=list)
    slots: list[Array] = field(default_factory=list)
    parcel: Parcel = field(init=False)

    def __post_init__(self) -> None:
        self.results = [None] * len(self.items)
        named = self.parts(self.items[0]) if self.parts is not None else Parts()
        for array, _ in (*named.reads, *named.writes, *named.changes):
            # What is only read and does not lie by rows is sent whole.
            if self._slot(array) is None and array.flags.c_contiguous:
                self.slots.append(array)
        self.parcel = pack(self.function, {id(a): n for n, a in enumerate(self.slots)})

    def _slot(self, array: Array) -> int | None:
        return next((n for n, slot in enumerate(self.slots) if slot is array), None)

    def batch(self, places: Sequence[int]) -> tuple[Batch, list[Array]]:
        """Some of the items, and the large arrays that go with them."""
        arrays = _Arrays()
        function = arrays.places(self.parcel.arrays)
        tasks = []
        for place in places:
            item = pack(self.items[place])
            pieces = tuple(self._pieces(self.items[place], arrays))
            tasks.append(Task(place, item.data, arrays.places(item.arrays), pieces))
        slots = tuple(Slot(a.shape, a.dtype.str, a.flags.writeable) for a in self.slots)
        batch = Batch(versions(), self.parcel.data, function, slots, tuple(tasks))
        return batch, arrays.found

    def _pieces(self, item: Any, arrays: _Arrays) -> list[Piece]:
        if self.parts is None:
            return []
        parts = self.parts(item)

        def slot(part: Part) -> int:
            number = self._slot(part[0])
            if number is None:
                raise ValueError("parts are of arrays that lie by rows, the same for every item")
            return number

        found = []
        for part in parts.reads:
            if not part[0].flags.c_contiguous:
                continue
            content = np.ascontiguousarray(part[0][part[1]])
            large = content.nbytes >= LARGE
            sent = arrays.places([content])[0] if large else content
            found.append(Piece(slot(part), part[1], sent, False))
        for part in parts.changes:
            found.append(Piece(slot(part), part[1], np.array(part[0][part[1]]), True))
        return [*found, *(Piece(slot(part), part[1], None, True) for part in parts.writes)]

    def take(self, done: Done) -> None:
        """Put in place what came of one item."""
        self.results[done.place] = done.result
        if self.parts is not None:
            parts = self.parts(self.items[done.place])
            back = (*parts.changes, *parts.writes)
            for (array, index), content in zip(back, done.written, strict=True):
                array[index] = content


class _Arrays:
    """Large arrays, each once, however often it is spoken of."""

    def __init__(self) -> None:
        self.found: list[Array] = []
        self._places: dict[tuple[Any, ...], int] = {}

    def places(self, arrays: Sequence[Array]) -> tuple[int, ...]:
        out = []
        for array in arrays:
            key = (array.ctypes.data, array.shape, array.strides, array.dtype.str)
            if key not in self._places:
                self._places[key] = len(self.found)
                self.found.append(np.asarray(array))
            out.append(self._places[key])
        return tuple(out)


def content_of(array: Array) -> tuple[Any, ...]:
    """The same for arrays that hold the same.

    >>> content_of(np.arange(3)) == content_of(np.array([0, 1, 2]))
    True
    """
    plain = np.ascontiguousarray(array).reshape(-1).view(np.uint8)
    digest = xxhash.xxh3_128_digest(plain.data)
    return digest, array.shape, array.strides, array.dtype.str
