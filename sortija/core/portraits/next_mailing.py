"""The next mailing: what it can be expected to be taken by, from past offers like it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from sortija.core.portraits.offers import LEAST_OFFERS, Attribute

__all__ = ["WEIGHT", "Expected", "expected_of_all", "expected_take_up"]

#: Offers that a group's mean counts for beside the like ones.
WEIGHT = 3


@dataclass(frozen=True)
class Expected:
    """A group's take-up of a next offer, with the 95% interval of one such offer; ``like``: past
    offers that have all that was chosen."""

    share: float
    low: float
    high: float
    like: int


def expected_take_up(
    rates: NDArray[np.float64], attributes: Sequence[Attribute], chosen: Mapping[str, str]
) -> list[Expected]:
    """What a next offer with the chosen attributes can be expected to be taken by, by group.

    The mean of past offers that have them all, with the group's mean over all its offers counted
    as :data:`WEIGHT` offers; the interval is for one offer more like these (Student's t on the
    spread of the group's offers, of the like ones where there are five). NaN of a group that
    received fewer than three offers.

    >>> rates = np.array([[0.1], [0.2], [0.3], [0.4]])
    >>> theme = Attribute("theme", ("a", "a", "b", "b"))
    >>> [found] = expected_take_up(rates, [theme], {"theme": "b"})
    >>> round(found.share, 3), found.like
    (0.29, 2)
    """
    like = np.ones(len(rates), np.bool_)
    for attribute in attributes:
        if attribute.name in chosen:
            like &= np.array(attribute.values) == chosen[attribute.name]
    return [_expected(rates[:, group], like) for group in range(rates.shape[1])]


def _expected(rates: NDArray[np.float64], like: NDArray[np.bool_]) -> Expected:
    known = ~np.isnan(rates)
    mine = rates[known & like]
    n = int(known.sum())
    if n < 3:
        gone = float("nan")
        return Expected(gone, gone, gone, len(mine))
    mean = float(rates[known].mean())
    share = (float(mine.sum()) + WEIGHT * mean) / (len(mine) + WEIGHT)
    enough = len(mine) >= LEAST_OFFERS
    spread = float((mine if enough else rates[known]).std(ddof=1))
    free = (len(mine) if enough else n) - 1
    half = float(stdtrit(free, 0.975)) * spread * float(np.sqrt(1 + 1 / (len(mine) + WEIGHT)))
    return Expected(share, max(0.0, share - half), min(1.0, share + half), len(mine))


def expected_of_all(expected: Sequence[Expected], customers: Sequence[int]) -> Expected | None:
    """Take-up of customers of several groups together: the groups' shares, each by its customers.

    One offer goes to all of them, and whether it is liked is common to the groups; so the ends of
    the interval are means too, as if every group came out as low, or as high, at once. None where
    a group received too few offers to tell anything, or nobody is there.

    Parameters
    ----------
    expected : of (k,)
    customers : of (k,) of the same groups

    >>> told = expected_of_all([Expected(0.1, 0.0, 0.2, 4), Expected(0.4, 0.3, 0.5, 4)], [300, 100])
    >>> round(told.share, 3), round(told.low, 3), round(told.high, 3), told.like
    (0.175, 0.075, 0.275, 4)
    """
    there = [(each, many) for each, many in zip(expected, customers, strict=True) if many > 0]
    if not there or any(np.isnan(each.share) for each, _ in there):
        return None
    weights = [many for _, many in there]
    share, low, high = (
        float(np.average([getattr(each, end) for each, _ in there], weights=weights))
        for end in ("share", "low", "high")
    )
    return Expected(share, low, high, max(each.like for each, _ in there))
