"""The money curve: how much of the money comes from how few, and where each group stands on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["MoneyCurve", "money_curve"]


@dataclass(frozen=True)
class MoneyCurve:
    """Shares cumulated, from 0 on.

    ``customers``, ``money``: points of the curve of customers by falling spend; ``order``: groups
    by falling mean spend; ``group_customers``, ``group_money``: (groups + 1,) the same of groups
    in that order; ``half``: share of the customers that half of the money comes from. Empty, NaN
    where there is no money.
    """

    customers: NDArray[np.float64]
    money: NDArray[np.float64]
    order: NDArray[np.int64]
    group_customers: NDArray[np.float64]
    group_money: NDArray[np.float64]
    half: float


def money_curve(
    money: NDArray[np.int64], groups: NDArray[np.integer], k: int, points: int = 50
) -> MoneyCurve:
    """The curve of those in a group (Lorenz 1905, turned round: largest first).

    Parameters
    ----------
    money : (n,) int64
        Of each customer; below 0 for who brought back more than was bought, so that the curve can
        pass 1 before its end.
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> found = money_curve(np.array([80, 10, 10]), np.array([1, 0, 0]), 2, 3)
    >>> found.order.tolist(), found.group_money.tolist(), round(found.half, 3)
    ([1, 0], [0.0, 0.8, 1.0], 0.333)
    """
    use = (groups >= 0) & (groups < k)
    mine, falling = groups[use], np.sort(money[use])[::-1]
    counts = np.bincount(mine, minlength=k)
    sums = np.zeros(k, np.int64)
    np.add.at(sums, mine, money[use])
    total = int(falling.sum())
    there = np.flatnonzero(counts)
    if total <= 0:
        gone = np.empty(0)
        return MoneyCurve(gone, gone, np.empty(0, np.int64), gone, gone, float("nan"))
    cumulated = np.concatenate([[0], np.cumsum(falling)])
    at = np.unique(np.rint(np.linspace(0, len(falling), points + 1)).astype(np.int64))
    order = there[np.argsort(-sums[there] / counts[there], kind="stable")]
    return MoneyCurve(
        at / len(falling), cumulated[at] / total, order,
        np.concatenate([[0.0], np.cumsum(counts[order]) / len(falling)]),
        np.concatenate([[0.0], np.cumsum(sums[order]) / total]),
        int(np.searchsorted(cumulated >= total / 2, True)) / len(falling),
    )  # fmt: skip
