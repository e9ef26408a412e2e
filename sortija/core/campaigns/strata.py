"""Strata of two arms, as a result is read in them: both arms are there in each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Arms", "arms_of"]

#: A stratum with fewer than this in an arm is read together with others.
LEAST = 5


@dataclass(frozen=True)
class Arms:
    """Who was held out, and (m,) strata from 0 in which a result is read.

    ``weight``: (s,) the share of the audience in each stratum; they sum to 1.
    """

    held: NDArray[np.bool_]
    stratum: NDArray[np.int64]
    weight: NDArray[np.float64]

    @property
    def sizes(self) -> NDArray[np.int64]:
        """(2, s) customers written to, and held out."""
        return np.array([self._count(~self.held), self._count(self.held)])

    def sums(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """(2, s) what the values of those written to and of those held out add up to."""
        s = len(self.weight)
        return np.array([
            np.bincount(self.stratum[who], values[who], minlength=s)
            for who in (~self.held, self.held)
        ])  # fmt: skip

    def of(self, who: NDArray[np.bool_]) -> Arms:
        """The same of some of the customers, read in strata of their own."""
        return arms_of(self.held[who], self.stratum[who])

    def _count(self, who: NDArray[np.bool_]) -> NDArray[np.int64]:
        return np.bincount(self.stratum[who], minlength=len(self.weight))


def arms_of(held: NDArray[np.bool_], stratum: NDArray[np.integer] | None = None) -> Arms:
    """Two arms, read within the strata that they were drawn in.

    Strata with under five in an arm are read as one; where that is still too small it is read
    together with the largest.

    Parameters
    ----------
    held : (m,) bool
    stratum : (m,) int, optional
        Without strata the arms are compared as they are.

    Raises
    ------
    ValueError
        Nobody was written to, or nobody was held out.

    >>> arms = arms_of(np.arange(40) % 4 == 0, np.repeat([7, 9], [36, 4]))
    >>> arms.sizes.tolist(), arms.weight.tolist()
    ([[30], [10]], [1.0])
    """
    if held.all() or not held.any():
        arm = "written to" if len(held) and held.all() else "held out"
        raise ValueError(f"nobody is {arm}: there is nothing to compare with")
    given = np.zeros(len(held), np.int64) if stratum is None else stratum
    _, place = np.unique(given, return_inverse=True)
    place = _read_together(place, held)
    there, place = np.unique(place, return_inverse=True)
    weight = np.bincount(place, minlength=len(there)) / len(held)
    return Arms(np.asarray(held, np.bool_), place.astype(np.int64), weight)


def _read_together(place: NDArray[np.int64], held: NDArray[np.bool_]) -> NDArray[np.int64]:
    width = int(place.max()) + 1
    least = np.minimum(*(np.bincount(place[who], minlength=width) for who in (held, ~held)))
    small = least < LEAST
    if not small.any() or width == 1:
        return place
    rest = int(np.flatnonzero(small)[0])
    place = np.where(small[place], rest, place)
    sizes = np.bincount(place, minlength=width)
    fewer = min(int((place[held] == rest).sum()), int((place[~held] == rest).sum()))
    if fewer < LEAST and (sizes > 0).sum() > 1:
        sizes[rest] = 0
        place = np.where(place == rest, int(sizes.argmax()), place)
    return place
