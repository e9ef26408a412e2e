"""Sums of squares within groups and between them, column by column."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Prepared

__all__ = ["Spread", "spread_of"]


@dataclass(frozen=True)
class Spread:
    """In prepared units, numbers first, then categories.

    ``within``: (k, c) each group's squared distances to its centre (γ for each category that is
    not its mode); ``total``: (c,) the same of everyone to everyone's; ``agree``: (k, q) the share
    of a group whose level is its mode. Of Gower's distance gaps stand in the place of squares,
    and ``total`` is NaN.
    """

    within: NDArray[np.float64]
    total: NDArray[np.float64]
    agree: NDArray[np.float64]

    @property
    def between(self) -> NDArray[np.float64]:
        """(c,) what the groups account for."""
        return np.asarray(self.total - self.within.sum(axis=0))


def spread_of(rows: Prepared, labels: NDArray[np.int32], centres: Centres) -> Spread:
    """How far rows lie from the centres of their groups.

    >>> from sortija.core.groups.recipe import Category, Preparation
    >>> codes = np.array([[1, 1, 2]], np.uint8)
    >>> prep = Preparation((), (Category("plan", ("a", "b"), 0.5),))
    >>> rows = Prepared(prep, np.zeros((0, 3), np.float32), codes, np.arange(3))
    >>> centre = Centres(np.zeros((1, 0), np.float32), np.array([[1]], np.uint8))
    >>> spread_of(rows, np.zeros(3, np.int32), centre).within.tolist()
    [[0.5]]
    """
    k = len(centres)
    counts = np.maximum(np.bincount(labels, minlength=k), 1)
    within: list[NDArray[np.float64]] = []
    agree: list[NDArray[np.float64]] = []
    total: list[float] = []
    for place, column in enumerate(rows.numbers.astype(np.float64)):
        gap = column - centres.numbers[labels, place].astype(np.float64)
        away = np.abs(gap) if rows.gower else gap**2
        within.append(np.bincount(labels, away, minlength=k).astype(np.float64))
        squares = float(((column - column.mean()) ** 2).sum())
        total.append(np.nan if rows.gower else squares)
    for place, (codes, gamma) in enumerate(zip(rows.codes, rows.gammas, strict=True)):
        other = codes != centres.modes[labels, place]
        differ = np.bincount(labels, other, minlength=k).astype(np.float64)
        within.append(float(gamma) * differ)
        commonest = int(np.bincount(codes).max()) if len(codes) else 0
        total.append(np.nan if rows.gower else float(gamma) * (len(codes) - commonest))
        agree.append(np.asarray(1 - differ / counts, np.float64))
    return Spread(
        np.array(within, np.float64).reshape(-1, k).T, np.array(total, np.float64),
        np.array(agree, np.float64).reshape(-1, k).T,
    )  # fmt: skip
