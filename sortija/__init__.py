"""Sortija: a workbench for loyalty analysts, and the same figures for notebooks.

>>> import sortija
>>> visits = {"customer": ["A", "B", "C", "D"], "visits": [1, 2, 7, 9]}
>>> sortija.score(visits, {"visits": "high"}, bands=2)["total"].to_pylist()
[1, 1, 2, 2]
"""

from __future__ import annotations

from importlib import import_module
from typing import Any

__all__ = [
    "compare",
    "cross",
    "derive",
    "effect",
    "group",
    "place",
    "portray",
    "read_log",
    "score",
]


def __getattr__(name: str) -> Any:
    """What a notebook asks for comes in with the first of it: a server needs none of it."""
    if name in __all__:
        return getattr(import_module("sortija.notebook"), name)
    raise AttributeError(f"module 'sortija' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
