"""One way into every method: rows and a recipe in, a grouping of all rows for any k out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.linkages import MOST_EXACT, link, ward
from sortija.core.groups.lloyd import (
    Centres,
    Fit,
    exchanged,
    lloyd,
    nearest_centres,
    tidy,
)
from sortija.core.groups.medoids import distance_matrix, medoid_of, swap_medoids
from sortija.core.groups.micro import micro_groups
from sortija.core.groups.own_centres import centres_from
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError
from sortija.core.groups.seeding import centres_at, dense_centres, seed_centres
from sortija.core.groups.tree import Tree
from sortija.core.progress import Progress, silent

__all__ = ["ADOPTABLE", "SAMPLE", "Grouper", "group", "grouper", "refusal"]

#: Rows that the starts of a sweep are tried on.
SAMPLE = 5_000
#: Passes of each start of rows with categories; the best CHAINS of them go on.
EARLY = 4
CHAINS = 2
#: Rounds of changes tried on each of those, for every start.
TRIES = 1.5
#: So few rows cost next to nothing, and every start of them goes on.
FEW = 100
SCANT_STARTS = 60
#: Passes that polish the best start on all rows; the chosen k goes on to the end.
POLISH = 6
#: Single and average linkage cannot be adopted when more customers than this change by it.
ADOPTABLE = 0.05


@dataclass(frozen=True)
class Grouper:
    """Groups the same rows into any k. ``tree``: of hierarchical; ``leaf``: (m,) the leaf of each
    row, which is a micro-group where there are many."""

    make: Callable[[int, bool], Fit]
    tree: Tree | None = None
    leaf: NDArray[np.int32] | None = None

    def __call__(self, k: int, settled: bool = True) -> Fit:
        """The grouping into ``k``; ``settled`` False: polished by a few passes only."""
        return self.make(k, settled)


def group(
    rows: Prepared, k: int, recipe: Recipe, engine: Engine | None = None,
    progress: Progress = silent,
) -> Fit:  # fmt: skip
    """All rows in ``k`` groups by the recipe, numbered largest first; see :func:`grouper`.

    >>> from sortija.core.table import Column, Table
    >>> from sortija.core.groups.recipe import Recipe, prepare
    >>> from sortija.core.measures.preparation import Steps
    >>> spend = Column("spend", "number", np.r_[np.arange(20.0), 500 + np.arange(10.0)])
    >>> recipe = Recipe({"spend": Steps()})
    >>> group(prepare(Table((spend,)), recipe), 2, recipe).counts.tolist()
    [20, 10]
    """
    return grouper(rows, recipe, engine, progress)(k)


def grouper(
    rows: Prepared, recipe: Recipe, engine: Engine | None = None, progress: Progress = silent
) -> Grouper:
    """What several k have in common (a tree, a matrix of distances) is made once.

    Every grouping is adopted as it comes out: each row is with its nearest centre or medoid, and
    ``moved`` of the result says what share of the rows that changed.

    Raises
    ------
    RecipeError
        Too many rows for the method; when called, too few different rows for so many groups.
    """
    engine = engine or Engine(1)
    if recipe.method == "hierarchical":
        return _hierarchical(rows, recipe, engine, progress)
    if recipe.method == "k-medoids":
        return _medoids(rows, recipe, engine, progress)

    def make(k: int, settled: bool) -> Fit:
        return _checked(_lloyd(rows, k, recipe, engine, progress, settled), k)

    return Grouper(make)


def _checked(fit: Fit, k: int) -> Fit:
    there = int((fit.counts > 0).sum())
    if there < k:
        raise RecipeError(
            f"Only {there} groups of customers differ in what was picked; {k} cannot be made. "
            "Ask for fewer groups, or pick more measures."
        )
    return tidy(fit)


def _enough(rows: Prepared, k: int) -> None:
    if k < 1:
        raise RecipeError("Ask for at least 1 group.")
    if len(rows) < k:
        raise RecipeError(
            f"{len(rows):,} customers cannot make {k} groups. "
            "Ask for fewer, or fill missing values."
        )


def _lloyd(
    rows: Prepared, k: int, recipe: Recipe, engine: Engine, progress: Progress, settled: bool
) -> Fit:
    """The best of seeded starts on at most 5,000 rows, polished on all of them."""
    _enough(rows, k)
    if k == len(recipe.centres):
        own = centres_from(rows.preparation, recipe.centres)
        fit = lloyd(rows, own, engine, recipe.passes, progress)
        there = int((fit.counts > 0).sum())
        if there < k:
            raise RecipeError(
                f"Nobody is nearest to {k - there} of your {k} centres. Move them, or allow more "
                "passes."
            )
        return fit
    rng = np.random.default_rng([recipe.seed, 3])
    few = rows
    if len(rows) > SAMPLE:
        few = rows.take(np.sort(rng.choice(len(rows), SAMPLE, replace=False)))
    seed = dense_centres if recipe.seeding == "dense" else seed_centres

    mixed = bool(len(rows.codes)) and k > 1

    def once(number: int) -> Fit:
        own = np.random.default_rng([recipe.seed, k, number])
        most = min(EARLY, recipe.passes) if mixed else recipe.passes
        return lloyd(few, seed(few, k, own), most_passes=most)

    scant = mixed and len(rows) <= FEW
    starts = max(recipe.starts, SCANT_STARTS if scant else 1)
    tried = engine.map(
        once, range(starts), told=lambda done: progress("trying starts", done, starts)
    )
    fits = sorted(tried, key=lambda fit: fit.cost)
    chains = SCANT_STARTS if scant else CHAINS
    best = _improved(few, fits[:chains], k, recipe, engine) if mixed else fits[0]
    if few is rows:
        return best
    if settled:
        return lloyd(rows, best.centres, engine, recipe.passes, progress)
    return lloyd(rows, best.centres, engine, min(POLISH, recipe.passes), progress)


def _improved(rows: Prepared, fits: list[Fit], k: int, recipe: Recipe, engine: Engine) -> Fit:
    """The best of a few fits, each settled and then changed where that costs less.

    Rows with categories have many groupings that passes alone do not leave (4 of 12 tables of
    nine rows missed the optimum, 9 of 50 of a thousand were over 1% from that of 150 starts);
    numbers alone have few.
    """
    tries = max(round(TRIES * recipe.starts), 1)

    def chain(number: int) -> Fit:
        rng = np.random.default_rng([recipe.seed, k, number, 19])
        settled = lloyd(rows, fits[number].centres, most_passes=recipe.passes)
        return exchanged(rows, settled, tries, rng, recipe.passes)

    return min(engine.map(chain, range(len(fits))), key=lambda fit: fit.cost)


def _hierarchical(rows: Prepared, recipe: Recipe, engine: Engine, progress: Progress) -> Grouper:
    leaf = np.arange(len(rows), dtype=np.int32)
    if len(rows) > MOST_EXACT and recipe.linkage == "ward" and not rows.gower:
        micro = micro_groups(rows, recipe.seed, engine, progress)
        leaf, tree = micro.labels, ward(micro.points, micro.weights, progress)
    else:
        tree = link(rows, recipe.linkage, engine, progress)
    matrix: list[NDArray[np.float32]] = []

    def make(k: int, settled: bool) -> Fit:
        _enough(rows, k)
        labels = tree.cut(k)[leaf]
        if not rows.gower:
            return _adopted(rows, labels, _middles(rows, labels, k), engine)
        if not matrix:
            matrix.append(distance_matrix(rows, engine, progress))
        places = [medoid_of(matrix[0], np.flatnonzero(labels == g)) for g in range(k)]
        return _adopted(rows, labels, centres_at(rows, np.array(places)), engine)

    return Grouper(make, tree, leaf)


def _medoids(rows: Prepared, recipe: Recipe, engine: Engine, progress: Progress) -> Grouper:
    distance = distance_matrix(rows, engine, progress)

    def make(k: int, settled: bool) -> Fit:
        _enough(rows, k)

        heard = engine.heard(progress)

        def once(number: int) -> tuple[float, NDArray[np.int64], NDArray[np.int32]]:
            rng = np.random.default_rng([recipe.seed, k, number])
            found = swap_medoids(distance, _far_rows(distance, k, rng), heard)
            return found.cost, found.rows, found.labels

        starts = max(recipe.starts, 1)
        tries = engine.map(
            once, range(starts), told=lambda done: progress("trying starts", done, starts)
        )
        _, places, labels = min(tries, key=lambda each: each[0])
        return _adopted(rows, labels, centres_at(rows, places), engine)

    return Grouper(make)


def _far_rows(distance: NDArray[np.float32], k: int, rng: np.random.Generator) -> NDArray[np.int64]:
    """k different rows to begin with; far ones are likelier to be drawn."""
    n = len(distance)
    picks = [int(rng.integers(n))]
    nearest = distance[picks[0]].astype(np.float64)
    while len(picks) < k:
        chance = nearest.copy()
        if chance.sum() <= 0:
            chance[:] = 1.0
        chance[picks] = 0.0
        picks.append(int(rng.choice(n, p=chance / chance.sum())))
        np.minimum(nearest, distance[picks[-1]], out=nearest)
    return np.array(picks)


def _middles(rows: Prepared, labels: NDArray[np.int32], k: int) -> Centres:
    """Means and modes of given groups."""
    counts = np.bincount(labels, minlength=k)
    numbers = np.array(
        [np.bincount(labels, column, minlength=k) / counts for column in rows.numbers]
    ).reshape(-1, k)
    modes = np.empty((k, len(rows.codes)), np.uint8)
    for place, codes in enumerate(rows.codes):
        table = np.bincount(labels.astype(np.int64) * 256 + codes, minlength=k * 256)
        modes[:, place] = table.reshape(k, 256).argmax(axis=1)
    return Centres(np.ascontiguousarray(numbers.T.astype(np.float32)), modes)


def _adopted(rows: Prepared, labels: NDArray[np.int32], centres: Centres, engine: Engine) -> Fit:
    """The pass that puts every row with its nearest centre, and what share of the rows moved."""
    k = len(centres)
    placed = nearest_centres(rows, centres, engine)
    counts = np.bincount(placed.labels, minlength=k).astype(np.int64)
    cost = float(placed.distance.sum(dtype=np.float64))
    fit = Fit(centres, placed.labels, counts, cost, 1, True)
    moved = float((placed.labels != labels).mean())
    return replace(_checked(fit, k), moved=moved)


def refusal(fit: Fit, recipe: Recipe) -> str:
    """Why a grouping cannot become a yardstick; empty where it can."""
    if len(fit.counts) < 2:
        return "One group is everyone, against which more groups are judged. Adopt 2 or more."
    if recipe.method != "hierarchical" or recipe.linkage not in ("single", "average"):
        return ""
    if fit.moved <= ADOPTABLE:
        return ""
    return (
        f"{fit.moved:.0%} of the customers would change their group if each went to its nearest "
        f"centre: {recipe.linkage} linkage makes groups that no centre stands for. "
        "Take Ward or k-prototypes to adopt one."
    )
