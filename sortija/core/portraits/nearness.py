"""Which two groups stand furthest apart, and which are hardest to tell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.portraits.profile import NumericProfile

__all__ = [
    "Furthest",
    "Hardest",
    "furthest",
    "furthest_words",
    "hardest",
    "hardest_words",
    "standing",
]

#: From here on a measure is said to part two groups.
PARTS = 0.5


@dataclass(frozen=True)
class Furthest:
    """Two groups and the measure (its place) that sets them furthest apart, ``d`` in pooled SD;
    ``clear``: whether their middle halves do not meet."""

    measure: int
    higher: int
    lower: int
    d: float
    clear: bool


@dataclass(frozen=True)
class Hardest:
    """The two groups that no measure sets far apart; ``parting``: the measures that part them by
    half an SD or more, the strongest first; ``measure``: the strongest of all, by ``d``."""

    one: int
    other: int
    measure: int
    d: float
    parting: tuple[int, ...]


def standing(profile: NumericProfile) -> NDArray[np.float64]:
    """(k, k) d of each pair, the row's mean less the column's in pooled SD; NaN where one has
    fewer than two members or neither varies."""
    n, means, variances = profile.counts.astype(np.float64), profile.means, profile.sds**2
    with np.errstate(invalid="ignore", divide="ignore"):
        squares = (n - 1) * variances
        pooled = np.sqrt((squares[:, None] + squares) / (n[:, None] + n - 2))
        return np.where(pooled > 0, (means[:, None] - means) / pooled, np.nan)


def _all(profiles: Sequence[NumericProfile]) -> NDArray[np.float64]:
    return np.array([standing(profile) for profile in profiles])


def furthest(profiles: Sequence[NumericProfile]) -> Furthest | None:
    """The pair and measure of the greatest d; None where no pair can be told.

    >>> from sortija.core.portraits.profile import numeric_profile
    >>> x = np.array([1.0, 2.0, 3.0, 8.0, 9.0, 10.0])
    >>> found = furthest([numeric_profile(x, np.array([0, 0, 0, 1, 1, 1]), 2)])
    >>> (found.higher, found.lower, found.d, found.clear)
    (1, 0, 7.0, True)
    """
    apart = _all(profiles)
    if not apart.size or np.isnan(apart).all():
        return None
    measure, one, other = np.unravel_index(int(np.nanargmax(apart)), apart.shape)
    quarters = profiles[int(measure)].quarters
    return Furthest(
        int(measure), int(one), int(other), float(apart[measure, one, other]),
        bool(quarters[one, 0] > quarters[other, 2]),
    )  # fmt: skip


def hardest(profiles: Sequence[NumericProfile]) -> Hardest | None:
    """The pair whose greatest |d| over the measures is smallest; None where no pair can be told.

    >>> from sortija.core.portraits.profile import numeric_profile
    >>> x = np.array([1.0, 2.0, 3.0, 1.0, 2.0, 3.0, 8.0, 9.0, 10.0])
    >>> found = hardest([numeric_profile(x, np.repeat([0, 1, 2], 3), 3)])
    >>> (found.one, found.other, found.parting)
    (0, 1, ())
    """
    apart = np.abs(_all(profiles))
    if not apart.size:
        return None
    apart[np.isnan(apart)] = -1
    most = apart.max(axis=0)
    most[most < 0] = np.inf
    most[np.tril_indices(len(most))] = np.inf
    if np.isinf(most).all():
        return None
    one, other = (int(n) for n in np.unravel_index(int(most.argmin()), most.shape))
    mine = apart[:, one, other]
    order = np.argsort(-mine, kind="stable")
    parting = tuple(int(m) for m in order if mine[m] >= PARTS)
    return Hardest(one, other, int(order[0]), float(mine[order[0]]), parting)


def furthest_words(found: Furthest, names: Sequence[str], label: str, told: Sequence[str]) -> str:
    """The sentence of two groups that stand furthest apart; ``told``: their means in words.

    >>> found = Furthest(0, 1, 0, 4.12, True)
    >>> furthest_words(found, ["Gone quiet", "Steady tenders"], "visits", ["1.6", "19.2"])
    'Steady tenders and Gone quiet in visits: 19.2 and 1.6; their middle halves do not meet, d 4.1.'
    """
    meet = "do not meet" if found.clear else "meet"
    return (
        f"{names[found.higher]} and {names[found.lower]} in {label}: {told[found.higher]} and "
        f"{told[found.lower]}; their middle halves {meet}, d {found.d:.1f}."
    )


def hardest_words(found: Hardest, names: Sequence[str], labels: Sequence[str]) -> str:
    """The sentence of the two groups that are hardest to tell.

    >>> found = Hardest(0, 1, 1, 0.9, (1,))
    >>> hardest_words(found, ["Gone quiet", "New faces"], ["visits", "recency"])
    'Gone quiet and New faces: only recency parts them, d 0.9.'
    """
    pair = f"{names[found.one]} and {names[found.other]}"
    most = labels[found.measure]
    if not found.parting:
        return f"{pair}: nothing here parts them by half an SD; most does {most}, d {found.d:.1f}."
    if len(found.parting) == 1:
        return f"{pair}: only {most} parts them, d {found.d:.1f}."
    return f"{pair}: {most} parts them most, d {found.d:.1f}."
