"""What silhouettes and costs come to where there is nothing to find."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from sortija.core.engine import Engine
from sortija.core.groups.grouping import SAMPLE, grouper
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError
from sortija.core.groups.unimodal import unimodal_quantiles
from sortija.core.groups.validity import measure_yard, silhouette
from sortija.core.groups.valleys import valley
from sortija.core.groups.verdict import in_doubt
from sortija.core.measures.association import mid_ranks
from sortija.core.measures.preparation import apply, fit
from sortija.core.progress import Progress, silent
from sortija.core.table import Column, Table

__all__ = [
    "KINDS",
    "TABLES",
    "Gap",
    "Kind",
    "gap_statistic",
    "null_figures",
    "null_rows",
    "simulated_rows",
]

Kind = str
#: Ways to make tables without groups: even over the box of the rows; one bulk with the spread of
#: each column; measures of a simulated log of one population.
KINDS: tuple[Kind, ...] = ("even", "bulk", "population")
#: Tables of each kind.
TABLES = 12
_GAP_TABLES = 10
_STARTS = 3
#: Rows of a table, by method; silhouettes hardly change with more.
_ROWS = {"k-medoids": 500}
_MOST = 2_000


def null_rows(rows: Prepared, kind: Kind, rng: np.random.Generator, count: int) -> Prepared:
    """``count`` rows without groups that look like ``rows`` otherwise.

    *even*: numbers uniform over the box along the principal axes (Tibshirani, Walther & Hastie
    2001). *bulk*: each number spread as it is but with one hump, the closest unimodal distribution
    (Hartigan & Hartigan 1985), all tied together by a normal copula of their rank correlations.
    Each category is drawn by itself.
    """
    numbers = rows.numbers.astype(np.float64)
    d = len(numbers)
    made = np.zeros((0, count))
    if d:
        made = _even(numbers, rng, count) if kind == "even" else _bulk(numbers, rng, count)
    return _with_codes(rows, made, rng)


def _with_codes(rows: Prepared, made: NDArray[np.float64], rng: np.random.Generator) -> Prepared:
    """Numbers beside categories that are each drawn by itself."""
    count = made.shape[1]
    codes = np.empty((len(rows.codes), count), np.uint8)
    for place, own in enumerate(rows.codes):
        codes[place] = own[rng.integers(0, len(own), count)]
    numbers32 = np.ascontiguousarray(made.astype(np.float32))
    return Prepared(rows.preparation, numbers32, codes, np.arange(count))


def _even(
    numbers: NDArray[np.float64], rng: np.random.Generator, count: int
) -> NDArray[np.float64]:
    mean = numbers.mean(axis=1, keepdims=True)
    centred = numbers - mean
    _, axes = np.linalg.eigh(np.einsum("im,jm->ij", centred, centred) / numbers.shape[1])
    along = np.einsum("ji,jm->im", axes, centred)
    low, high = along.min(axis=1)[:, None], along.max(axis=1)[:, None]
    drawn = low + (high - low) * rng.random((len(numbers), count))
    return np.asarray(np.einsum("ij,jm->im", axes, drawn) + mean)


def _bulk(
    numbers: NDArray[np.float64], rng: np.random.Generator, count: int
) -> NDArray[np.float64]:
    d, m = numbers.shape
    scores = np.array([ndtri((mid_ranks(column) - 0.375) / (m + 0.25)) for column in numbers])
    scores -= scores.mean(axis=1, keepdims=True)
    scale = np.sqrt((scores**2).sum(axis=1))
    tied = np.einsum("im,jm->ij", scores, scores) / np.outer(scale, scale)
    values, vectors = np.linalg.eigh(tied)
    root = vectors * np.sqrt(np.maximum(values, 0.0))
    normal = np.einsum("ij,jm->im", root, rng.standard_normal((d, count)))
    shares = np.clip(ndtr(normal), 0.0, 1.0)
    return np.array([
        unimodal_quantiles(column, share) for column, share in zip(numbers, shares, strict=True)
    ])  # fmt: skip


def simulated_rows(rows: Prepared, table: Table, rng: np.random.Generator) -> Prepared:
    """Rows of simulated customers, prepared as ``rows`` are: the same steps, fitted to them.

    Numbers that ``table`` has not (traits, say) and categories are drawn from the rows, each by
    itself.
    """
    count = len(table)
    made = np.empty((len(rows.numbers), count))
    for place, (name, fitted, weight) in enumerate(rows.preparation.numeric):
        if name not in table:
            own = rows.numbers[place]
            made[place] = own[rng.integers(0, len(own), count)]
            continue
        values = np.asarray(table[name].values, np.float64)
        steps = fitted.steps
        if steps.fill == "neighbours":  # of whom there are none here
            steps = replace(steps, fill="median")
        again = fit(Column(name, "number", values), steps)
        made[place] = 0.0 if again.constant else apply(values, again) * weight
    there = ~np.isnan(made).any(axis=0)
    return _with_codes(rows, made[:, there], rng)


def null_figures(
    rows: Prepared, ks: Sequence[int], recipe: Recipe, engine: Engine | None = None,
    progress: Progress = silent, population: Callable[[int, int], Table | None] | None = None,
    own: tuple[Sequence[float], Sequence[float]] | None = None,
) -> dict[Kind, NDArray[np.float64]]:  # fmt: skip
    """Kind → (2, 12, K): silhouettes and valleys of tables without groups, grouped alike.

    NaN where a table has too few different rows for so many groups.

    Parameters
    ----------
    population : function, optional
        (number, customers) → the measures of so many simulated customers, the same for the same
        number; None where the log cannot be simulated.
    own : two sequences, optional
        Silhouettes and valleys of the rows at these ks. Of a kind of which a single table keeps
        them from holding, 36 tables are made instead of twelve.
    """
    engine = engine or Engine(1)
    count = min(len(rows), _ROWS.get(recipe.method, _MOST))
    lighter = replace(recipe.seeded, starts=min(recipe.starts, _STARTS))
    kinds = KINDS if population is not None and len(rows.numbers) else KINDS[:2]
    if not len(rows.numbers):
        kinds = KINDS[:1]  # categories alone are drawn by themselves, whatever the kind

    def once(kind: Kind, turn: int) -> NDArray[np.float64]:
        found = np.full((2, len(ks)), np.nan)
        rng = np.random.default_rng([recipe.seed, 13, KINDS.index(kind), turn])
        if kind == "population":
            assert population is not None
            simulated = population(turn, count)
            if simulated is None:
                return found
            table = simulated_rows(rows, simulated, rng)
        else:
            table = null_rows(rows, kind, rng, count)
        yard, make = measure_yard(table, recipe.seed), grouper(table, lighter)
        for place, k in enumerate(ks):
            if k < 2 or k >= len(table):
                continue
            try:
                labels = make(k).labels
                found[0, place] = silhouette(yard, labels, k).mean
                found[1, place] = valley(table, labels, k)
            except RecipeError:
                break  # categories alone may have fewer different rows than groups
        return found

    def tables(kinds: Sequence[Kind], turns: range) -> dict[Kind, NDArray[np.float64]]:
        def one(number: int) -> NDArray[np.float64]:
            return once(kinds[number % len(kinds)], turns[number // len(kinds)])

        many = len(kinds) * len(turns)
        every = engine.map(
            one, range(many),
            told=lambda done: progress("looking at tables without groups", done, many),
        )  # fmt: skip
        found = {
            kind: np.array(every[place :: len(kinds)]).transpose(1, 0, 2)
            for place, kind in enumerate(kinds)
        }
        return {kind: each for kind, each in found.items() if not np.isnan(each).all()}

    found = tables(kinds, range(TABLES))
    doubtful = in_doubt(np.array(own, np.float64), found) if own is not None else ()
    for kind, more in (tables(doubtful, range(TABLES, 3 * TABLES)) if doubtful else {}).items():
        found[kind] = np.concatenate([found[kind], more], axis=1)
    return found


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
    lighter = replace(recipe.seeded, starts=min(recipe.starts, _STARTS))

    def costs(number: int) -> NDArray[np.float64]:
        own = np.random.default_rng([recipe.seed, 17, number])
        table = few if number == 0 else null_rows(few, "even", own, len(few))
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

    many = _GAP_TABLES + 1
    found = np.array(engine.map(
        costs, range(many), told=lambda done: progress("comparing with even tables", done, many)
    ))  # fmt: skip
    gap = found[1:].mean(axis=0) - found[0]
    error = found[1:].std(axis=0) * np.sqrt(1 + 1 / _GAP_TABLES)
    good = [i for i in range(len(ks) - 1) if gap[i] >= gap[i + 1] - error[i + 1]]
    best = ks[good[0]] if good else ks[int(np.argmax(np.nan_to_num(gap, nan=-np.inf)))]
    return Gap(tuple(ks), gap, error, int(best))
