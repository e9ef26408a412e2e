"""The string of k: one candidate a row, as the screen shows it."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.compare import cross_table
from sortija.core.groups.deviations import Deviation, most_changed
from sortija.core.groups.validity import CRITERIA, Criterion
from sortija.core.labels import heading
from sortija.core.measures.catalogue import MEASURES
from sortija.server.groups.models import Grouping
from sortija.server.ledger.customers.traits import words_of_values
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.process_cache import remembered

__all__ = ["CandidateRow", "CriterionBody", "Strand", "candidate_rows", "criteria_of"]


class Ray(BaseModel):
    """How far a group stands from everyone in a column, in standard deviations; ``level``: of a
    category the one that tells most, in words."""

    name: str
    label: str
    level: str
    by: float


class Strand(BaseModel):
    """Customers of group ``above`` who stand in group ``below`` of the next row (from 0);
    ``carried``: the column in which that group differs most from the one they leave."""

    above: int
    below: int
    customers: int
    carried: Ray | None


class CriterionBody(BaseModel):
    """A criterion that rows are compared by."""

    key: str
    label: str
    definition: str
    more_is_better: bool


_GAP = Criterion(
    "gap", "Gap", "How far the cost lies below that of even tables, Tibshirani et al. 2001.", True
)


def criteria_of(rows: list[CandidateRow]) -> list[CriterionBody]:
    """The criteria that any of these rows has, in the order in which they are shown."""
    return [
        CriterionBody(**asdict(criterion))
        for criterion in (*CRITERIA, _GAP)
        if any(row.criteria.get(criterion.key) is not None for row in rows)
    ]


class CandidateRow(BaseModel):
    """One k: customers by group, how often each comes back, and how well it holds.

    ``threads``: from this row's groups to the next row's; ``resampled``: how often it was drawn
    anew for ``stability``; ``moved``: share that changed group to be with its nearest centre;
    ``refusal``: why it cannot be adopted; ``equals``: the column that alone would group largely
    alike, in words; ``same_again``: the share that would stand in the same group had the year
    happened again, null where that is not known; ``field``: what a lens calls its groups;
    ``rays``: of each group by column, empty where it was grouped before they were told.
    """

    id: int
    k: int
    field: str
    counts: list[int]
    stability: list[float]
    resampled: int
    silhouettes: list[float | None]
    error_shares: list[float | None]
    cost: float
    cost_share: float
    silhouette: float | None
    exact: bool
    smallest: float
    weakest: float
    criteria: dict[str, float | None]
    gap_error: float | None
    moved: float
    refusal: str
    equals: str
    starred: bool
    same_again: float | None
    threads: list[Strand]
    rays: list[list[Ray]]


def _label(name: str) -> str:
    if name in MEASURES:
        return MEASURES[name].label
    return heading(name.removeprefix("trait:").replace("_", " "))


Words = dict[str, dict[str, str]]


def _ray(told: Deviation, words: Words) -> Ray:
    """``words``: of a category's levels, by its name."""
    level = words.get(told.name, {}).get(told.level, told.level)
    return Ray(name=told.name, label=_label(told.name), level=level, by=told.by)


def _deviations(grouping: Grouping) -> list[list[Deviation]]:
    return [[Deviation(*told) for told in group] for group in grouping.outcome.deviations]


def _carried(above: Grouping, below: Grouping, words: Words) -> list[Strand]:
    """Threads between two candidates with what those who go on have more or less of."""
    one, other = _deviations(above), _deviations(below)
    strands = _threads(Keyed((above.labels.token, below.labels.token), (above, below)))
    if not one or not other:
        return strands
    told = [most_changed(one[each.above], other[each.below]) for each in strands]
    return [
        each.model_copy(update={"carried": _ray(most, words) if most else None})
        for each, most in zip(strands, told, strict=True)
    ]


def _equals(told: tuple[str, float] | None) -> str:
    if told is None:
        return ""
    name, share = told
    return (
        f"These groups are largely {_label(name)}: by it alone {share:.0%} of the customers would "
        "stand in the same group."
    )


@remembered
def _threads(key: Keyed[tuple[Grouping, Grouping]]) -> list[Strand]:
    """Who stays together between two candidates."""
    above, below = key.value
    a = np.asarray(read_column(above.labels).values) - 1
    b = np.asarray(read_column(below.labels).values) - 1
    table = cross_table(a, b, above.k, below.k)
    return [
        Strand(above=int(i), below=int(j), customers=int(table[i, j]), carried=None)
        for i, j in zip(*np.nonzero(table), strict=True)
    ]


def candidate_rows(groupings: list[Grouping]) -> list[CandidateRow]:
    base = groupings[0].outcome.cost if groupings else 1.0
    traits = {name for grouping in groupings for name in grouping.recipe["categories"]}
    words = {name: words_of_values(groupings[0].study, name) for name in sorted(traits)}
    return [
        _row(grouping, groupings[place + 1] if place + 1 < len(groupings) else None, base, words)
        for place, grouping in enumerate(groupings)
    ]


def _row(grouping: Grouping, following: Grouping | None, base: float, words: Words) -> CandidateRow:
    result = grouping.outcome
    joined = following is not None and following.k == grouping.k + 1
    return CandidateRow(
        id=grouping.pk, k=grouping.k, field=f"grouping:{grouping.pk}", counts=result.counts,
        stability=result.comes_back, resampled=result.resampled,
        silhouettes=result.silhouettes, error_shares=result.error_shares,
        cost=result.cost, cost_share=result.cost / base if base else 0.0,
        silhouette=result.silhouette, exact=result.exact,
        smallest=result.smallest, weakest=result.weakest, criteria=result.criteria,
        gap_error=result.gap_error, moved=result.moved,
        refusal=result.refusal, equals=_equals(result.equals), starred=grouping.starred,
        same_again=result.same_again[0] if result.same_again else None,
        threads=_carried(grouping, following, words) if following is not None and joined else [],
        rays=[[_ray(each, words) for each in group] for group in _deviations(grouping)],
    )  # fmt: skip
