"""What a campaign did: who came back and what they spent, written to against held out.

By intention to treat: of everybody who was drawn, opened or not, delivered or not.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincc

from sortija.core.campaigns.differences import (
    Difference,
    mean_difference,
    share_difference,
    slope_on,
)
from sortija.core.campaigns.strata import Arms
from sortija.core.measures.intervals import holm

__all__ = [
    "LEAST_BUYERS",
    "Effect",
    "Parts",
    "Spend",
    "came_anyway",
    "effect_of",
    "parts_of",
    "spend_effect",
    "versions_of",
]

#: With fewer buyers in an arm no interval of spend is told.
LEAST_BUYERS = 50
#: Spend is capped at this quantile of what the audience spent before.
CAP = 0.99


@dataclass(frozen=True)
class Spend:
    """``plain``: spend a head as it is; ``adjusted``: capped at ``cap`` and adjusted for earlier
    spend, None where that is not known; ``cap``: NaN where nothing was spent before."""

    plain: Difference
    adjusted: Difference | None
    cap: float

    @property
    def best(self) -> Difference:
        """The adjusted one where there is one."""
        return self.plain if self.adjusted is None else self.adjusted


@dataclass(frozen=True)
class Parts:
    """The effect in each part of the audience.

    ``differ``: p that the effects differ at all (NaN with one part), to be read first; intervals
    are widened for as many looks (Bonferroni), ``p`` corrected for them (Holm 1979).
    """

    numbers: tuple[int, ...]
    sizes: tuple[tuple[int, int], ...]
    returned: tuple[Difference, ...]
    differ: float
    p: tuple[float, ...]


@dataclass(frozen=True)
class Effect:
    """``returned``: the share who came back; ``spend``: None where nobody knows it."""

    arms: Arms
    returned: Difference
    spend: Spend | None


def effect_of(
    came: NDArray[np.bool_], arms: Arms, spent: NDArray[np.float64] | None = None,
    before: NDArray[np.float64] | None = None,
) -> Effect:  # fmt: skip
    """Read a result.

    Parameters
    ----------
    came : (m,) bool
        Who bought within the horizon.
    spent, before : (m,) float, optional
        Within the horizon, and before the campaign was sent.
    """
    spend = None if spent is None else spend_effect(spent, arms, before)
    return Effect(arms, share_difference(came, arms), spend)


def spend_effect(
    spent: NDArray[np.float64], arms: Arms, before: NDArray[np.float64] | None = None,
    level: float = 0.95,
) -> Spend:  # fmt: skip
    """What was spent a head.

    >>> from sortija.core.campaigns.strata import arms_of
    >>> rng = np.random.default_rng(1)
    >>> before = rng.gamma(2.0, 50.0, 2000)
    >>> held = np.arange(2000) % 2 == 0
    >>> found = spend_effect(before * rng.gamma(4, 0.25, 2000) + 5 * ~held, arms_of(held), before)
    >>> found.adjusted.error < 0.6 * found.plain.error
    True
    """
    buyers = [int((spent[who] > 0).sum()) for who in (~arms.held, arms.held)]
    few = min(buyers) < LEAST_BUYERS
    plain = _told(mean_difference(spent, arms, level), few)
    if before is None:
        return Spend(plain, None, float("nan"))
    cap = float(np.quantile(before, CAP))
    capped = np.minimum(spent, cap) if cap > 0 else spent
    earlier = np.minimum(before, cap)
    rest = capped - slope_on(capped, earlier, arms) * (earlier - earlier.mean())
    adjusted = _told(mean_difference(rest, arms, level), few)
    return Spend(plain, adjusted, cap if cap > 0 else float("nan"))


def _told(found: Difference, few: bool) -> Difference:
    if not few:
        return found
    return replace(found, low=float("nan"), high=float("nan"), p=float("nan"))


def parts_of(came: NDArray[np.bool_], arms: Arms, part: NDArray[np.integer]) -> Parts:
    """The effect in each part of the audience that has both arms.

    Parameters
    ----------
    part : (m,) int
        Which part each customer belongs to, such as its segment.

    Whether parts differ is Cochran's Q over the differences.
    """
    of = [
        (int(number), part == number)
        for number in np.unique(part)
        if np.unique(arms.held[part == number]).size == 2
    ]
    level = 1 - 0.05 / max(len(of), 1)
    found = [share_difference(came[who], arms.of(who), level) for _, who in of]
    sizes = tuple((int((who & ~arms.held).sum()), int((who & arms.held).sum())) for _, who in of)
    return Parts(
        tuple(number for number, _ in of), sizes, tuple(found),
        _heterogeneity([(came[who], arms.held[who]) for _, who in of]),
        tuple(holm([each.p for each in found])),
    )  # fmt: skip


def versions_of(
    came: NDArray[np.bool_], arms: Arms, version: NDArray[np.integer]
) -> Parts:  # fmt: skip
    """The effect of each version, against all who are held out.

    Parameters
    ----------
    version : (m,) int
        Which version each customer was sent, from 1; 0 for those who are held out.

    Whether versions differ is told among those written to, for the held out are the same for all.
    """
    numbers = [int(n) for n in np.unique(version[~arms.held])]
    level = 1 - 0.05 / max(len(numbers), 1)
    groups = [arms.held | (version == number) for number in numbers]
    found = [share_difference(came[who], arms.of(who), level) for who in groups]
    held = int(arms.held.sum())
    sizes = tuple((int((version == number).sum()), held) for number in numbers)
    shares = [
        (came[version == number], np.zeros(int((version == number).sum()), np.bool_))
        for number in numbers
    ]
    return Parts(
        tuple(numbers), sizes, tuple(found), _heterogeneity(shares),
        tuple(holm([each.p for each in found])),
    )  # fmt: skip


def _heterogeneity(parts: Sequence[tuple[NDArray[np.bool_], NDArray[np.bool_]]]) -> float:
    if len(parts) < 2:
        return float("nan")
    gaps, spreads = np.zeros(len(parts)), np.zeros(len(parts))
    for place, (came, held) in enumerate(parts):
        # Of both arms together, for one of twenty says too little of its own error; and an arm of
        # which all or nobody came is not without error.
        share = (came.sum() + 0.5) / (len(came) + 1)
        for arm, sign in ((~held, 1), (held, -1)):
            n = int(arm.sum())
            if n:
                gaps[place] += sign * float(came[arm].mean())
                spreads[place] += share * (1 - share) / n
    weight = 1 / spreads
    middle = (weight * gaps).sum() / weight.sum()
    q = float((weight * (gaps - middle) ** 2).sum())
    return float(gammaincc((len(parts) - 1) / 2, q / 2))


def came_anyway(returned: Difference) -> float:
    """Of those who were written to and came back, the share that would have come unasked.

    >>> came_anyway(Difference(0.34, 0.28, 0.06, 0, 0, 0, 0))  # doctest: +ELLIPSIS
    0.823...
    """
    if returned.written <= 0:
        return float("nan")
    return min(1.0, returned.held / returned.written)
