"""What a fork could prove, and when a result will be told."""

from __future__ import annotations

import math

from scipy.special import ndtri

__all__ = ["days_until_told", "smallest_effect"]

#: A result that would come later is not worth waiting for.
_MOST_DAYS = 730


def _reach() -> float:
    """How many standard errors a rise must be to be found 8 times in 10 (two-sided 0.05)."""
    return float(ndtri(0.975) + ndtri(0.8))


def _error(treated: float, base: float, written: int, held: int) -> float:
    spread = treated * (1 - treated) / written + base * (1 - base) / held
    return math.sqrt(max(spread, 0.0))


def smallest_effect(written: int, held: int, base_rate: float) -> float:
    """The smallest rise in a rate that is found 8 times in 10 (two-sided 0.05, unequal arms).

    Solves the unpooled two-proportion formula for the rise by bisection; NaN where an arm is
    empty or no rise up to certainty would be found.

    >>> round(smallest_effect(5000, 1000, 0.1), 3)
    0.03
    """
    if written == 0 or held == 0:
        return float("nan")

    def found(rise: float) -> bool:
        return rise >= _reach() * _error(base_rate + rise, base_rate, written, held)

    low, high = 0.0, 1.0 - base_rate
    if high <= 0 or not found(high):
        return float("nan")
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if found(middle) else (middle, high)
    return high


def days_until_told(
    came_written: float, came_held: float, written: int, held: int, days: int
) -> int | None:
    """After how many days from the start a rise would be told, from the pace of so many days.

    Customers who have not come yet are taken to come at the rate seen so far. None where the pace
    shows no rise, or would take more than two years.

    Parameters
    ----------
    came_written, came_held : float
        The shares who have come by now.

    >>> days_until_told(0.06, 0.04, 1000, 1000, 14)
    27
    """
    if days <= 0 or not 0 <= came_held < came_written < 1:
        return None
    rates = [-math.log1p(-share) / days for share in (came_written, came_held)]
    for day in range(days, _MOST_DAYS + 1):
        one, other = (-math.expm1(-rate * day) for rate in rates)
        if one - other >= _reach() * _error(one, other, written, held):
            return day
    return None
