"""What a grouping is made from: the draft recipe, and the table it is followed on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

from pydantic import BaseModel, Field

from sortija.core.groups.recipe import MOST_PASSES, Method, Recipe
from sortija.core.measures.preparation import Steps
from sortija.core.table import Table
from sortija.server.measures.actions import Plan, plan_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import StepsBody
from sortija.server.measures.plan import prepared_steps, role_of
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.contract import WHOLE
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = [
    "Draft",
    "Inputs",
    "change_draft",
    "chosen",
    "draft_of",
    "groupable",
    "inputs_from",
    "inputs_of",
    "method_of",
    "steps_of",
    "table_for",
]

RECIPE_SETTING = "groups.recipe"
VERSION = 5


class Draft(BaseModel):
    """The recipe as the analyst sees it; None: what is proposed.

    ``method`` empty: k-means for numbers, k-prototypes with categories, k-modes without numbers.
    ``weights``: by name, 1 where not given; ``steps``: preparations that this recipe has otherwise
    than Measures; ``relevance``: categories count by what they have to do with other columns;
    ``least``, ``most``: the smallest k and the largest; ``passes``: after so many a start ends;
    ``centres``: by column and in its unit, what as many groups begin with; ``gap``: the gap
    statistic too.
    """

    model_config = WHOLE

    numeric: list[str] | None = None
    categories: list[str] | None = None
    weights: dict[str, float] = Field(default_factory=dict)
    steps: dict[str, StepsBody] = Field(default_factory=dict)
    balance: float = Field(1.0, ge=0.0, le=5.0)
    method: Literal[
        "", "k-means", "k-prototypes", "k-modes", "hierarchical", "k-medoids"
    ] = ""  # fmt: skip
    linkage: Literal["ward", "average", "complete", "single"] = "ward"
    distance: Literal["euclidean", "gower"] = "euclidean"
    seeding: Literal["far", "dense"] = "far"
    pool: float = Field(0.0, ge=0.0, le=0.2)
    relevance: bool = True
    seed: int = Field(4107, ge=0, lt=2**31)
    starts: int = Field(10, ge=1, le=50)
    least: int = Field(2, ge=1, le=20)
    most: int = Field(8, ge=2, le=20)
    passes: int = Field(MOST_PASSES, ge=1, le=1000)
    centres: list[dict[str, float | str]] | None = Field(None, max_length=20)
    gap: bool = False


@dataclass(frozen=True)
class Inputs:
    """A recipe that can be followed now, and the digest of all that decides its result."""

    recipe: Recipe
    stamp: str
    kin: str


def draft_of(study: Study) -> tuple[Draft, int]:
    """(draft, revision)."""
    value, revision = read_setting(study, RECIPE_SETTING, {})
    return Draft(**value), revision


def change_draft(study: Study, person: Any, draft: Draft, expected: int | None) -> int:
    """Choose another recipe; nothing is run by that.

    Raises
    ------
    Problem
        A weight below 0, or not finite; a smallest k above the largest; centres of a number of
        groups that is not asked for.
    """
    if draft.least > draft.most:
        raise Problem(f"From {draft.least} to {draft.most} groups there is none. Swap the two.")
    own = len(draft.centres or [])
    if own and not max(draft.least, 1) <= own <= draft.most:
        raise Problem(
            f"You gave {own} centres, and {draft.least} to {draft.most} groups are made. "
            f"Make {own} one of them."
        )
    for name, weight in draft.weights.items():
        if not 0 <= weight <= 1000:
            raise Problem(f"{name} cannot weigh {weight}. Weights are 0 to 1,000.")
    return change_setting(
        study, person, RECIPE_SETTING, draft.model_dump(), "Changed the recipe", {}, expected
    )


def groupable(made: MeasureSet) -> list[str]:
    """Traits that can shape groups as categories; the numbers among them are measures."""
    return [name for name, source in made.others.items() if source.kind == "category"]


def chosen(study: Study, made: MeasureSet, draft: Draft) -> tuple[list[str], list[str]]:
    """(measures, traits) that the draft names; those that Measures says shape the groups where
    it names none."""
    plan, _ = plan_of(study)
    shaping = [name for name in made.sources if role_of(made, plan, name) == "shapes"]
    there = groupable(made)
    numbers = [name for name, source in made.sources.items() if source.kind == "number"]
    numeric = [n for n in (shaping if draft.numeric is None else draft.numeric) if n in numbers]
    wanted = draft.categories
    categories = shaping if wanted is None else [f"trait:{name}" for name in wanted]
    return numeric, [c.removeprefix("trait:") for c in categories if c in there]


def inputs_of(study: Study, made: MeasureSet) -> Inputs:
    """The present recipe, and what its result would be made from.

    Raises
    ------
    Problem
        Nothing is picked.
    """
    draft, _ = draft_of(study)
    plan, _ = plan_of(study)
    numeric, categories = chosen(study, made, draft)
    if not numeric and not categories:
        raise Problem("Pick at least one measure or trait to group by.")
    recipe = Recipe(
        numeric={name: steps_of(made, plan, draft, name) for name in numeric},
        categories=tuple(f"trait:{name}" for name in categories),
        weights=_weights(draft, numeric, categories),
        balance=draft.balance,
        method=method_of(draft, numeric, categories),
        seed=draft.seed,
        starts=draft.starts,
        linkage=draft.linkage,
        distance=draft.distance,
        seeding=draft.seeding,
        pool=draft.pool,
        relevance=draft.relevance,
        passes=draft.passes,
    )
    if recipe.method not in ("hierarchical", "k-medoids"):
        recipe = replace(recipe, centres=_own_centres(draft, numeric, categories))
    return inputs_from(made, recipe)


def _own_centres(
    draft: Draft, numeric: list[str], categories: list[str]
) -> tuple[dict[str, float | str], ...]:
    """The draft's centres in the columns that are picked.

    Raises
    ------
    Problem
        A column was picked since, and a centre has nothing in it.
    """
    names = [*numeric, *(f"trait:{name}" for name in categories)]
    for number, centre in enumerate(draft.centres or [], 1):
        lacks = next((name for name in names if name not in centre), None)
        if lacks is not None:
            raise Problem(
                f"Your centre {number} has nothing in {lacks.removeprefix('trait:')}, which was "
                "picked since. Write it there, or begin with seeded starts."
            )
    return tuple({name: centre[name] for name in names} for centre in draft.centres or [])


def inputs_from(made: MeasureSet, recipe: Recipe) -> Inputs:
    """What the result of a recipe would be made from, whoever wrote it."""
    used = [*recipe.numeric, *recipe.categories]
    stamps = {name: made.source(name).stamp for name in used if name not in made.derived}
    data = recipe.as_json()
    stamp = fingerprint("groups", VERSION, made.stamp, stamps, data)
    kept = ("numeric", "categories", "weights", "balance", "pool", "relevance")
    columns = {key: data[key] for key in kept}
    kin = fingerprint("kin", made.stamp, stamps, columns, recipe.gower)
    return Inputs(recipe, stamp, kin)


def steps_of(made: MeasureSet, plan: Plan, draft: Draft, name: str) -> Steps:
    """The preparation of a measure: the recipe's own, else that of Measures."""
    own = draft.steps.get(name)
    return Steps(**own.model_dump()) if own else prepared_steps(made, plan, name)


def method_of(draft: Draft, numeric: list[str], categories: list[str]) -> Method:
    """The method asked for, or the one that fits what is picked."""
    if draft.method:
        return draft.method
    if not numeric:
        return "k-modes"
    return "k-prototypes" if categories and draft.balance > 0 else "k-means"


def _weights(draft: Draft, numeric: list[str], categories: list[str]) -> dict[str, float]:
    names = {name: name for name in numeric} | {name: f"trait:{name}" for name in categories}
    return {names[n]: w for n, w in draft.weights.items() if n in names and w != 1}


def table_for(study: Study, made: MeasureSet, names: list[str]) -> Table:
    """The columns called ``names`` (measures, and traits as ``trait:…``) of every customer.

    Raises
    ------
    Problem
        A trait is no longer there.
    """
    gone = next((name for name in names if name not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study.")
    return Table(tuple(made.column(name) for name in names))
