"""How much a category has to do with the other columns: what relates to nothing makes no groups.

A category that goes with nothing cannot set groups apart together with anything, yet it drags
every centre towards its levels; one that goes with others carries what they have in common.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.association import correlation_ratio, cramers_v

__all__ = ["LEAST", "MOST", "RESTATES", "Relevance", "epsilon", "relevance_of"]

#: Rows that association is told on.
ROWS = 20_000
#: A strength of association that counts in full; weights go from LEAST to MOST of the usual.
USUAL = 0.3
LEAST, MOST = 0.05, 2.0
#: From here on two categories say the same.
RESTATES = 0.95


@dataclass(frozen=True)
class Relevance:
    """A category's largest association (``strength``, 0 to 1) is with column ``to``; its weight is
    multiplied by ``factor``. ``same``: other categories that restate it, with which it shares one
    weight. Without any other column there is nothing to go by: NaN, and a factor of 1.
    """

    strength: float
    to: str
    factor: float
    same: tuple[str, ...] = ()

    def as_json(self) -> dict[str, Any]:
        strength = None if np.isnan(self.strength) else self.strength
        return {
            "strength": strength, "to": self.to, "factor": self.factor, "same": list(self.same)
        }  # fmt: skip

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Relevance:
        strength = np.nan if data["strength"] is None else float(data["strength"])
        return Relevance(strength, data["to"], float(data["factor"]), tuple(data["same"]))

    def words(self, name: str) -> str:
        """The reason as a sentence.

        >>> Relevance(0.02, "spend", 0.05).words("garden")
        'garden relates to nothing else here: it counts 5%.'
        """
        counts = f"it counts {self.factor:.0%}"
        if np.isnan(self.strength):
            return f"{name} is compared with nothing: {counts}."
        twins = f"{name} says the same as {', '.join(self.same)}: together they count as one. "
        if self.strength < USUAL * LEAST * 1.5 or not self.to:
            told = f"{name} relates to nothing else here: {counts}."
        else:
            told = f"{name} goes with {self.to} ({self.strength:.2f}): {counts}."
        return (twins if self.same else "") + told


def epsilon(codes: NDArray[np.integer], values: NDArray[np.floating]) -> float:
    """√ε² of a number over the levels of a category: η² less what chance alone gives it.

    ε² = η² − (1 − η²)(L − 1)/(n − 1), 0 where that is negative; NaN where one of the two does not
    vary.

    >>> codes, values = np.array([1, 1, 2, 2] * 50), np.array([1.0, 2.0, 5.0, 6.0] * 50)
    >>> round(float(epsilon(codes, values)), 2)
    0.97
    """
    whole, own = np.asarray(codes, np.int64), np.asarray(values, np.float64)
    squared = correlation_ratio(whole, own) ** 2
    levels = len(np.unique(whole))
    chance = (1 - squared) * (levels - 1) / max(len(whole) - 1, 1)
    return float(np.sqrt(max(squared - chance, 0.0))) if np.isfinite(squared) else float("nan")


def relevance_of(
    names: Sequence[str], codes: Sequence[NDArray[np.integer]],
    numbers: Sequence[tuple[str, NDArray[np.floating]]], seed: int = 4107,
) -> list[Relevance]:  # fmt: skip
    """How much each category has to do with the other columns.

    Parameters
    ----------
    names, codes : one per category, codes (n,) with missing as a level of its own
    numbers : (name, (n,) values without missing ones) of each numeric column, as prepared
    """
    n = len(codes[0]) if codes else 0
    if n > ROWS:
        rng = np.random.default_rng([seed, 23])
        some = np.sort(rng.choice(n, ROWS, replace=False))
        codes = [each[some] for each in codes]
        numbers = [(name, values[some]) for name, values in numbers]
    q = len(codes)
    among = np.full((q, q), np.nan)
    for i in range(q):
        for j in range(i):
            v = cramers_v(np.asarray(codes[i], np.int64), np.asarray(codes[j], np.int64))
            among[i, j] = among[j, i] = v
    same = _restating(among)
    out = []
    for i in range(q):
        found = [(epsilon(codes[i], values), name) for name, values in numbers]
        found += [(among[i, j], names[j]) for j in range(q) if j != i and same[j] != same[i]]
        strength, to = max(((s, t) for s, t in found if np.isfinite(s)), default=(np.nan, ""))
        twins = tuple(names[j] for j in range(q) if j != i and same[j] == same[i])
        factor = 1.0 if np.isnan(strength) else float(np.clip(strength / USUAL, LEAST, MOST))
        out.append(Relevance(float(strength), to, factor / (1 + len(twins)), twins))
    return out


def _restating(among: NDArray[np.float64]) -> list[int]:
    """For each category the first of those that restate each other, in a chain."""
    first = list(range(len(among)))
    for i in range(len(among)):
        for j in range(i):
            if among[i, j] > RESTATES:
                keep, gone = sorted((first[i], first[j]))
                first = [keep if f == gone else f for f in first]
    return first
