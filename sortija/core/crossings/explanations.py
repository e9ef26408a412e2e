"""Why customers crossed: each variable's part in the change of distance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Prepared
from sortija.core.scores.recipe import FrozenScore, Scored

__all__ = ["Why", "effect_size", "explain", "explain_bands"]


@dataclass(frozen=True)
class Why:
    """Parts of Δ = [D_to − D_from](after) − [D_to − D_from](before), summed over customers.

    ``parts``: one a variable, numbers first, then categories; they sum to ``total``. A negative
    part speaks for the move, a positive one against it. ``shares``: part over total.
    """

    names: tuple[str, ...]
    parts: NDArray[np.float64]
    total: float
    shares: NDArray[np.float64]


def _gap(rows: Prepared, centres: Centres, origin: int, target: int) -> NDArray[np.float64]:
    """(variables, m) D_to − D_from (or of Gower's distance) by variable."""
    x = rows.numbers.astype(np.float64)
    to, own = (centres.numbers[g].astype(np.float64)[:, None] for g in (target, origin))
    if rows.gower:
        numbers = np.abs(x - to) - np.abs(x - own)
    else:
        numbers = (x - to) ** 2 - (x - own) ** 2
    differs = (rows.codes != centres.modes[target][:, None]).astype(np.float64)
    differs -= rows.codes != centres.modes[origin][:, None]
    return np.concatenate([numbers, differs * rows.gammas[:, None].astype(np.float64)])


def explain(before: Prepared, after: Prepared, centres: Centres, origin: int, target: int) -> Why:
    """Explain the crossing ``origin`` → ``target`` of the same customers at two dates.

    Raises
    ------
    ValueError
        The two tables do not hold the same customers.
    """
    if not np.array_equal(before.rows, after.rows):
        raise ValueError("both dates must hold the same customers")
    change = _gap(after, centres, origin, target) - _gap(before, centres, origin, target)
    parts = change.sum(axis=1)
    total = float(parts.sum())
    shares = parts / total if total else np.zeros(len(parts))
    return Why(before.preparation.names, parts, total, shares)


def explain_bands(
    before: Scored, after: Scored, frozen: FrozenScore, who: NDArray[np.bool_]
) -> Why:
    """Explain a crossing between tiers: each measure's part in the change of the total.

    Parts are the weighted changes of bands, summed over the customers ``who``; Δ is the change of
    their totals. Without any (a move between boxes of one total) nobody has a share.
    """
    parts = np.array(
        [
            weight * float((b.bands[who].astype(np.int64) - a.bands[who]).sum())
            for a, b, (_, weight, _) in zip(
                before.bandings, after.bandings, frozen.measures, strict=True
            )
        ]
    )
    total = float(parts.sum())
    shares = parts / total if total else np.zeros(len(parts))
    return Why(tuple(name for name, _, _ in frozen.measures), parts, total, shares)


def effect_size(first: NDArray[np.float64], second: NDArray[np.float64]) -> float:
    """Difference of the means in pooled standard deviations (Cohen's d); NaN where it has none.

    Parameters
    ----------
    first, second : values of two groups of customers, missing ones NaN

    >>> round(float(effect_size(np.array([3.0, 4.0, 5.0]), np.array([1.0, 2.0, 3.0]))), 2)
    2.0
    """
    a, b = first[~np.isnan(first)], second[~np.isnan(second)]
    if len(a) < 2 or len(b) < 2:
        return float("nan")
    within = (len(a) - 1) * a.var(ddof=1) + (len(b) - 1) * b.var(ddof=1)
    spread = float(np.sqrt(within / (len(a) + len(b) - 2)))
    return float(a.mean() - b.mean()) / spread if spread > 0 else float("nan")
