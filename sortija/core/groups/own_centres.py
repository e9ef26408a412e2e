"""Centres in the columns' own units: to begin with, and to read a grouping by."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, RecipeError
from sortija.core.measures.preparation import restore
from sortija.core.table import Column, Table

__all__ = ["Centre", "centres_from", "in_own_units"]

#: A centre by column: a number in its unit, or the level that stands for the group.
Centre = Mapping[str, float | str]
_UNSEEN = 255


def centres_from(preparation: Preparation, centres: Sequence[Centre]) -> Centres:
    """Centres that somebody wrote, prepared as the rows are.

    Columns that the preparation dropped are passed over.

    Raises
    ------
    RecipeError
        A centre lacks a column, or has a value that its column cannot have.

    >>> from sortija.core.groups.recipe import Recipe, prepare
    >>> from sortija.core.measures.preparation import Steps
    >>> visits = Table((Column("visits", "number", np.arange(1.0, 10.0)),))
    >>> rows = prepare(visits, Recipe({"visits": Steps()}))
    >>> centres_from(rows.preparation, [{"visits": 5.0}]).numbers.tolist()
    [[0.0]]
    """
    numbers = [_number(name, centres) for name, _, _ in preparation.numeric]
    categories = [_category(each.name, centres) for each in preparation.categories]
    rows = preparation.rows(Table((*numbers, *categories)))
    for place, category in enumerate(preparation.categories):
        unseen = np.flatnonzero(rows.codes[place] == _UNSEEN)
        if len(unseen):
            number = int(unseen[0])
            raise RecipeError(
                f"Centre {number + 1}: nobody has {centres[number][category.name]} in "
                f"{_plain(category.name)}. Take a value that occurs."
            )
    return Centres(np.ascontiguousarray(rows.numbers.T), np.ascontiguousarray(rows.codes.T))


def _number(name: str, centres: Sequence[Centre]) -> Column:
    values = np.empty(len(centres))
    for place, centre in enumerate(centres):
        value = centre.get(name)
        if isinstance(value, str) or value is None or not np.isfinite(value):
            raise RecipeError(f"Centre {place + 1} has no number in {name}. Give it one.")
        values[place] = value
    return Column(name, "number", values)


def _category(name: str, centres: Sequence[Centre]) -> Column:
    said = []
    for place, centre in enumerate(centres):
        if name not in centre:
            raise RecipeError(f"Centre {place + 1} has no value in {_plain(name)}. Give it one.")
        said.append(str(centre[name]))
    levels = tuple(sorted({level for level in said if level}))
    codes = [levels.index(level) + 1 if level else 0 for level in said]
    return Column(name, "category", np.array(codes, np.int32), "", levels)


def _plain(name: str) -> str:
    return name.removeprefix("trait:")


def in_own_units(preparation: Preparation, centres: Centres) -> NDArray[np.float64]:
    """(k, d) what the numbers of centres stand at, in their columns' units; bent measures are
    bent back, so that the centre of a logarithm is a geometric mean."""
    out = np.empty(centres.numbers.shape)
    for place, (_, fitted, weight) in enumerate(preparation.numeric):
        out[:, place] = restore(centres.numbers[:, place].astype(np.float64) / weight, fitted)
    return out
