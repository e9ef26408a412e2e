"""Kinds of clause: stations say here which columns a lens can speak of."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.lens.bins import Bins, bin_column
from sortija.core.table import Column
from sortija.server.hooks import Hook, Hooks
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import once
from sortija.server.studies.windows import WindowInView

__all__ = [
    "Base",
    "Field",
    "FieldName",
    "base_of",
    "customer_names",
    "field",
    "field_kind",
    "field_names",
    "lists_fields",
    "names_customers",
    "provides_base",
]


@dataclass(frozen=True)
class Field:
    """A column that clauses and charts can speak of; ``stamp`` names its very values.

    ``labels``: what people read for each level, where that differs from the level itself;
    ``definition``: how the values come about, in words; ``covered``: what the log has of the time
    it speaks of besides its window, empty where it has all of it; ``ordered``: its levels have an
    order, in which they are listed; ``marks``: of its levels, where they are segments, −1 for none.
    """

    key: str
    label: str
    unit: str
    column: Column
    stamp: str
    labels: tuple[str, ...] = ()
    definition: str = ""
    covered: str = ""
    ordered: bool = False
    marks: tuple[int, ...] = ()

    @property
    def bins(self) -> Bins:
        return _bins(Keyed(self.stamp, self.column))


@dataclass(frozen=True)
class Base:
    """Everyone: who is known at the window's end, their money, and what this was made from."""

    known: NDArray[np.bool_]
    money: NDArray[np.int64]
    made_from: str


@dataclass(frozen=True)
class FieldName:
    """A field on offer; ``group`` says which station it comes from."""

    key: str
    label: str
    kind: str
    unit: str
    group: str
    labels: dict[str, str] = dataclasses.field(default_factory=dict)


@remembered
def _bins(keyed: Keyed[Column]) -> Bins:
    try:
        return bin_column(keyed.value)
    except ValueError as problem:
        raise Problem(str(problem)) from problem


Resolver = Callable[[Study, WindowInView, str], Field | None]
_KINDS: Hooks[Resolver] = Hooks("kinds of field")
Everyone = Callable[[Study, WindowInView], Base | None]
_BASE: Hook[Everyone] = Hook("who knows everyone and their money")


def field_kind(kind: str) -> Callable[[Resolver], Resolver]:
    """Register how fields called ``kind:name`` are found."""

    def register(resolver: Resolver) -> Resolver:
        return _KINDS.add(resolver, kind)

    return register


def provides_base(function: Everyone) -> Everyone:
    """Register who knows everyone and their money (None: not ready yet)."""
    return _BASE.fill(function)


Namer = Callable[[Study, list[int]], list[str]]
_NAMER: Hook[Namer] = Hook("what customers are called")


def names_customers(namer: Namer) -> Namer:
    """Register who knows what customers are called."""
    return _NAMER.fill(namer)


def customer_names(study: Study, numbers: list[int]) -> list[str]:
    """What these customers are called, in their order."""
    return _NAMER.function(study, numbers)


def base_of(study: Study, window: WindowInView) -> Base | None:
    """Everyone at the window's end, or None while that is being worked out."""
    return _BASE.function(study, window)


@once
def field(study: Study, window: WindowInView, key: str) -> Field:
    """The field called ``key`` in this window.

    Raises
    ------
    Problem
        404: nothing is called that here.
    """
    kind, _, name = key.partition(":")
    found = _KINDS[kind](study, window, name) if kind in _KINDS else None
    if found is None:
        raise Problem(f"There is nothing called {name or key} in this study.", 404)
    return found


Lister = Callable[[Study, WindowInView], list[FieldName]]
_LISTERS: Hooks[Lister] = Hooks("who lists fields")


def lists_fields(lister: Lister) -> Lister:
    """Register who lists a station's fields."""
    return _LISTERS.add(lister)


def field_names(study: Study, window: WindowInView) -> list[FieldName]:
    """Every field that a clause or a chart can speak of in this window."""
    return [name for lister in _LISTERS.values() for name in lister(study, window)]
