"""Whether a valley lies between neighbouring groups, or they are two halves of one hill."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.recipe import Prepared
from sortija.core.groups.unimodal import dip

__all__ = ["valley"]

#: Rows that are looked at.
ROWS = 20_000


def valley(
    rows: Prepared, labels: NDArray[np.int32], k: int, seed: int = 4107,
    engine: Engine | None = None,
) -> float:  # fmt: skip
    """Mean depth of the valleys between groups and their nearest neighbours, by their sizes.

    The rows of a group and of the one with the nearest centre are seen along the line between the
    two centres (numbers only); how far they are from having a single hump there is the dip
    (:func:`unimodal.dip`). Silhouettes tell how tight groups are, which halves of one hill may be
    too; a valley tells that there are two. NaN without numbers or with a single group.
    """
    if not len(rows.numbers) or k < 2:
        return float("nan")
    if len(labels) > ROWS:
        rng = np.random.default_rng([seed, 31])
        some = np.sort(rng.choice(len(labels), ROWS, replace=False))
        rows, labels = rows.take(some), labels[some]
    numbers = rows.numbers.astype(np.float64)
    counts = np.bincount(labels, minlength=k)
    sums = np.array([np.bincount(labels, column, minlength=k) for column in numbers])
    centres = (sums / np.maximum(counts, 1)).T
    apart = ((centres[:, None] - centres[None]) ** 2).sum(axis=2)
    apart[:, counts == 0] = np.inf
    np.fill_diagonal(apart, np.inf)

    def depth(g: int) -> float:
        other = int(apart[g].argmin())
        both = (labels == g) | (labels == other)
        along = centres[other] - centres[g]
        return dip((along[:, None] * numbers[:, both]).sum(axis=0))

    there = np.flatnonzero(counts).tolist()
    depths = (engine or Engine(1)).map(depth, there)
    return float(np.average(depths, weights=counts[there]))
