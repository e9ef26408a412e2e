"""Which number of groups the figures speak for, with the reasons in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sortija.core.groups.stability import DISSOLVES, DOUBTFUL
from sortija.core.groups.verdict import Verdict

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
    verdict: Verdict | None = None,
    same_again: Sequence[float | None] = (),
) -> Suggestion:
    """The best silhouette among the k whose groups all come back, with no sliver.

    Parameters
    ----------
    ks, silhouettes, weakest, smallest : one per candidate
        ``weakest`` may be NaN where nothing was resampled: then it decides nothing.
    verdict : whether they stand out against tables without groups, None where not looked at
        Unless they do, there is no clear grouping.
    same_again : the share that would stand in the same group had the year happened again, None
        where that is not known; it is said and decides nothing

    >>> suggest([2, 3], [0.3, 0.5], [0.9, 0.8], [0.4, 0.2]).k
    3
    """
    several = [i for i, k in enumerate(ks) if k > 1]
    if len(several) < len(ks):  # one group is everyone, and no suggestion
        return suggest(
            [ks[i] for i in several], [silhouettes[i] for i in several],
            [weakest[i] for i in several], [smallest[i] for i in several], verdict,
            [same_again[i] for i in several if i < len(same_again)],
        )  # fmt: skip
    if not ks:
        return Suggestion(None, "Nothing has been judged yet.")
    peak = int(np.argmax(silhouettes))
    if verdict is not None and verdict.level != "holds":
        return Suggestion(None, _unclear(ks, silhouettes, peak, verdict))
    holds = [not weak < DOUBTFUL for weak in weakest]
    good = [i for i in range(len(ks)) if holds[i] and smallest[i] >= SLIVER]
    if not good:
        return Suggestion(None, _none_holds(ks, weakest, smallest))
    best = max(good, key=lambda i: silhouettes[i])
    words = f"{ks[best]} groups hold. The silhouette is {silhouettes[best]:.2f}"
    if verdict is not None and not np.isnan(verdict.reached(ks[best])):
        words += f" ({verdict.reached(ks[best]):.2f} with customers who have no groups)"
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
    again = same_again[best] if best < len(same_again) else None
    if again is not None:
        words += (
            f" Same again {again:.2f}: had the year happened again with nothing changed, so many "
            "would stand in the same group."
        )
    return Suggestion(ks[best], words)


def _unclear(ks: Sequence[int], silhouettes: Sequence[float], peak: int, verdict: Verdict) -> str:
    """Why nothing is suggested: what tables without groups come to as well."""
    reached = verdict.reached(ks[peak])
    figure = f"The best silhouette is {silhouettes[peak]:.2f} with {ks[peak]} groups"
    told = "" if np.isnan(reached) else f"; customers without groups reach {reached:.2f} there"
    choice = "Any cut through them is a choice, not a find."
    if verdict.level == "barely":
        return (
            f"Barely a grouping. {figure}{told}. The customers stand out from made-up ones without "
            f"groups, but not from {verdict.unlike}. {choice}"
        )
    return f"No clear grouping. {figure}{told}: no more than from {verdict.unlike}. {choice}"


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
