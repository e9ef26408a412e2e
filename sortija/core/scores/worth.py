"""What bands are worth: who came back in the following period and what they spent, by band."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.variance import eta_squared
from sortija.core.scores.bands import Banding

__all__ = ["Worth", "tells_most", "worth_of"]


@dataclass(frozen=True)
class Worth:
    """By band, best last: ``customers`` (B,); ``came_back`` (B,) share with a purchase in the
    following period; ``spend`` (B,) mean money then, 0 for those who left; NaN for empty bands.
    ``told``: share of the variance of that spend between bands (η²)."""

    customers: NDArray[np.int64]
    came_back: NDArray[np.float64]
    spend: NDArray[np.float64]
    told: float


def worth_of(banding: Banding, returned: NDArray[np.bool_], spend: NDArray[np.float64]) -> Worth:
    """The following period by the bands of one measure.

    Parameters
    ----------
    returned : (n,) who made a purchase in the following period
    spend : (n,) money then; NaN counts as 0, for leavers bring nothing

    >>> from sortija.core.scores.bands import band
    >>> bands = band(np.array([1.0, 2.0, 3.0, 4.0]), 2, True)
    >>> returned = np.array([False, True, True, True])
    >>> worth = worth_of(bands, returned, np.array([0.0, 10.0, 30.0, 50.0]))
    >>> worth.came_back.tolist(), worth.spend.tolist()
    ([0.5, 1.0], [5.0, 40.0])
    """
    there = banding.bands > 0
    place = banding.bands[there].astype(np.int64) - 1
    money = np.nan_to_num(spend[there])
    counts = np.bincount(place, minlength=banding.asked)
    with np.errstate(invalid="ignore", divide="ignore"):
        back = np.bincount(place, returned[there], minlength=banding.asked) / counts
        mean = np.bincount(place, money, minlength=banding.asked) / counts
    everyone = float(money.mean()) if len(money) else float("nan")
    total = float(((money - everyone) ** 2).sum())
    return Worth(counts, back, mean, eta_squared(counts, mean, everyone, total))


def tells_most(worths: Mapping[str, Worth]) -> str | None:
    """The measure whose bands tell most of the following spend; None where none tells anything."""
    told = {name: w.told for name, w in worths.items() if w.told == w.told}
    return max(told, key=lambda name: told[name]) if told else None
