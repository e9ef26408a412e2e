"""What sets segments apart, by their profiles: what their names are proposed from."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

import numpy as np

from sortija.core.portraits.naming import Trait
from sortija.core.portraits.profile import CategoryProfile, NumericProfile

__all__ = ["CategoryRow", "NumericRow", "sets_apart"]

#: A segment is called by a value that so many of its members have.
MOST_HAVE = 0.5
#: Levels that would make a name of nothing.
_SAY_LITTLE = {"none", "no", "yes", "not known", "unknown", "other", "not given"}


class NumericRow(Protocol):
    """A number's name, how it is called, its unit and profile."""

    @property
    def name(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def unit(self) -> str: ...
    @property
    def profile(self) -> NumericProfile: ...


class CategoryRow(Protocol):
    """A category's name, how it is called, its levels (*not given* first) and profile."""

    @property
    def name(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def levels(self) -> tuple[str, ...]: ...
    @property
    def profile(self) -> CategoryProfile: ...


def sets_apart(
    numeric: Iterable[NumericRow], categories: Iterable[CategoryRow], k: int
) -> list[list[Trait]]:
    """For each segment how far its means stand from everyone's, and the values most of it has."""
    segments: list[list[Trait]] = [[] for _ in range(k)]
    for row in numeric:
        typical = row.profile.means if row.unit in ("share", "log ratio") else row.profile.medians
        middles = row.profile.medians - row.profile.quartiles[1]
        for place, deviation in enumerate(row.profile.deviations):
            # A mean that a few members pull away from what is usual is true of none of the others.
            if np.isfinite(deviation) and deviation * middles[place] >= 0:
                value = float(typical[place])
                segments[place].append(
                    Trait(row.name, float(deviation), _in_words(row.label), value=value)
                )
    for category in categories:
        profile = category.profile
        for place, level in enumerate(profile.telling):
            usual, here = float(profile.everyone[level]), float(profile.shares[place, level])
            spread = np.sqrt(usual * (1 - usual))
            if spread == 0 or not np.isfinite(here) or here < MOST_HAVE or here <= usual:
                continue
            name = category.levels[level]
            if name.lower() in _SAY_LITTLE:
                continue
            words = f"{category.label.lower()} {name} {here:.0%} against {usual:.0%}"
            segments[place].append(Trait(category.name, (here - usual) / spread, words, name))
    return segments


def _in_words(label: str) -> str:
    """A label within a sentence; what is written in capitals stays so."""
    return label if label[1:2].isupper() else label[:1].lower() + label[1:]
