"""Several k side by side: grouped, judged, and each told as soon as it is there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.grouping import Grouper, grouper
from sortija.core.groups.lloyd import Fit
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError
from sortija.core.groups.stability import STARTS, jaccard_stability
from sortija.core.groups.validity import Figures, figures_of, measure_yard, silhouette, total_cost
from sortija.core.groups.valleys import valley
from sortija.core.progress import Progress, silent

__all__ = ["Candidate", "sweep"]


@dataclass(frozen=True)
class Candidate:
    """One k: its grouping of all rows, and how well it holds.

    ``silhouette``, ``silhouettes``: mean, and (k,) by group, NaN where everyone is one group;
    ``exact``: over all customers or over the shared sample; ``stability``: (k,) how often each
    group comes back in 20 resamplings, empty where that was not asked for; ``valley``: how deep
    the valleys between neighbouring groups are. ``fit.settled`` says whether the passes came to
    their end or polished only.
    """

    k: int
    fit: Fit
    silhouette: float
    silhouettes: NDArray[np.float64]
    exact: bool
    stability: NDArray[np.float64]
    figures: Figures
    valley: float = float("nan")

    @property
    def smallest(self) -> float:
        """The smallest group's share of the customers."""
        return float(self.fit.counts.min() / self.fit.counts.sum())

    @property
    def weakest(self) -> float:
        """How often the group that comes back least does; NaN where not asked for."""
        return float(self.stability.min()) if len(self.stability) else float("nan")

    @property
    def steady(self) -> float:
        """Mean of how often groups come back, by their sizes; NaN where not asked for."""
        if not len(self.stability):
            return float("nan")
        return float(np.average(self.stability, weights=self.fit.counts))


def sweep(
    rows: Prepared,
    ks: Sequence[int],
    recipe: Recipe,
    engine: Engine | None = None,
    progress: Progress = silent,
    resample: bool = True,
    settled: bool = False,
    make: Grouper | None = None,
    starts: int = STARTS,
) -> Iterator[Candidate]:
    """Each k as soon as it is judged, up to the first for which too few rows differ.

    Parameters
    ----------
    resample : bool
        Whether to resample for stability too.
    settled : bool
        Take every k to the end of its passes instead of polishing the best start by a few.
    make : Grouper, optional
        Of the same rows and recipe, where there is one already.
    starts : int
        Fresh starts of each resampling.

    Raises
    ------
    RecipeError
        Too many rows for the method, or not even the first k can be made.
    """
    engine = engine or Engine(1)
    make = make or grouper(rows, recipe, engine, progress)
    yard = measure_yard(rows, recipe.seed, engine)
    total = 0.0 if rows.gower else total_cost(rows)
    for place, k in enumerate(ks):
        progress(f"grouping by {k}", place, len(ks))
        try:
            fit = make(k, settled)
        except RecipeError:
            if place == 0:
                raise
            return
        if k == 1:  # what more groups are compared with: it comes back whatever is drawn
            figures = figures_of(rows, fit, total, engine)
            none = np.full(1, np.nan)
            yield Candidate(1, fit, np.nan, none, yard.exact, np.ones(int(resample)), figures)
            continue
        width = silhouette(yard, fit.labels, k, engine)
        stability = np.zeros(0)
        if resample:
            heard = _within(progress, k, place, len(ks))
            stability = jaccard_stability(
                rows, fit.labels, k, recipe, starts=starts, engine=engine, progress=heard
            )
        figures = figures_of(rows, fit, total, engine)
        depth = valley(rows, fit.labels, k, recipe.seed, engine)
        yield Candidate(k, fit, width.mean, width.by_group, width.exact, stability, figures, depth)


def _within(progress: Progress, k: int, place: int, of: int) -> Progress:
    """Progress of one k as part of the whole sweep's."""

    def heard(stage: str, done: int, steps: int) -> None:
        progress(f"judging {k}", place, of)

    return heard
