"""What several campaigns say together: random effects by DerSimonian & Laird 1986."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import gammaincc, ndtri

__all__ = ["Pooled", "pooled"]


@dataclass(frozen=True)
class Pooled:
    """``effect`` of the campaigns together, its ``error`` and interval; ``between``: by how much
    true effects differ (a standard deviation); ``differ``: p that they differ at all;
    ``next_low``, ``next_high``: between what the effect of one more such campaign would lie
    (NaN under three)."""

    campaigns: int
    effect: float
    error: float
    low: float
    high: float
    between: float
    differ: float
    next_low: float
    next_high: float


def pooled(effects: Sequence[float], errors: Sequence[float], level: float = 0.95) -> Pooled:
    """Pool effects of campaigns whose true effects may differ.

    Parameters
    ----------
    effects, errors : as many floats
        Each campaign's effect and its standard error.

    Raises
    ------
    ValueError
        There is none, or an error is not positive.

    >>> found = pooled([0.02, 0.08, 0.05], [0.01, 0.01, 0.01])
    >>> round(found.effect, 3), round(found.between, 3)
    (0.05, 0.028)
    """
    y, v = np.asarray(effects, np.float64), np.asarray(errors, np.float64) ** 2
    if not len(y) or not (v > 0).all():
        raise ValueError("campaigns are pooled by their effects and standard errors above 0")
    weight, k = 1 / v, len(y)
    middle = (weight * y).sum() / weight.sum()
    q = float((weight * (y - middle) ** 2).sum())
    spare = float(weight.sum() - (weight**2).sum() / weight.sum())
    between = max(0.0, (q - (k - 1)) / spare) if k > 1 else 0.0
    weight = 1 / (v + between)
    effect, error = float((weight * y).sum() / weight.sum()), float(weight.sum() ** -0.5)
    z = float(ndtri(0.5 + level / 2))
    reach = z * float(np.sqrt(error**2 + between)) if k > 2 else float("nan")
    return Pooled(
        k, effect, error, effect - z * error, effect + z * error, float(np.sqrt(between)),
        float(gammaincc((k - 1) / 2, q / 2)) if k > 1 else float("nan"),
        effect - reach, effect + reach,
    )  # fmt: skip
