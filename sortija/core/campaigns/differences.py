"""Differences between those written to and those held out, by intention to treat.

Both are read within the strata of the draw and weighted by the audience (post-stratified). Shares:
Newcombe 1998, method 10, stratified by Yan & Su 2010; means: Welch's intervals.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri, stdtr, stdtrit

from sortija.core.campaigns.strata import Arms
from sortija.core.measures.intervals import wilson_of_all

__all__ = ["Difference", "mean_difference", "share_difference", "slope_on"]


@dataclass(frozen=True)
class Difference:
    """``written``, ``held``: the share or mean of each arm; ``difference`` between the two, with
    its interval, NaN where none is told; ``error``: its standard error; ``p``: two-sided;
    ``written_between``, ``held_between``: the intervals of the two shares, NaN of means."""

    written: float
    held: float
    difference: float
    low: float
    high: float
    error: float
    p: float
    written_between: tuple[float, float] = (float("nan"), float("nan"))
    held_between: tuple[float, float] = (float("nan"), float("nan"))

    @property
    def by_luck(self) -> float:
        """In what share of campaigns without any effect the difference would be as large or larger
        in this direction."""
        return self.p / 2


def share_difference(
    came: NDArray[np.bool_], arms: Arms, level: float = 0.95
) -> Difference:  # fmt: skip
    """Of those written to and of those held out, the share that came.

    Parameters
    ----------
    came : (m,) bool

    >>> from sortija.core.campaigns.strata import arms_of
    >>> held = np.repeat([False, True], [70, 80])
    >>> came = np.concatenate([np.arange(70) < 56, np.arange(80) < 48])
    >>> found = share_difference(came, arms_of(held))
    >>> round(found.difference, 4), round(found.low, 4), round(found.high, 4)
    (0.2, 0.0524, 0.3339)
    """
    sizes, counts = arms.sizes, arms.sums(came.astype(np.float64))
    written, held = ((arms.weight * counts[a] / sizes[a]).sum() for a in range(2))
    (l1, u1), (l2, u2) = (_wilson(counts[a], sizes[a], arms.weight, level) for a in range(2))
    gap = float(written - held)
    both = counts.sum(axis=0) / sizes.sum(axis=0)
    spread = arms.weight**2 * both * (1 - both) * (1 / sizes).sum(axis=0)
    error = float(np.sqrt(spread.sum()))
    return Difference(
        float(written), float(held), gap,
        gap - float(np.hypot(written - l1, u2 - held)),
        gap + float(np.hypot(u1 - written, held - l2)),
        error, _two_sided(gap, error), (l1, u1), (l2, u2),
    )  # fmt: skip


def _wilson(
    counts: NDArray[np.float64], sizes: NDArray[np.int64], weight: NDArray[np.float64], level: float
) -> tuple[float, float]:
    """The interval of a weighted share: Wilson's in each stratum, as narrow as makes the sum have
    the level (Yan & Su 2010)."""
    z = float(ndtri(0.5 + level / 2))
    share = (counts + z * z / 2) / (sizes + z * z)
    spread = np.sqrt(share * (1 - share) / sizes)
    z *= float(np.sqrt((weight**2 * spread**2).sum()) / (weight * spread).sum())
    low, high = wilson_of_all(counts.astype(np.int64), sizes, float(2 * ndtr(z) - 1))
    return float((weight * low).sum()), float((weight * high).sum())


def _two_sided(gap: float, error: float) -> float:
    if error == 0:
        return 1.0
    return float(2 * ndtr(-abs(gap) / error))


def mean_difference(
    values: NDArray[np.float64], arms: Arms, level: float = 0.95
) -> Difference:  # fmt: skip
    """Of those written to and of those held out, the mean.

    The interval is Welch's, with Satterthwaite's degrees of freedom over all strata.

    Parameters
    ----------
    values : (m,) float

    >>> from sortija.core.campaigns.strata import arms_of
    >>> found = mean_difference(np.arange(20.0), arms_of(np.arange(20) >= 10))
    >>> found.difference, round(found.low, 2)
    (-10.0, -12.84)
    """
    sizes = arms.sizes
    means = arms.sums(values) / sizes
    own = means[arms.held.astype(np.int64), arms.stratum]
    squares = arms.sums((values - own) ** 2)
    of_each = arms.weight**2 * squares / np.maximum(sizes - 1, 1) / sizes
    error = float(np.sqrt(of_each.sum()))
    written, held = (float((arms.weight * means[a]).sum()) for a in range(2))
    gap = written - held
    if error == 0:
        return Difference(written, held, gap, gap, gap, 0.0, 0.0 if gap else 1.0)
    freedom = error**4 / float((of_each**2 / np.maximum(sizes - 1, 1)).sum())
    half = float(stdtrit(freedom, 0.5 + level / 2)) * error
    p = float(2 * stdtr(freedom, -abs(gap) / error))
    return Difference(written, held, gap, gap - half, gap + half, error, p)


def slope_on(values: NDArray[np.float64], before: NDArray[np.float64], arms: Arms) -> float:
    """How much a value rises with the one before, within strata and arms alike; 0 where all had
    the same before.

    What it explains is no effect, and is taken off both arms.
    """
    arm, sizes = arms.held.astype(np.int64), arms.sizes
    x, y = (each - (arms.sums(each) / sizes)[arm, arms.stratum] for each in (before, values))
    spread = float((x * x).sum())
    return float((x * y).sum()) / spread if spread > 0 else 0.0
