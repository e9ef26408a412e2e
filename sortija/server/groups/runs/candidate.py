"""One candidate looked at closer: each group in a line, and what the balance would change."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.grouping import group
from sortija.core.groups.lloyd import Fit, lloyd
from sortija.core.groups.recipe import Prepared, Recipe, RecipeError, prepare
from sortija.core.portraits.profile import category_profile, numeric_profile
from sortija.core.sampling import SEED, sample_rows
from sortija.core.table import Table
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import inputs_of, table_for
from sortija.server.jobs.models import Job
from sortija.server.ledger.customers.traits import said, words_of_values
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.http import JobRow, job_row
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = ["BalancePage", "CandidatePage", "balance_page", "candidate_page"]

TELLING = 3
STOPS = (0.0, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0, 4.0)
_SAMPLE, _STARTS = 1_200, 6
#: At a balance of 0 categories would be dropped; the picture is to keep them in sight.
_NEXT_TO_NOTHING = 1e-9


class Trait(BaseModel):
    """What sets a group apart: a measure's mean and deviation in SD, or a level's share."""

    name: str
    label: str
    unit: str
    level: str
    here: float
    everyone: float
    strength: float


class GroupLine(BaseModel):
    """A group before anybody named it."""

    group: int
    customers: int
    money: int
    stability: float
    silhouette: float | None
    error_share: float | None
    traits: list[Trait]


class CandidatePage(BaseModel):
    """``job``: a hundred resamplings that are under way."""

    id: int
    k: int
    field: str
    resampled: int
    moved: float
    refusal: str
    groups: list[GroupLine]
    job: JobRow | None


def candidate_page(study: Study, made: MeasureSet, grouping: Grouping) -> CandidatePage:
    """The groups of a candidate, each in a line."""
    codes = np.zeros(made.size, np.int32)
    column = np.asarray(read_column(grouping.labels).values)[: made.size]
    codes[: len(column)] = column
    result, k = grouping.outcome, grouping.k
    money = np.bincount(codes, made.money, minlength=k + 1)
    content = made.content([*grouping.recipe["numeric"], *grouping.recipe["categories"]])
    words = tuple(
        (name, tuple(sorted(words_of_values(study, name).items())))
        for name in grouping.recipe["categories"]
    )
    key = (grouping.labels.token, made.stamp, content, words)
    traits = _traits(Keyed(key, (made, grouping)))
    errors = result.error_shares or [None] * k
    job = Job.objects.filter(
        study=study.pk, kind="groups.open", key=str(grouping.pk), state__in=Job.OPEN
    ).first()
    return CandidatePage(
        id=grouping.pk, k=k, field=f"grouping:{grouping.pk}",
        resampled=result.resampled, moved=result.moved,
        refusal=result.refusal, job=job_row(job) if job else None,
        groups=[
            GroupLine(
                group=g + 1, customers=result.counts[g], money=round(money[g + 1]),
                stability=result.comes_back[g], silhouette=result.silhouettes[g],
                error_share=errors[g], traits=traits[g],
            )
            for g in range(k)
        ],
    )  # fmt: skip


@remembered
def _traits(key: Keyed[tuple[MeasureSet, Grouping]]) -> list[list[Trait]]:
    made, grouping = key.value
    k, recipe = grouping.k, grouping.recipe
    groups = np.full(made.size, k)
    codes = np.asarray(read_column(grouping.labels).values)[: made.size]
    groups[: len(codes)] = np.where(codes > 0, codes - 1, k)
    found: list[list[Trait]] = [[] for _ in range(k)]
    for name in recipe["numeric"]:
        if name not in made.sources:
            continue
        about = made.about(name)
        profile = numeric_profile(np.asarray(made.column(name).values), groups, k)
        for g in range(k):
            if np.isfinite(profile.deviations[g]):
                found[g].append(Trait(
                    name=name, label=about.label, unit=about.unit, level="",
                    here=float(profile.means[g]), everyone=float(profile.everyone_mean),
                    strength=float(profile.deviations[g]),
                ))  # fmt: skip
    for name in recipe["categories"]:
        if name not in made.sources:
            continue
        column = made.column(name)
        told = category_profile(np.asarray(column.values), len(column.levels), groups, k)
        levels = ("not given", *said(made.study, name, column.levels))
        for g, level in enumerate(told.telling):
            usual, here = float(told.everyone[level]), float(told.shares[g, level])
            spread = float(np.sqrt(usual * (1 - usual)))
            if np.isfinite(here) and spread > 0:
                found[g].append(Trait(
                    name=name, label=made.about(name).label, unit="share", level=levels[level],
                    here=here, everyone=usual, strength=(here - usual) / spread,
                ))  # fmt: skip
    return [sorted(traits, key=lambda t: -abs(t.strength))[:TELLING] for traits in found]


class BalanceStop(BaseModel):
    """One place of the slider: which share of the distances categories decide, in percent, and
    how many of the customers looked at would be in another group than now."""

    balance: float
    categories: int
    moved: int


class RelevanceRow(BaseModel):
    """A category: what its weight is multiplied by, in percent, and why."""

    name: str
    percent: int
    words: str


class BalancePage(BaseModel):
    """``customers``: how many were looked at, drawn at random, in ``k`` groups; ``stops`` are
    there where numbers and categories are picked, ``relevance`` where it weighs."""

    k: int
    customers: int
    stops: list[BalanceStop]
    relevance: list[RelevanceRow]


def balance_page(study: Study, made: MeasureSet, k: int) -> BalancePage:
    """What each place of the slider would change, on a sample."""
    if not 2 <= k <= 20:
        raise Problem("Ask for 2 to 20 groups.")
    inputs = inputs_of(study, made)
    if not inputs.recipe.categories:
        raise Problem("A balance is between numbers and categories. Pick a trait.")
    return _balanced(Keyed((inputs.stamp, k), (study, made, inputs.recipe)))


@remembered
def _balanced(key: Keyed[tuple[Study, MeasureSet, Recipe]]) -> BalancePage:
    study, made, recipe = key.value
    k = int(key.key[1])  # type: ignore[index]
    rows = sample_rows(np.flatnonzero(made.present), _SAMPLE, SEED)
    table = table_for(study, made, [*recipe.numeric, *recipe.categories]).taken(rows)
    light = replace(recipe, starts=_STARTS, method="k-prototypes")
    try:
        if not recipe.numeric:
            prepared = prepare(table, recipe)
            return BalancePage(
                k=k, customers=len(prepared), stops=[], relevance=_relevance(made, prepared)
            )
        present = replace(light, balance=max(recipe.balance, _NEXT_TO_NOTHING))
        now = group(prepare(table, present), k, light)
        stops = [_stop(stop, table, light, now) for stop in STOPS]
    except RecipeError as problem:
        raise Problem(str(problem)) from problem
    return BalancePage(
        k=k, customers=len(now.labels), stops=stops,
        relevance=_relevance(made, prepare(table, present)),
    )  # fmt: skip


def _relevance(made: MeasureSet, rows: Prepared) -> list[RelevanceRow]:
    """What each category's weight is multiplied by, in the words that people know columns by."""

    def label(name: str) -> str:
        return made.about(name).label if name in made.sources else name

    out = []
    for category in rows.preparation.categories:
        if (found := category.relevance) is not None:
            same = tuple(label(name) for name in found.same)
            told = replace(found, to=label(found.to), same=same).words(label(category.name))
            percent = round(100 * found.factor)
            out.append(RelevanceRow(name=category.name, percent=percent, words=told))
    return out


def _stop(stop: float, table: Table, recipe: Recipe, now: Fit) -> BalanceStop:
    """The present groups drawn on under another balance: what moves then is the balance's doing."""
    prepared = prepare(table, replace(recipe, balance=max(stop, _NEXT_TO_NOTHING)))
    found = lloyd(prepared, now.centres)
    moved = int((found.labels != now.labels).sum())
    return BalanceStop(balance=stop, categories=round(100 * _decided(prepared)), moved=moved)


def _decided(rows: Prepared) -> float:
    """Share of the mean D of two customers that categories make: Σγ(1 − Σp²) of the whole."""
    numbers = 2 * float(rows.numbers.astype(np.float64).var(axis=1).sum())
    apart = 0.0
    for codes, gamma in zip(rows.codes, rows.gammas.astype(np.float64), strict=True):
        shares = np.bincount(codes) / max(len(codes), 1)
        apart += gamma * (1 - float((shares**2).sum()))
    return apart / (numbers + apart) if numbers + apart > 0 else 0.0
