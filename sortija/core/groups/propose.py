"""Three groupings that differ in kind, tried by themselves, with reasons and doubts."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine
from sortija.core.groups.grouping import Grouper, grouper
from sortija.core.groups.lloyd import Fit
from sortija.core.groups.null_models import null_figures
from sortija.core.groups.recipe import Method, Prepared, Recipe, RecipeError, prepare
from sortija.core.groups.stability import DOUBTFUL
from sortija.core.groups.suggestion import SLIVER
from sortija.core.groups.sweep import Candidate, sweep
from sortija.core.groups.verdict import Verdict, judge
from sortija.core.measures.association import mid_ranks
from sortija.core.measures.preparation import Steps, propose
from sortija.core.measures.variance import eta_squared
from sortija.core.progress import Progress, silent
from sortija.core.table import Column, Table

__all__ = ["Inputs", "Kind", "Proposal", "inputs_for", "propose_groups", "telling_weights"]

Kind = Literal["what tells apart", "all alike", "a tree"]
#: A measure that so many customers lack is described, not grouped by.
MOST_MISSING = 0.1
#: Measures closer than this say the same thing twice.
SAME = 0.9
#: Traits against measures. Two customers differ in a z-score by 2 on average and by 1 in a category
#: of balance 1; and a table has many measures that overlap, but few traits (decision 0013).
TRAITS = 3.0
_ROUNDS, _STARTS, _RESAMPLED = 2, 60, 8


@dataclass(frozen=True)
class Inputs:
    """What is grouped by: ``numeric`` with its steps, ``categories``; ``left_out``: (name, why)."""

    numeric: dict[str, Steps]
    categories: tuple[str, ...]
    left_out: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Proposal:
    """One grouping that could be adopted.

    ``candidate``: the k that it stands for, of ``tried``; ``verdict``: whether they stand out
    against customers without groups; ``reasons``, ``doubts``: sentences.
    """

    kind: Kind
    recipe: Recipe
    rows: Prepared
    candidate: Candidate
    tried: tuple[Candidate, ...]
    verdict: Verdict
    reasons: tuple[str, ...]
    doubts: tuple[str, ...]


def inputs_for(
    table: Table, numbers: Sequence[str], categories: Sequence[str],
    rows: NDArray[np.bool_] | None = None, parts: Collection[str] = (),
) -> Inputs:  # fmt: skip
    """Steps for every number, and what had better be left out.

    Parts of a whole are compared by their roots (Hellinger's distance), other measures as
    :func:`preparation.propose` has it. Left out are measures that more than a tenth of the
    customers lack, and of two that say the same the later one.

    Parameters
    ----------
    parts : names of columns that are parts of a whole, such as shares by department
    """
    chosen = np.ones(len(table), np.bool_) if rows is None else rows
    kept: dict[str, Steps] = {}
    left: list[tuple[str, str]] = []
    ranks: list[tuple[str, NDArray[np.float64]]] = []
    for name in numbers:
        values = np.asarray(table[name].values, np.float64)[chosen]
        missing = float(np.isnan(values).mean())
        if missing > MOST_MISSING:
            left.append((name, f"{missing:.0%} of the customers have no value"))
            continue
        own = _ranks(values)
        twin = next((other for other, its in ranks if _alike(own, its) > SAME), None)
        if twin is not None:
            left.append((name, f"it says the same as {twin}"))
            continue
        ranks.append((name, own))
        column = Column(name, "number", values, table[name].unit)
        kept[name] = Steps(transform="root") if name in parts else propose(column)
    return Inputs(kept, tuple(categories), tuple(left))


def _ranks(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Ranks about their middle, ties at their mean; a missing value stands in the middle."""
    there = ~np.isnan(values)
    out = np.zeros(len(values))
    out[there] = mid_ranks(values[there]) - (there.sum() + 1) / 2
    return out


def _alike(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    size = float(np.sqrt((one**2).sum() * (other**2).sum()))
    return abs(float((one * other).sum())) / size if size > 0 else 0.0


def telling_weights(rows: Prepared, fits: Sequence[Fit]) -> dict[str, float]:
    """How much each column tells apart the groups of some groupings: weights about 1.

    The root of the share of a number's variance, or of a category's Gini index, that lies between
    the groups, mean over the groupings (after Witten & Tibshirani 2010, who weigh columns by what
    is between; the root lets no column rule alone).
    """
    told: dict[str, float] = {}
    for place, (name, _, _) in enumerate(rows.preparation.numeric):
        column = rows.numbers[place].astype(np.float64)
        told[name] = float(np.mean([_variance_between(column, fit) for fit in fits]))
    for place, category in enumerate(rows.preparation.categories):
        told[category.name] = float(np.mean([_gini_between(rows.codes[place], f) for f in fits]))
    told = {name: float(np.sqrt(value)) for name, value in told.items()}
    mean = sum(told.values()) / len(told)
    return {name: value / mean if mean > 0 else 1.0 for name, value in told.items()}


def _variance_between(values: NDArray[np.float64], fit: Fit) -> float:
    mean = float(values.mean())
    total = float(((values - mean) ** 2).sum())
    means = np.bincount(fit.labels, values, minlength=len(fit.counts)) / np.maximum(fit.counts, 1)
    return float(np.nan_to_num(eta_squared(fit.counts, means, mean, total)))


def _gini_between(codes: NDArray[np.uint8], fit: Fit) -> float:
    k = len(fit.counts)
    key = fit.labels.astype(np.int64) * 256 + codes
    table = np.bincount(key, minlength=k * 256).reshape(k, 256).astype(float)
    shares = table.sum(axis=0) / table.sum()
    total = 1 - float((shares**2).sum())
    own = 1 - ((table / np.maximum(fit.counts, 1)[:, None]) ** 2).sum(axis=1)
    within = float((fit.counts * own).sum() / fit.counts.sum())
    return (total - within) / total if total > 0 else 0.0


def propose_groups(
    table: Table,
    inputs: Inputs,
    rows: NDArray[np.bool_] | None = None,
    seed: int = 4107,
    ks: Sequence[int] = tuple(range(2, 12)),
    engine: Engine | None = None,
    progress: Progress = silent,
    enough: Callable[[], bool] = lambda: False,
    known: Collection[str] = (),
    population: Callable[[int, int], Table | None] | None = None,
) -> Iterator[Proposal]:
    """Each proposal as soon as it is there; the first is the one that tells apart most.

    Parameters
    ----------
    enough : callable
        Asked between proposals: True when the time is up, and no further kind is tried.
    known : collection of kinds
        Those that are there from before and need not be tried again.
    population : callable
        Measures of simulated customers of one kind (:func:`nulls.null_figures`).

    Raises
    ------
    RecipeError
        Nothing varies, or too few customers have every measure.
    """
    engine = engine or Engine(1)
    method: Method = "k-means" if not inputs.categories else "k-prototypes"
    if not inputs.numeric:
        method = "k-modes"
    # What tells apart is found by weighing; relevance on top would weigh twice.
    plain = Recipe(inputs.numeric, inputs.categories, method=method, seed=seed, starts=_STARTS,
                   relevance=False)  # fmt: skip
    weighed = _weighed(table, plain, rows, ks, engine, progress)
    for kind, recipe in (
        ("what tells apart", weighed),
        ("all alike", plain),
        ("a tree", replace(weighed, method="hierarchical")),
    ):
        if kind in known:
            continue
        yield _proposal(kind, table, recipe, rows, ks, engine, progress, population)  # type: ignore[arg-type]
        if enough():
            return


def _weighed(
    table: Table, plain: Recipe, rows: NDArray[np.bool_] | None, ks: Sequence[int],
    engine: Engine, progress: Progress,
) -> Recipe:  # fmt: skip
    """The plain recipe with columns weighed by what they tell apart, both kinds alike."""
    even = replace(plain, balance=TRAITS if plain.categories and plain.numeric else 1.0)
    unweighed = prepare(table, even, rows)
    recipe, fitted = even, unweighed
    finer = [k for k in ks if k > max(ks) / 2]  # few groups differ in few columns
    for number in range(_ROUNDS):
        progress("weighing what tells apart", number, _ROUNDS)
        fits = _fits(grouper(fitted, recipe, engine, progress), finer)
        if not fits:
            return even
        recipe = replace(even, weights=telling_weights(unweighed, fits))
        fitted = prepare(table, recipe, rows)
    return recipe


def _fits(make: Grouper, ks: Sequence[int]) -> list[Fit]:
    """Groupings into as many of ``ks`` as the rows allow."""
    out = []
    for k in ks:
        try:
            out.append(make(k, settled=False))
        except RecipeError:
            break
    return out


def _proposal(
    kind: Kind, table: Table, recipe: Recipe, chosen: NDArray[np.bool_] | None,
    ks: Sequence[int], engine: Engine, progress: Progress,
    population: Callable[[int, int], Table | None] | None,
) -> Proposal:  # fmt: skip
    rows = prepare(table, recipe, chosen)
    make = grouper(rows, recipe, engine, progress)
    there = [fit_k for fit_k in ks if fit_k < len(rows)]
    tried = list(sweep(rows, there, recipe, engine, progress, make=make, starts=_RESAMPLED))
    ks, own = [c.k for c in tried], ([c.silhouette for c in tried], [c.valley for c in tried])
    without = null_figures(rows, ks, recipe, engine, progress, population, own)
    verdict = judge(ks, *own, without)
    best = _clearest(tried, _bounds(without))
    settled = make(best.k)
    candidate = replace(best, fit=settled) if not best.fit.settled else best
    return Proposal(kind, recipe, rows, candidate, tuple(tried), verdict,
                    _reasons(kind, candidate, recipe), _doubts(candidate, tried, verdict, rows,
                                                               len(table) if chosen is None
                                                               else int(chosen.sum())))  # fmt: skip


def _bounds(without: Mapping[str, NDArray[np.float64]]) -> NDArray[np.float64]:
    """(K,) the largest silhouette of any table without groups at each k; −1 where there is none."""
    every = np.concatenate([tables[0] for tables in without.values()])
    return np.asarray(np.where(np.isnan(every), -1.0, every).max(axis=0, initial=-1.0))


def _clearest(tried: Sequence[Candidate], bounds: NDArray[np.float64]) -> Candidate:
    """Of those whose groups all come back and are no slivers, the one whose silhouette is the
    largest multiple of what as many groups of customers without any reach.

    Silhouettes fall with k whether or not there are groups, and splits of a round group come back
    too; against tables without groups both are told apart from groups that are there. Where none
    holds, the one that comes back most.
    """
    good = [i for i, c in enumerate(tried) if c.weakest >= DOUBTFUL and c.smallest >= SLIVER]
    if good:
        times = [tried[i].silhouette / max(float(bounds[i]), 0.01) for i in good]
        return tried[good[int(np.argmax(times))]]
    return max(tried, key=lambda c: (c.steady, -c.k))


def _reasons(kind: Kind, candidate: Candidate, recipe: Recipe) -> tuple[str, ...]:
    first = {
        "what tells apart": "Measures and traits that tell groups apart count more, the others "
        "less; traits count like several measures.",
        "all alike": "Everything that was picked counts alike.",
        "a tree": "Joined step by step by Ward's rule, so that fewer groups are unions of these.",
    }[kind]
    out = [first]
    if candidate.weakest >= DOUBTFUL:
        out.append(
            f"With {candidate.k} groups customers stand clearest apart, against as many groups of "
            f"customers without any; each comes back in at least {candidate.weakest:.0%} of "
            "resamplings."
        )
    heavy = sorted(recipe.weights.items(), key=lambda each: -each[1])[:3]
    if heavy and heavy[0][1] > 1:
        out.append(f"Most is told by {', '.join(name for name, _ in heavy)}.")
    return tuple(out)


def _doubts(
    candidate: Candidate, tried: Sequence[Candidate], verdict: Verdict, rows: Prepared, among: int
) -> tuple[str, ...]:
    out = []
    if verdict.level != "holds":
        clear = "Barely a grouping" if verdict.level == "barely" else "No clear grouping"
        out.append(f"{clear}: these customers are hardly told from {verdict.unlike}.")
    if candidate.weakest < DOUBTFUL:
        out.append(f"A group comes back in only {candidate.weakest:.0%} of resamplings.")
    if candidate.smallest < SLIVER:
        out.append(f"The smallest group has {candidate.smallest:.1%} of the customers.")
    if len(rows) < among:
        out.append(f"{among - len(rows):,} customers lack a measure and have no group.")
    if candidate.fit.moved > 0.1:
        out.append(f"{candidate.fit.moved:.0%} changed group to be with their nearest centre.")
    return tuple(out)
