"""How far groups stand from everyone, column by column: what a group is told by at a glance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.recipe import Prepared

__all__ = ["Deviation", "deviations_of", "most_changed"]


@dataclass(frozen=True)
class Deviation:
    """A group in one column, in standard deviations of everyone's.

    Of a number it is the group's mean as prepared, in everyone's deviations from everyone's mean;
    of a category the share of the ``level`` in which the group differs most, upwards, measured by
    √(p(1 − p)) of everyone's share p.
    """

    name: str
    level: str
    by: float


def deviations_of(rows: Prepared, labels: NDArray[np.int32], k: int) -> list[list[Deviation]]:
    """Of each of ``k`` groups every column, numbers first; a column all are alike in is told by 0.

    ``labels``: (m,) groups of the rows, from 0. A group without rows has no deviations.

    >>> from sortija.core.groups.recipe import Category, Preparation
    >>> codes = np.array([[1, 1, 2, 2]], np.uint8)
    >>> prep = Preparation((), (Category("plan", ("a", "b"), 0.5),))
    >>> rows = Prepared(prep, np.zeros((0, 4), np.float32), codes, np.arange(4))
    >>> deviations_of(rows, np.array([0, 0, 1, 1], np.int32), 2)[1]
    [Deviation(name='plan', level='b', by=1.0)]
    """
    sizes = np.bincount(labels, minlength=k)
    found: list[list[Deviation]] = [[] for _ in range(k)]
    there = np.flatnonzero(sizes)
    for (name, _, _), column in zip(rows.preparation.numeric, rows.numbers, strict=True):
        values = column.astype(np.float64)
        means = np.bincount(labels, values, minlength=k)[there] / sizes[there]
        away, spread = means - values.mean(), values.std()
        by = away / spread if spread > 0 else np.zeros(len(there))
        for g, each in zip(there, by, strict=True):
            found[g].append(Deviation(name, "", float(each)))
    for category, codes in zip(rows.preparation.categories, rows.codes, strict=True):
        most = int(codes.max(initial=0)) + 1
        usual = np.bincount(codes, minlength=most) / max(1, len(codes))
        spread = np.sqrt(usual * (1 - usual))
        pairs = np.bincount(labels.astype(np.int64) * most + codes, minlength=k * most)
        shares = pairs.reshape(k, most)[there] / sizes[there, None]
        away = np.where(spread > 0, (shares - usual) / np.where(spread > 0, spread, 1), 0.0)
        for g, row in zip(there, away, strict=True):
            level = int(row.argmax())
            found[g].append(Deviation(category.name, category.label(level), float(row[level])))
    return found


def most_changed(one: list[Deviation], other: list[Deviation]) -> Deviation | None:
    """The column in which ``other`` stands farthest from ``one``, by how much; None where they
    have nothing to be compared by (a category is, where the same level tells of both).

    >>> a, b = [Deviation("spend", "", -0.5)], [Deviation("spend", "", 1.0)]
    >>> most_changed(a, b)
    Deviation(name='spend', level='', by=1.5)
    """
    before = {(each.name, each.level): each.by for each in one}
    changes = [
        Deviation(each.name, each.level, each.by - before[each.name, each.level])
        for each in other
        if (each.name, each.level) in before
    ]
    return max(changes, key=lambda change: abs(change.by), default=None)
