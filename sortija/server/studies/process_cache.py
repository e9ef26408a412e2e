"""What a process remembers from one request to the next, bounded by bytes over all of it.

A result is known by the function and its arguments, a :class:`Keyed` one by its key alone, so that
nothing else is held in memory for it. What was not asked for longest goes first.
"""

from __future__ import annotations

import mmap
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import update_wrapper
from threading import RLock
from typing import Any, Generic, ParamSpec, TypeVar

import numpy as np
from cachetools import LRUCache
from django.conf import settings
from pydantic import BaseModel

from sortija.server.studies.cache_key import Keyed

__all__ = ["Remembered", "remembered", "size_of"]

Asked = ParamSpec("Asked")
Result = TypeVar("Result")
#: What a number, a reference and the like take, about.
_SMALL = 48
_cache: LRUCache[Hashable, Any] | None = None
_lock = RLock()


def _shared() -> LRUCache[Hashable, Any]:
    global _cache
    if _cache is None:
        _cache = LRUCache(settings.REMEMBER, size_of)
    return _cache


class Remembered(Generic[Asked, Result]):
    """A function whose results are remembered; two threads may work out the same one."""

    def __init__(self, function: Callable[Asked, Result]) -> None:
        self._function = function
        update_wrapper(self, function)

    def __call__(self, *args: Asked.args, **kwargs: Asked.kwargs) -> Result:
        if kwargs:
            raise TypeError("arguments by place alone, so that a call has one key")
        key = (self, *(arg.key if isinstance(arg, Keyed) else arg for arg in args))
        with _lock, suppress(KeyError):
            return _shared()[key]  # type: ignore[no-any-return]
        result = self._function(*args)  # type: ignore[call-arg]
        with _lock, suppress(ValueError):  # larger than all the room: worked out each time
            _shared()[key] = result
        return result

    def cache_clear(self) -> None:
        """Forget every result of this function."""
        with _lock:
            for key in [key for key in _shared() if isinstance(key, tuple) and key[0] is self]:
                del _shared()[key]


def remembered(function: Callable[Asked, Result]) -> Remembered[Asked, Result]:
    """Remember what a function of hashable arguments gives; a decorator."""
    return Remembered(function)


def size_of(value: Any, known: set[int] | None = None) -> int:
    """Bytes that a value holds, about: arrays, texts and what contains them, each once.

    Arrays that lie in mapped files count for nothing: the system takes them back when it must.

    >>> size_of(np.zeros(1000)) // 1000, size_of("abc") > 3
    (8, True)
    """
    kind = type(value)
    if kind is float or kind is int or kind is bool or value is None:
        return _SMALL
    if kind is str:
        return len(value) + _SMALL
    known = set() if known is None else known
    if id(value) in known:
        return 0
    known.add(id(value))
    if isinstance(value, np.ndarray):
        return _SMALL if _is_mapped(value) else value.nbytes + _SMALL
    if isinstance(value, (str, bytes)):
        return len(value) + _SMALL
    if isinstance(value, dict):
        return _SMALL + sum(size_of(k, known) + size_of(v, known) for k, v in value.items())
    if isinstance(value, (list, tuple, set, frozenset)):
        if value and isinstance(next(iter(value)), (int, float)):
            return _SMALL * len(value)
        return _SMALL + sum(size_of(each, known) for each in value)
    if isinstance(value, BaseModel):
        return _SMALL + size_of(value.__dict__, known)
    if is_dataclass(value) and not isinstance(value, type):
        return _SMALL + sum(size_of(getattr(value, f.name), known) for f in fields(value))
    return _SMALL


def _is_mapped(array: np.ndarray) -> bool:
    base: Any = array
    while base is not None:
        if isinstance(base, np.memmap | mmap.mmap):
            return True
        base = getattr(base, "base", None)
    return False
