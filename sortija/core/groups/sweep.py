"""Several k side by side: fitted, judged, and a suggestion with its reasons."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.criteria import SAMPLE, jaccard_stability, measure_yard, silhouette
from sortija.core.groups.engines import Fit, lloyd, seed_centres, tidy
from sortija.core.groups.recipe import Prepared, Recipe
from sortija.core.progress import Progress, silent

__all__ = ["Candidate", "Suggestion", "fit_k", "suggest", "sweep"]

DISSOLVES, DOUBTFUL = 0.5, 0.6
SLIVER = 0.03


@dataclass(frozen=True)
class Candidate:
    """One k: its grouping of all rows, and how well it holds.

    ``stability``: (k,) how often each group comes back in 20 resamplings; ``exact``: whether
    the silhouette is over all customers or over the shared sample.
    """

    k: int
    fit: Fit
    silhouette: float
    silhouettes: NDArray[np.float64]
    exact: bool
    stability: NDArray[np.float64]

    @property
    def smallest(self) -> float:
        return float(self.fit.counts.min() / self.fit.counts.sum())


@dataclass(frozen=True)
class Suggestion:
    """The k that is suggested (None: no clear grouping) and the reasons in words."""

    k: int | None
    words: str


def fit_k(
    rows: Prepared, k: int, recipe: Recipe, engine: Engine, progress: Progress = silent
) -> Fit:
    """The best of seeded starts on at most 5,000 rows, polished on all of them."""
    rng = np.random.default_rng([recipe.seed, 3])
    few = rows
    if len(rows) > SAMPLE:
        few = rows.take(np.sort(rng.choice(len(rows), SAMPLE, replace=False)))

    def once(number: int) -> Fit:
        own = np.random.default_rng([recipe.seed, k, number])
        return lloyd(few, seed_centres(few, k, own))

    fits = engine.map(once, range(recipe.starts))
    best = min(fits, key=lambda fit: fit.cost)  # the first of equals
    if few is not rows:
        best = lloyd(rows, best.centres, engine, progress=progress)
    return tidy(best)


def sweep(
    rows: Prepared,
    ks: Sequence[int],
    recipe: Recipe,
    engine: Engine | None = None,
    progress: Progress = silent,
) -> Iterator[Candidate]:
    """Each k as soon as it is judged."""
    engine = engine or Engine(1)
    yard = measure_yard(rows, recipe.seed, engine)
    for place, k in enumerate(ks):
        progress(f"grouping by {k}", place, len(ks))

        def heard(stage: str, done: int, of: int, k: int = k, place: int = place) -> None:
            progress(f"grouping by {k}", place, len(ks))

        fit = fit_k(rows, k, recipe, engine, heard)
        progress(f"judging {k}", place, len(ks))
        width = silhouette(yard, fit.labels, k)
        stability = jaccard_stability(rows, fit.labels, k, recipe.seed, engine=engine)
        yield Candidate(k, fit, width.mean, width.by_group, width.exact, stability)


def suggest(
    ks: Sequence[int],
    silhouettes: Sequence[float],
    weakest: Sequence[float],
    smallest: Sequence[float],
) -> Suggestion:
    """The best silhouette among the k whose groups all come back, with no sliver."""
    if not ks:
        return Suggestion(None, "Nothing has been judged yet.")
    good = [i for i in range(len(ks)) if weakest[i] >= DOUBTFUL and smallest[i] >= SLIVER]
    if not good:
        best = int(np.argmax(weakest))
        return Suggestion(
            None,
            f"No number of groups holds. The best, {ks[best]}, has a group that comes back in "
            f"only {weakest[best]:.0%} of resamplings. Try other measures, or fewer.",
        )
    best = max(good, key=lambda i: silhouettes[i])
    peak = max(range(len(ks)), key=lambda i: silhouettes[i])
    words = (
        f"{ks[best]} groups hold. The silhouette is {silhouettes[best]:.2f}, "
        f"every group comes back in at least {weakest[best]:.0%} of resamplings, "
        f"and the smallest has {smallest[best]:.0%} of the customers."
    )
    if peak != best:
        why = (
            f"a group of {ks[peak]} comes back in only {weakest[peak]:.0%}"
            if weakest[peak] < DOUBTFUL
            else f"with {ks[peak]} the smallest group has only {smallest[peak]:.1%}"
        )
        words += f" The silhouette is higher at {ks[peak]} ({silhouettes[peak]:.2f}), but {why}."
    elif best + 1 < len(ks) and weakest[best + 1] < DOUBTFUL:
        ends = "dissolves" if weakest[best + 1] <= DISSOLVES else "hardly holds"
        words += f" With {ks[best + 1]}, a group {ends}."
    return Suggestion(ks[best], words)
