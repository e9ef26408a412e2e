"""Which number of groups the figures speak for, with the reasons in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sortija.core.groups.stability import DISSOLVES, DOUBTFUL

__all__ = ["SLIVER", "Suggestion", "suggest"]

#: A group with a smaller share of the customers is hardly worth a campaign.
SLIVER = 0.03


@dataclass(frozen=True)
class Suggestion:
    """The k that is suggested (None: no clear grouping) and the reasons in words."""

    k: int | None
    words: str


def suggest(
    ks: Sequence[int],
    silhouettes: Sequence[float],
    weakest: Sequence[float],
    smallest: Sequence[float],
    bound: float = float("nan"),
) -> Suggestion:
    """The best silhouette among the k whose groups all come back, with no sliver.

    Parameters
    ----------
    ks, silhouettes, weakest, smallest : one a candidate
        ``weakest`` may be NaN where nothing was resampled: then it decides nothing.
    bound : what tables without groups reach (:func:`nulls.null_bound`), NaN where not looked at
        There is no clear grouping unless the largest silhouette exceeds it.
    """
    if not ks:
        return Suggestion(None, "Nothing has been judged yet.")
    peak = int(np.argmax(silhouettes))
    if silhouettes[peak] <= bound:
        return Suggestion(
            None,
            f"No clear grouping. The best silhouette, {silhouettes[peak]:.2f} with {ks[peak]} "
            f"groups, is no better than {bound:.2f}, which made-up customers without any groups "
            "reach. The customers spread evenly in these measures: any cut through them is a "
            "choice, not a find.",
        )
    holds = [not weak < DOUBTFUL for weak in weakest]
    good = [i for i in range(len(ks)) if holds[i] and smallest[i] >= SLIVER]
    if not good:
        return Suggestion(None, _none_holds(ks, weakest, smallest))
    best = max(good, key=lambda i: silhouettes[i])
    words = f"{ks[best]} groups hold. The silhouette is {silhouettes[best]:.2f}"
    if not np.isnan(bound):
        words += f", above the {bound:.2f} of customers without groups"
    if not np.isnan(weakest[best]):
        words += f", every group comes back in at least {weakest[best]:.0%} of resamplings"
    words += f", and the smallest has {smallest[best]:.0%} of the customers."
    if peak != best:
        why = (
            f"with {ks[peak]} the smallest group has only {smallest[peak]:.1%}"
            if holds[peak]
            else f"a group of {ks[peak]} comes back in only {weakest[peak]:.0%}"
        )
        words += f" The silhouette is higher at {ks[peak]} ({silhouettes[peak]:.2f}), but {why}."
    elif best + 1 < len(ks) and not holds[best + 1]:
        ends = "dissolves" if weakest[best + 1] <= DISSOLVES else "hardly holds"
        words += f" With {ks[best + 1]}, a group {ends}."
    return Suggestion(ks[best], words)


def _none_holds(ks: Sequence[int], weakest: Sequence[float], smallest: Sequence[float]) -> str:
    best = int(np.nanargmax(weakest)) if not np.isnan(weakest).all() else 0
    if np.isnan(weakest[best]) or weakest[best] >= DOUBTFUL:
        return (
            f"No number of groups does without a sliver: with {ks[best]} the smallest has "
            f"{smallest[best]:.1%} of the customers. Look whether those are mistakes, or cap them."
        )
    return (
        f"No number of groups holds. The best, {ks[best]}, has a group that comes back in only "
        f"{weakest[best]:.0%} of resamplings. Try other measures, or fewer."
    )
