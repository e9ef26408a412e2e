"""A recipe in sentences: all that decides a grouping, for whoever reads it later."""

from __future__ import annotations

from collections.abc import Mapping

from sortija.core.groups.recipe import Recipe
from sortija.core.measures.preparation_words import steps_in_words

__all__ = ["recipe_in_words"]


def recipe_in_words(recipe: Recipe, labels: Mapping[str, str]) -> list[str]:
    """One sentence a column and one a choice; ``labels``: how columns are called."""

    def called(name: str) -> str:
        return labels.get(name, name.removeprefix("trait:"))

    def weighed(name: str) -> str:
        return "" if recipe.weight(name) == 1 else f", × {recipe.weight(name):g}"

    out = [
        f"{called(name)}{weighed(name)}: {steps_in_words(steps)}."
        for name, steps in recipe.numeric.items()
    ]
    out += [f"{called(name)}{weighed(name)}: as a category." for name in recipe.categories]
    if recipe.categories and recipe.numeric:
        out.append(f"Balance of categories and numbers {recipe.balance:g}.")
    if recipe.categories and recipe.relevance and not recipe.gower:
        out.append("Categories weigh by what they have to do with the other columns.")
    if recipe.pool > 0:
        out.append(f"Values of less than {recipe.pool:.0%} are pooled.")
    out.append(_method(recipe))
    if recipe.centres:
        out.append(f"{len(recipe.centres)} groups began with centres that were written:")
        for number, centre in enumerate(recipe.centres, 1):
            told = ", ".join(f"{called(name)} {_value(value)}" for name, value in centre.items())
            out.append(f"{number}. {told}.")
    return out


def _value(value: float | str) -> str:
    return value or "not given" if isinstance(value, str) else f"{value:.6g}"


def _method(recipe: Recipe) -> str:
    if recipe.method == "hierarchical":
        by = "Gower's distance" if recipe.gower else "squared distance"
        return f"Hierarchical, {recipe.linkage} linkage by {by}. Seed {recipe.seed}."
    if recipe.method == "k-medoids":
        return f"k-medoids by Gower's distance, {recipe.starts} starts. Seed {recipe.seed}."
    seeds = "dense rows" if recipe.seeding == "dense" else "rows far apart"
    return (
        f"{recipe.method}, {recipe.starts} starts from {seeds}, at most {recipe.passes:,} passes. "
        f"Seed {recipe.seed}."
    )
