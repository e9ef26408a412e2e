"""Functions and items as bytes, with their large arrays apart.

Arrays are most of what work consists of, and the same ones are sent again and again: each is
taken out of the bytes, so that a worker that has it already is not sent it once more. Functions
go by value, so that one made within another can go too; everything that has a name in a module
goes by that name.
"""

from __future__ import annotations

import io
import mmap
import pickle
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import cloudpickle
import numpy as np
from numba.core.dispatcher import Dispatcher
from numpy.typing import NDArray

__all__ = ["LARGE", "Array", "Parcel", "Slot", "empty_slot", "pack", "unpack"]

#: Arrays of so many bytes go apart.
LARGE = 64 << 10
#: Linux: no memory is set aside for pages that nobody touches.
_NORESERVE = 0x4000 if sys.platform == "linux" else 0

Array = NDArray[Any]


@dataclass(frozen=True)
class Slot:
    """The shape and kind of an array of which work is sent a part only."""

    shape: tuple[int, ...]
    kind: str
    writable: bool


@dataclass(frozen=True)
class Parcel:
    """``arrays``: the large ones, in the order in which the bytes speak of them."""

    data: bytes
    arrays: tuple[Array, ...]


class _Pickler(cloudpickle.Pickler):
    def __init__(self, file: io.BytesIO, slots: Mapping[int, int]) -> None:
        super().__init__(file, protocol=5)
        self.slots, self.arrays, self.places = slots, [], {}  # type: ignore[var-annotated]

    def persistent_id(self, obj: Any) -> Any:
        if not isinstance(obj, np.ndarray):
            return None
        slot = self.slots.get(id(obj))
        if slot is not None:
            return "slot", slot, True
        if obj.nbytes < LARGE or obj.dtype.hasobject:
            return None
        place = self.places.setdefault(id(obj), len(self.arrays))
        if place == len(self.arrays):
            self.arrays.append(obj)
        return "array", place, obj.flags.writeable

    def reducer_override(self, obj: Any) -> Any:
        # A kernel is compiled where it arrives; by its name, what was compiled before is found.
        if isinstance(obj, Dispatcher) and "<locals>" not in obj.py_func.__qualname__:
            return _named, (obj.py_func.__module__, obj.py_func.__qualname__)
        return super().reducer_override(obj)


def _named(module: str, name: str) -> Any:
    __import__(module)
    found: Any = sys.modules[module]
    for each in name.split("."):
        found = getattr(found, each)
    return found


def pack(content: Any, slots: Mapping[int, int] | None = None) -> Parcel:
    """Anything as bytes and arrays.

    Parameters
    ----------
    slots : dict, optional
        id of an array → number of the slot that stands for it
    """
    file = io.BytesIO()
    pickler = _Pickler(file, slots or {})
    pickler.dump(content)
    return Parcel(file.getvalue(), tuple(pickler.arrays))


class _Unpickler(pickle.Unpickler):
    def __init__(self, data: bytes, arrays: Sequence[Array], slots: Sequence[Array]) -> None:
        super().__init__(io.BytesIO(data))
        self.arrays, self.slots = arrays, slots

    def persistent_load(self, pid: Any) -> Any:
        kind, place, writable = pid
        if kind == "slot":
            return self.slots[place]
        array = self.arrays[place]
        if array.flags.writeable == writable:
            return array
        # A kernel is compiled for one of the two kinds, so each has to arrive as it was.
        if writable:
            return array.copy()
        view = array.view()
        view.flags.writeable = False
        return view


def unpack(data: bytes, arrays: Sequence[Array], slots: Sequence[Array] = ()) -> Any:
    """What :func:`pack` made bytes of.

    >>> unpack(pack({"a": 1}).data, ())
    {'a': 1}
    """
    return _Unpickler(data, arrays, slots).load()


def empty_slot(slot: Slot) -> Array:
    """Zeros of a slot's shape; pages that nobody touches take no memory."""
    kind = np.dtype(slot.kind)
    size = int(np.prod(slot.shape, dtype=np.int64)) * kind.itemsize
    if not size:
        return np.zeros(slot.shape, kind)
    flags = mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS | _NORESERVE
    return np.frombuffer(mmap.mmap(-1, size, flags), kind).reshape(slot.shape)
