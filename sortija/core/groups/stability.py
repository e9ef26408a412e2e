"""Whether groups come back: Jaccard over bootstraps (Hennig 2007)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.grouping import SAMPLE, group
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError
from sortija.core.progress import Progress, silent

__all__ = [
    "DISSOLVES",
    "DOUBTFUL",
    "FIRM",
    "HOLDS",
    "OPENED",
    "STARTS",
    "SWEPT",
    "jaccard_stability",
]

#: Hennig's readings: a group dissolves up to, is not to be trusted below, holds and is firm above.
DISSOLVES, DOUBTFUL, HOLDS, FIRM = 0.5, 0.6, 0.75, 0.85
#: Resamplings in a sweep, and for a candidate that somebody opened.
SWEPT, OPENED = 20, 100
#: Fresh starts of a resampling in a sweep.
STARTS = 2
#: Rows of a resampling, by method: those that compare all pairs take fewer.
_ROWS = {"k-medoids": 1_000, "hierarchical": 2_000}


def jaccard_stability(
    rows: Prepared,
    labels: NDArray[np.int32],
    k: int,
    recipe: Recipe,
    times: int = SWEPT,
    starts: int = STARTS,
    engine: Engine | None = None,
    progress: Progress = silent,
) -> NDArray[np.float64]:
    """(k,) how often each group comes back: its mean best Jaccard over bootstraps.

    Each of ``times`` bootstraps draws at most 5,000 rows with replacement, groups them anew by
    the recipe from fresh starts, and compares on the distinct rows drawn. One that cannot be
    grouped, for too few of its rows differ, counts 0.

    Parameters
    ----------
    starts : int
        Fresh starts a bootstrap. With few of them a grouping that is hard to find looks less
        steady than it is.
    """
    engine = engine or Engine(1)
    m = len(rows)
    fresh = replace(recipe.seeded, starts=min(recipe.starts, starts))
    size = min(m, _ROWS.get(recipe.method, SAMPLE))

    def once(number: int) -> NDArray[np.float64]:
        rng = np.random.default_rng([recipe.seed, k, number, 7])
        drawn = rng.integers(0, m, size)
        own = replace(fresh, seed=int(rng.integers(1 << 31)))
        try:
            fit = group(rows.take(drawn), k, own)
        except RecipeError:
            return np.zeros(k)
        distinct, first = np.unique(drawn, return_index=True)
        return best_jaccard(labels[distinct], fit.labels[first], k)

    found = engine.map(once, range(times), told=lambda done: progress("resampling", done, times))
    return np.mean(found, axis=0)


def best_jaccard(
    first: NDArray[np.int32], second: NDArray[np.int32], k: int
) -> NDArray[np.float64]:
    """(k,) for each group of ``first`` its largest Jaccard with a group of ``second``."""
    table = np.bincount(first * k + second, minlength=k * k).reshape(k, k).astype(np.float64)
    union = table.sum(axis=1)[:, None] + table.sum(axis=0)[None] - table
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(union > 0, table / union, 0.0)
    return share.max(axis=1)
