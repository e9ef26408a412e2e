"""How long until something happens, where for some it has not happened yet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

__all__ = ["Survival", "kaplan_meier"]

_Z = float(special.ndtri(0.975))


@dataclass(frozen=True)
class Survival:
    """For each time at which it happened to somebody, all (m,).

    ``at_risk``: to how many it could still happen; ``happened``: to how many it did; ``waiting``:
    share to whom it has not happened by then, ``low`` and ``high`` its 95% interval (NaN once it
    has happened to everybody).
    """

    times: NDArray[np.float64]
    at_risk: NDArray[np.int64]
    happened: NDArray[np.int64]
    waiting: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]

    @property
    def median(self) -> float:
        """The first time by which it has happened to half of them; NaN where that is not seen."""
        reached = np.flatnonzero(self.waiting <= 0.5)
        return float(self.times[reached[0]]) if len(reached) else float("nan")

    def at(self, time: float) -> float:
        """Share to whom it has not happened by ``time``."""
        place = int(np.searchsorted(self.times, time, side="right"))
        return float(self.waiting[place - 1]) if place else 1.0


def kaplan_meier(durations: NDArray[np.floating], happened: NDArray[np.bool_]) -> Survival:
    """Share still waiting over time (Kaplan & Meier 1958), with intervals of log(−log).

    Parameters
    ----------
    durations : (n,) time until it happened, or for which it was watched in vain
    happened : (n,) whether it did; of two at the same time, it happened before the other's watch
        ended

    Raises
    ------
    ValueError
        A duration is missing or below 0.

    >>> found = kaplan_meier(np.array([1.0, 2.0, 2.0, 3.0]), np.array([True, True, False, False]))
    >>> found.times.tolist(), found.at_risk.tolist(), found.waiting.tolist()
    ([1.0, 2.0], [4, 3], [0.75, 0.5])
    """
    durations, happened = np.asarray(durations, np.float64), np.asarray(happened, np.bool_)
    if not (durations >= 0).all():
        raise ValueError("every duration is a number, and none is below 0")
    times, events = np.unique(durations[happened], return_counts=True)
    watched = np.sort(durations)
    before = np.asarray(np.searchsorted(watched, times, side="left"), np.int64)
    at_risk = len(watched) - before
    waiting = np.cumprod(1 - events / at_risk) if len(times) else np.empty(0)
    with np.errstate(divide="ignore", invalid="ignore"):
        variance = np.cumsum(events / (at_risk * (at_risk - events)))
        away = _Z * np.sqrt(variance) / np.abs(np.log(waiting))
        low, high = waiting ** np.exp(away), waiting ** np.exp(-away)
    gone = waiting == 0
    low[gone] = high[gone] = np.nan
    return Survival(times, at_risk, events, waiting, low, high)
