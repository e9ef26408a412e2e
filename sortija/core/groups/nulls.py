"""What silhouettes and costs come to where there is nothing to find."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.criteria import measure_yard, silhouette
from sortija.core.groups.grouping import SAMPLE, grouper
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError
from sortija.core.progress import Progress, silent

__all__ = ["Gap", "gap_statistic", "null_bound", "null_bounds", "null_rows", "null_silhouettes"]

TABLES = 10
_STARTS = 3
#: Rows of a table, by method; silhouettes hardly change with more.
_ROWS = {"k-medoids": 500}
_MOST = 2_000


def null_rows(rows: Prepared, normal: bool, rng: np.random.Generator, count: int) -> Prepared:
    """``count`` rows without groups that look like ``rows`` otherwise.

    Numbers are uniform over the box along the principal axes (Tibshirani, Walther & Hastie 2001),
    or normal of the same mean and covariance; each category is drawn by itself.
    """
    numbers = rows.numbers.astype(np.float64)
    d, m = numbers.shape
    made = np.zeros((0, count))
    if d:
        mean = numbers.mean(axis=1, keepdims=True)
        centred = numbers - mean
        _, axes = np.linalg.eigh(np.einsum("im,jm->ij", centred, centred) / m)
        along = np.einsum("ji,jm->im", axes, centred)
        if normal:
            drawn = rng.standard_normal((d, count)) * along.std(axis=1)[:, None]
        else:
            low, high = along.min(axis=1)[:, None], along.max(axis=1)[:, None]
            drawn = low + (high - low) * rng.random((d, count))
        made = np.einsum("ij,jm->im", axes, drawn) + mean
    codes = np.empty((len(rows.codes), count), np.uint8)
    for place, own in enumerate(rows.codes):
        codes[place] = own[rng.integers(0, m, count)]
    numbers32 = np.ascontiguousarray(made.astype(np.float32))
    return Prepared(rows.preparation, numbers32, codes, np.arange(count))


def null_silhouettes(
    rows: Prepared, ks: Sequence[int], recipe: Recipe, engine: Engine | None = None,
    progress: Progress = silent,
) -> NDArray[np.float64]:  # fmt: skip
    """(20, K) silhouettes at each of ``ks`` of 10 uniform and 10 normal tables, in turns.

    NaN where a table has too few different rows for so many groups. Groups are clear only where
    the largest silhouette of the rows exceeds those of all tables (:func:`null_bound`): a uniform
    square alone reaches 0.40 at four groups.
    """
    engine = engine or Engine(1)
    count = min(len(rows), _ROWS.get(recipe.method, _MOST))
    lighter = replace(recipe, starts=min(recipe.starts, _STARTS))

    def once(number: int) -> NDArray[np.float64]:
        progress("looking at tables without groups", number, 2 * TABLES)
        rng = np.random.default_rng([recipe.seed, 13, number])
        table = null_rows(rows, number % 2 == 1, rng, count)
        yard, make = measure_yard(table, recipe.seed), grouper(table, lighter)
        found = np.full(len(ks), np.nan)
        for place, k in enumerate(ks):
            if k < 2 or k >= count:
                continue
            try:
                found[place] = silhouette(yard, make(k).labels, k).mean
            except RecipeError:
                break  # categories alone may have fewer different rows than groups
        return found

    return np.array(engine.map(once, range(2 * TABLES)))


def null_bound(silhouettes: NDArray[np.float64]) -> float:
    """What a silhouette must exceed: the largest of tables without groups and one SD of its kind.

    Ten tables of the very kind of the rows exceed the rows themselves by chance once in eleven
    times; one standard deviation above them makes that rare. −1 where no table could be grouped.
    """
    largest = np.where(np.isnan(silhouettes), -1.0, silhouettes).max(axis=1, initial=-1.0)
    return float(max(kind.max() + kind.std() for kind in (largest[::2], largest[1::2])))


def null_bounds(silhouettes: NDArray[np.float64]) -> NDArray[np.float64]:
    """(K,) the largest silhouette of tables without groups at each k; −1 where there is none."""
    return np.where(np.isnan(silhouettes), -1.0, silhouettes).max(axis=0, initial=-1.0)


@dataclass(frozen=True)
class Gap:
    """``gap``: (K,) mean log cost of the uniform tables less the rows' own; ``error``: (K,) its
    standard error, that of simulating included; ``k``: the first that no next one beats."""

    ks: tuple[int, ...]
    gap: NDArray[np.float64]
    error: NDArray[np.float64]
    k: int


def gap_statistic(
    rows: Prepared, ks: Sequence[int], recipe: Recipe, engine: Engine | None = None,
    progress: Progress = silent,
) -> Gap:  # fmt: skip
    """The gap statistic (Tibshirani, Walther & Hastie 2001) on at most 5,000 rows.

    Raises
    ------
    RecipeError
        The method has no cost that can be compared so (Gower's distance).
    """
    if rows.gower:
        raise RecipeError("The gap statistic needs D. It says nothing of Gower's distance.")
    engine = engine or Engine(1)
    rng = np.random.default_rng([recipe.seed, 17])
    few = rows
    if len(rows) > SAMPLE:
        few = rows.take(np.sort(rng.choice(len(rows), SAMPLE, replace=False)))
    lighter = replace(recipe, starts=min(recipe.starts, _STARTS))

    def costs(number: int) -> NDArray[np.float64]:
        progress("comparing with even tables", number, TABLES + 1)
        own = np.random.default_rng([recipe.seed, 17, number])
        table = few if number == 0 else null_rows(few, False, own, len(few))
        make = grouper(table, lighter)
        out = np.full(len(ks), np.nan)
        for place, k in enumerate(ks):
            try:
                out[place] = np.log(max(make(k).cost, 1e-300))
            except RecipeError:
                if number == 0:
                    raise
                break  # a table of categories may have fewer different rows than groups
        return out

    found = np.array(engine.map(costs, range(TABLES + 1)))
    gap = found[1:].mean(axis=0) - found[0]
    error = found[1:].std(axis=0) * np.sqrt(1 + 1 / TABLES)
    good = [i for i in range(len(ks) - 1) if gap[i] >= gap[i + 1] - error[i + 1]]
    best = ks[good[0]] if good else ks[int(np.argmax(np.nan_to_num(gap, nan=-np.inf)))]
    return Gap(tuple(ks), gap, error, int(best))
