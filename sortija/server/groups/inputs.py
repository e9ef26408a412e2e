"""What a grouping is made from: the draft recipe, and the table it is followed on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field

from sortija.core.groups.recipe import Recipe
from sortija.core.table import Table
from sortija.server.measures.actions import plan_of
from sortija.server.measures.made import Made
from sortija.server.measures.views import prepared_steps, role_of
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["Draft", "Inputs", "change_draft", "draft_of", "inputs_of", "table_for"]

RECIPE_SETTING = "groups.recipe"
VERSION = 2


class Draft(BaseModel):
    """The recipe as the analyst sees it; None: what is proposed."""

    numeric: list[str] | None = None
    categories: list[str] | None = None
    balance: float = Field(1.0, ge=0.0, le=5.0)
    seed: int = Field(4107, ge=0, lt=2**31)
    starts: int = Field(10, ge=1, le=50)


@dataclass(frozen=True)
class Inputs:
    """A recipe that can be followed now, and the digest of all that decides its result."""

    recipe: Recipe
    stamp: str


def draft_of(study: Study) -> tuple[Draft, int]:
    """(draft, revision)."""
    value, revision = read_setting(study, RECIPE_SETTING, {})
    return Draft(**value), revision


def change_draft(study: Study, person: Any, draft: Draft, expected: int | None) -> int:
    """Choose another recipe; nothing is run by that."""
    return change_setting(
        study, person, RECIPE_SETTING, draft.model_dump(), "Changed the recipe", {}, expected
    )


def groupable(made: Made) -> list[str]:
    """Traits that can shape groups as categories; the numbers among them are measures."""
    return [name for name, source in made.others.items() if source.kind == "category"]


def chosen(study: Study, made: Made, draft: Draft) -> tuple[list[str], list[str]]:
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


def inputs_of(study: Study, made: Made) -> Inputs:
    """The present recipe, and what its result would be made from.

    Raises
    ------
    Problem
        Nothing is picked.
    """
    draft, _ = draft_of(study)
    plan, _ = plan_of(study)
    numeric, categories = chosen(study, made, draft)
    if not numeric:
        raise Problem("Pick at least one measure to group by.")
    recipe = Recipe(
        numeric={name: prepared_steps(made, plan, name) for name in numeric},
        categories=tuple(f"trait:{name}" for name in categories),
        balance=draft.balance,
        method="k-prototypes" if categories and draft.balance > 0 else "k-means",
        seed=draft.seed,
        starts=draft.starts,
    )
    used = [*recipe.numeric, *recipe.categories]
    stamps = {name: made.source(name).stamp for name in used if name not in made.derived}
    return Inputs(recipe, fingerprint("groups", VERSION, made.stamp, stamps, recipe.as_json()))


def table_for(study: Study, made: Made, names: list[str]) -> Table:
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
