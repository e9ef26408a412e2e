"""Who lives where: every customer of a division by the district that a trait names."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.portraits.places import by_place, means_by_place
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.customers.districts import districts_of
from sortija.server.ledger.customers.traits import Trait, said, trait_column, traits_of
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.division import Division
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = ["Ground", "PlaceOption", "ground_of", "place_options", "place_traits", "traits_told"]

#: Beyond so many values a trait names no districts.
MOST = 5_000
_PLACE_NAMES = re.compile(r"district|post|zip|region|city|town|area|county|store|branch", re.I)


class PlaceOption(BaseModel):
    """A trait whose values can be places."""

    key: str
    label: str


@dataclass(frozen=True)
class Ground:
    """``codes``: what the places are called, those with an outline but nobody there included;
    ``places``: (n,) each customer's, −1 unknown or outside of the division; ``customers`` and
    ``money``: of each place; ``without``: customers of the division whose place is not known;
    ``outlined``: a file of outlines calls places so."""

    key: str
    label: str
    stamp: str
    placed: AssignmentAt
    division: Division
    codes: tuple[str, ...]
    places: NDArray[np.int32]
    customers: NDArray[np.int64]
    money: NDArray[np.int64]
    without: int
    outlined: bool

    @property
    def labels(self) -> tuple[str, ...]:
        """What the places are called by people."""
        return said(self.placed.yardstick.study, self.key, self.codes)

    def counted(self, codes: NDArray[np.integer], levels: int) -> NDArray[np.int64]:
        """(places, levels) customers; ``codes``: 0 to levels − 1, others are left out."""
        return by_place(self.places, len(self.codes), codes, levels)

    def of_trait(self, trait: Trait) -> NDArray[np.int64]:
        """(places, levels) customers by the values of a category, *not given* left out."""
        column = trait_column(self.placed.yardstick.study, trait, len(self.places))
        return self.counted(np.asarray(column.values) - 1, len(column.levels))

    def mean_of(
        self, name: str
    ) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
        """Counts, means and deviations of a number, place by place."""
        values = np.asarray(self.placed.made.column(name).values, np.float64)
        return means_by_place(self.places, len(self.codes), values[: len(self.places)])


def traits_told(placed: AssignmentAt) -> list[Trait]:
    """The traits of a placement's customers, as known at its window's end."""
    return traits_of(placed.yardstick.study, placed.made.window.to)


def place_traits(placed: AssignmentAt) -> frozenset[str]:
    """The traits (keys) that say where customers live: by the outlines, or by what they are
    called."""
    outlined = districts_of(placed.yardstick.study).trait
    return frozenset(
        f"trait:{t.name}" for t in traits_told(placed)
        if t.kind == "category" and (t.name == outlined or _PLACE_NAMES.search(t.name))
    )  # fmt: skip


def place_options(placed: AssignmentAt) -> list[PlaceOption]:
    """Traits that can name places: the one that the outlines are called by, then those that are
    called like places, then the others by how many values they have."""
    outlined = districts_of(placed.yardstick.study).trait
    found = [
        t for t in traits_told(placed)
        if t.kind == "category" and t.type == "category" and 2 <= len(t.levels) <= MOST
    ]  # fmt: skip
    found.sort(key=lambda t: (t.name != outlined, not _PLACE_NAMES.search(t.name), -len(t.levels)))
    return [PlaceOption(key=f"trait:{t.name}", label=t.label) for t in found]


def ground_of(placed: AssignmentAt, division: Division, key: str) -> Ground:
    """Every customer of a division at its place.

    Raises
    ------
    Problem
        No trait of that name can name places.
    """
    if key not in {option.key for option in place_options(placed)}:
        raise Problem(f"No places are told by “{key}”. Choose another trait.", 404)
    trait = next(t for t in traits_told(placed) if f"trait:{t.name}" == key)
    districts = districts_of(placed.yardstick.study)
    outlined = districts.codes if trait.name == districts.trait else ()
    stamp = (division.stamp, trait.stamp, placed.made.stamp, trait.label, outlined)
    return _ground(Keyed(stamp, (placed, division, trait, outlined)))


@remembered
def _ground(key: Keyed[tuple[AssignmentAt, Division, Trait, tuple[str, ...]]]) -> Ground:
    placed, division, trait, outlined = key.value
    size = len(division.groups)
    column = trait_column(placed.yardstick.study, trait, size)
    inside = (division.groups >= 0) & (division.groups < division.k)
    codes = np.asarray(column.values)
    there = np.bincount(codes[inside], minlength=len(column.levels) + 1)
    kept = [n for n in range(1, len(there)) if there[n] or column.levels[n - 1] in outlined]
    names = [column.levels[n - 1] for n in kept]
    names += sorted(set(outlined) - set(names))
    place = np.full(len(there), -1, np.int32)
    place[kept] = np.arange(len(kept), dtype=np.int32)
    places = np.where(inside, place[codes], -1).astype(np.int32)
    customers = np.bincount(places[places >= 0], minlength=len(names))
    money = np.zeros(len(names), np.int64)
    own = base_from(placed.made).money[:size]
    np.add.at(money, places[places >= 0], own[places >= 0])
    return Ground(
        f"trait:{trait.name}", trait.label, f"{division.stamp}:{trait.stamp}", placed, division,
        tuple(names), places, customers, money, int(there[0]), bool(outlined),
    )  # fmt: skip
