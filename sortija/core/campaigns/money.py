"""What a campaign costs, when it pays, and what it was worth."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.differences import Difference

__all__ = ["Costs", "Worth", "affordable", "break_even", "cut", "worth"]


@dataclass(frozen=True)
class Costs:
    """Money in one unit: a contact, fixed, the discount that one who takes the offer up gets;
    ``margin``: the share of spend that is left after the cost of goods."""

    contact: float = 0.0
    fixed: float = 0.0
    discount: float = 0.0
    margin: float = 1.0

    def of(self, written: int) -> float:
        """What writing to so many costs, taken up or not."""
        return self.fixed + self.contact * written


@dataclass(frozen=True)
class Worth:
    """``won``: margin on what was spent more; ``cost`` of writing; ``given``: discount on those who
    would have come anyway; ``net`` of both, with its interval, NaN where none is told."""

    won: float
    cost: float
    given: float
    net: float
    low: float
    high: float


def worth(spend: Difference, came_unasked: float, written: int, costs: Costs) -> Worth:
    """Net money of a campaign: the rise in spend × margin − cost − discount on those who would
    have come anyway.

    Parameters
    ----------
    spend : Difference
        Spend a head.
    came_unasked : float
        The share of those held out who came.

    >>> found = worth(Difference(9, 6, 3, 1, 5, 1, 0), 0.2, 100, Costs(0.5, 10, 1, 0.4))
    >>> found.won, found.cost, found.given, found.net, found.low, found.high
    (120.0, 60.0, 20.0, 40.0, -40.0, 120.0)
    """
    cost, given = costs.of(written), costs.discount * came_unasked * written
    won, low, high = (
        rise * written * costs.margin for rise in (spend.difference, spend.low, spend.high)
    )
    return Worth(won, cost, given, won - cost - given, low - cost - given, high - cost - given)


def break_even(
    costs: Costs, written: int, basket: float, came_unasked: float = 0.0
) -> float:  # fmt: skip
    """By what share more must come back so that a campaign pays for itself; NaN where a visit
    leaves nothing.

    Parameters
    ----------
    basket : float
        What one who comes back spends.

    >>> break_even(Costs(contact=0.5, margin=0.4), 1000, 25)
    0.05
    >>> break_even(Costs(contact=0.5, discount=5, margin=0.4), 1000, 25, 0.2)
    0.3
    """
    left = basket * costs.margin - costs.discount
    if written == 0 or left <= 0:
        return float("nan")
    return (costs.of(written) / written + costs.discount * came_unasked) / left


def affordable(budget: float, costs: Costs, holdout: float, audience: int) -> int:
    """How large an audience can be, of which a share is held out, so that writing to the rest
    stays within a budget; the fixed cost comes first.

    >>> affordable(7, Costs(contact=2, fixed=3), 0.0, 10)
    2
    >>> affordable(7, Costs(contact=2, fixed=3), 0.5, 10), affordable(2, Costs(fixed=3), 0.5, 10)
    (4, 0)
    """
    left = budget - costs.fixed
    if left < 0:
        return 0
    if costs.contact <= 0:
        return audience
    most = int(left / costs.contact + 1e-9)

    def written(size: int) -> int:
        return size - round(size * holdout)

    size = min(audience, int((most + 1) / (1 - holdout)) + 1) if holdout < 1 else audience
    while size and written(size) > most:
        size -= 1
    return size


def cut(order: Sequence[NDArray[np.float64]], many: int) -> NDArray[np.bool_]:
    """(m,) who is among the first ``many``, the greatest first; ties by their place.

    Parameters
    ----------
    order : (m,) floats, the most important first; NaN comes last

    >>> cut([np.array([1.0, 3.0, 2.0, np.nan])], 2).tolist()
    [False, True, True, False]
    """
    m = len(order[0])
    kept = np.zeros(m, np.bool_)
    keys = [np.nan_to_num(-each, nan=np.inf) for each in reversed(order)]
    place = np.lexsort([np.arange(m), *keys])
    kept[place[: max(many, 0)]] = True
    return kept
