"""Groups against the levels of a category: what is more or less than by chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from sortija.core.measures.association import table_association
from sortija.core.measures.intervals import holm
from sortija.core.portraits.profile import NumericProfile

__all__ = ["LEAST_EXPECTED", "LEVEL", "Crossed", "crossed", "crossed_table", "means_told"]

#: Cells that are told at all stand out more than so seldom by chance, all of them together.
LEVEL = 0.05
#: Under so many expected a cell tells nothing.
LEAST_EXPECTED = 5


@dataclass(frozen=True)
class Crossed:
    """``counts``: (levels + 1, k) customers, missing first; ``index``: 100 where a cell has as
    many as its row and column would make it expect; ``residuals``: adjusted standardised ones
    (Haberman 1973), about normal where nothing is going on; ``told``: whether a cell stands out
    (Holm over all cells that expect at least five); χ² with p and bias-corrected V of the table.
    """

    counts: NDArray[np.int64]
    index: NDArray[np.float64]
    residuals: NDArray[np.float64]
    told: NDArray[np.bool_]
    chi_squared: float
    p: float
    v: float


def crossed(
    groups: NDArray[np.integer], k: int, codes: NDArray[np.integer], levels: int
) -> Crossed:
    """Cross groups with a category.

    Parameters
    ----------
    groups : (n,) int, 0 to k − 1; rows outside are left out
    codes : (n,) int, 0 missing, 1 to ``levels``

    >>> found = crossed(np.repeat([0, 1], 50), 2, np.repeat([1, 2], 50), 2)
    >>> found.counts.tolist(), found.residuals[1].round(1).tolist(), found.told[1].tolist()
    ([[0, 0], [50, 0], [0, 50]], [10.0, -10.0], [True, True])
    """
    use = (groups >= 0) & (groups < k)
    key = codes[use].astype(np.int64) * k + groups[use]
    counts = np.bincount(key, minlength=(levels + 1) * k).reshape(levels + 1, k)
    index, residuals, expected = crossed_table(counts)
    p = np.where(expected >= LEAST_EXPECTED, 2 * ndtr(-np.abs(residuals)), np.nan)
    told = np.array(holm(p.ravel().tolist())).reshape(p.shape) < LEVEL
    found = table_association(counts)
    return Crossed(counts, index, residuals, told, found.chi, found.p, found.v)


def crossed_table(
    counts: NDArray[np.integer],
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Index, adjusted standardised residual and expected count of every cell of a table.

    >>> index, residuals, expected = crossed_table(np.array([[30, 10], [20, 40]]))
    >>> index.tolist()[0], residuals.round(2)[0].tolist(), expected[0].tolist()
    ([150.0, 50.0], [4.08, -4.08], [20.0, 20.0])
    """
    rows, columns, n = counts.sum(axis=1), counts.sum(axis=0), int(counts.sum())
    with np.errstate(invalid="ignore", divide="ignore"):
        expected = np.outer(rows, columns) / n
        error = np.sqrt(expected * np.outer(1 - rows / n, 1 - columns / n))
        residuals = np.where(error > 0, (counts - expected) / error, np.nan)
        return 100 * counts / expected, residuals, expected


def means_told(profiles: Sequence[NumericProfile]) -> NDArray[np.bool_]:
    """(measures, k) whether a group's mean differs from that of all the others (Welch's error,
    Holm over all cells whose groups have at least five members).

    >>> from sortija.core.portraits.profile import numeric_profile
    >>> x, groups = np.array([0.0, 0.1] * 50 + [5.0, 5.1] * 50), np.repeat([0, 1], 100)
    >>> means_told([numeric_profile(x, groups, 2)]).tolist()
    [[True, True]]
    """
    if not profiles:
        return np.zeros((0, 0), np.bool_)
    p = np.array([_mean_p(profile) for profile in profiles])
    return np.asarray(np.array(holm(p.ravel().tolist())).reshape(p.shape) < LEVEL)


def _mean_p(profile: NumericProfile) -> NDArray[np.float64]:
    """p of each group's mean against that of the rest, NaN where either is too small."""
    n, mean, everyone = profile.counts, profile.means, profile.everyone_mean
    rest = n.sum() - n
    with np.errstate(invalid="ignore", divide="ignore"):
        others = (n.sum() * everyone - n * np.nan_to_num(mean)) / rest
        squares = n.sum() * profile.everyone_sd**2
        own = (n - 1) * profile.sds**2
        left = squares - own - n * (mean - everyone) ** 2 - rest * (others - everyone) ** 2
        error = np.sqrt(profile.sds**2 / n + np.maximum(left, 0) / (rest - 1) / rest)
        z = np.where(error > 0, (mean - others) / error, np.nan)
    enough = (n >= LEAST_EXPECTED) & (rest >= LEAST_EXPECTED)
    return np.where(enough, 2 * ndtr(-np.abs(z)), np.nan)
