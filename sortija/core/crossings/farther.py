"""Do customers stand farther from their segments' centres than on the day of adoption?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

__all__ = ["LEAST", "Farther", "farther"]

#: Of fewer customers of a segment, at either date, nothing is told.
LEAST = 20
#: So many of a hundred stood farther than this on the day of adoption.
FAR = 0.99


#: Chance alone tells of any segment at all this often.
CLEAR = 0.05


@dataclass(frozen=True)
class Farther:
    """One segment: mean distances ``then`` and ``now``; ``beyond``: the share of ``customers`` who
    stand farther now than 99 in 100 did; ``chance``: what that share would seldom be above if
    nothing had changed, the edge being that of a sample, too. NaN where too few are there."""

    segment: int
    customers: int
    then: float
    now: float
    beyond: float
    chance: float

    @property
    def told(self) -> bool:
        """Whether more stand so far than chance makes."""
        return self.beyond > self.chance


def farther(
    k: int,
    then: tuple[NDArray[np.integer], NDArray[np.floating]],
    now: tuple[NDArray[np.integer], NDArray[np.floating]],
) -> list[Farther]:
    """Each segment's distances on the day of adoption and now.

    Parameters
    ----------
    then, now : (n,) segment from 0 (others: any other number) and (n,) distance to its centre

    >>> here = np.zeros(400, int), np.linspace(0, 1, 400)
    >>> [same] = farther(1, here, here)
    >>> same.told, round(same.beyond, 2)
    (False, 0.01)
    """
    out = []
    for segment in range(k):
        first, second = (
            np.sort(np.asarray(distance)[np.asarray(own) == segment])
            for own, distance in (then, now)
        )
        if len(first) < LEAST or len(second) < LEAST:
            none = float("nan")
            out.append(Farther(segment, len(second), none, none, none, none))
            continue
        far = max(1, int(len(first) * (1 - FAR)))
        many = int((second > first[-far - 1]).sum())
        chance = _most_by_chance(far, len(first), len(second), CLEAR / k)
        out.append(
            Farther(
                segment, len(second), float(first.mean()), float(second.mean()),
                many / len(second), chance / len(second),
            )
        )  # fmt: skip
    return out


def _most_by_chance(far: int, then: int, now: int, alone: float) -> int:
    """How many of ``now`` customers stand beyond an edge that ``far`` of ``then`` stand beyond, at
    the most, save as seldom as ``alone`` (a beta-binomial law)."""
    many = np.arange(now + 1)
    a, b = far + 1.0, float(then - far)
    log = (
        special.gammaln(now + 1) - special.gammaln(many + 1) - special.gammaln(now - many + 1)
        + special.betaln(many + a, now - many + b) - special.betaln(a, b)
    )  # fmt: skip
    above = 1 - np.cumsum(np.exp(log))
    return int(np.argmax(above < alone))
