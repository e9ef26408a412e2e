"""The groups in use as a model to take away, and a file placed by them without coming in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa

from sortija.core.formats.measures import (
    KEY,
    MeasureFile,
    MeasureFileError,
    TableKind,
    as_bytes,
    read_measures,
    whole_ids,
)
from sortija.core.formats.pmml import PmmlError, write_pmml
from sortija.core.formats.recipes import write_recipe
from sortija.core.groups.assignment import FrozenGrouping
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Recipe
from sortija.core.labels import heading
from sortija.core.measures.catalogue import MEASURES
from sortija.core.scores.ladder import Ladder
from sortija.core.scores.recipe import ScoreError, score, write_score
from sortija.core.table import Table
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.lens.evaluation import ENGINE
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["PlacedFile", "frozen_of", "model_file", "place_file"]

#: Larger files are placed at a terminal, by the same recipe.
MOST_BYTES = 200 << 20


def _in_use(study: Study) -> Yardstick:
    """The yardstick in use; a problem where there is none."""
    yardstick = yardstick_of(study)
    if yardstick is None:
        raise Problem("Nothing is adopted yet. Adopt groups or keep a ladder first.")
    return yardstick


def frozen_of(grouping: Grouping) -> FrozenGrouping:
    """All that placing by a grouping takes, its columns called as in a file: traits by their names
    alone, unless a measure is called the same or neighbours lend values."""
    preparation = Preparation.from_json(grouping.preparation)
    frozen = FrozenGrouping(
        Recipe.from_json(grouping.recipe), preparation, Centres.from_json(grouping.centres),
        np.array(grouping.outcome.counts, np.int64), grouping.outcome.cost,
    )  # fmt: skip
    plain = [name.removeprefix("trait:") for name in preparation.names]
    if preparation.donors is not None or len(set(plain)) < len(plain):
        return frozen
    return replace(frozen, preparation=_called(preparation), recipe=_recipe_called(frozen.recipe))


def _label(name: str) -> str:
    return MEASURES[name].label if name in MEASURES else heading(_plain(name))


def _plain(name: str) -> str:
    return name.removeprefix("trait:")


def _called(preparation: Preparation) -> Preparation:
    return replace(
        preparation,
        numeric=tuple((_plain(name), fitted, w) for name, fitted, w in preparation.numeric),
        categories=tuple(replace(c, name=_plain(c.name)) for c in preparation.categories),
        dropped=tuple(_plain(name) for name in preparation.dropped),
    )


def _recipe_called(recipe: Recipe) -> Recipe:
    return replace(
        recipe,
        numeric={_plain(name): steps for name, steps in recipe.numeric.items()},
        categories=tuple(_plain(name) for name in recipe.categories),
        weights={_plain(name): weight for name, weight in recipe.weights.items()},
        centres=tuple({_plain(n): v for n, v in centre.items()} for centre in recipe.centres),
    )


def model_file(study: Study, kind: str) -> tuple[str, str]:
    """(text, ending) of the model in use: ``recipe``, which a terminal places by, or ``pmml``.

    Raises
    ------
    Problem
        Nothing is adopted, or the standard cannot say it.
    """
    yardstick = _in_use(study)
    if yardstick.grouping is None:
        if kind == "pmml":
            raise Problem("PMML is for groups. Take the ladder as a recipe.")
        return write_score(Ladder.from_json(yardstick.ladder or {}).score), "json"
    frozen = frozen_of(yardstick.grouping)
    if kind != "pmml":
        return write_recipe(frozen), "json"
    try:
        return write_pmml(frozen), "pmml"
    except PmmlError as problem:
        raise Problem(str(problem)) from problem


@dataclass(frozen=True)
class PlacedFile:
    """A file's customers with their segments, as a file; ``placed`` of ``rows`` have one."""

    data: bytes
    rows: int
    placed: int


def place_file(study: Study, path: Path, name: str, kind: TableKind) -> PlacedFile:
    """Place the rows of a table of measures by the yardstick in use; the study stays as it is.

    Columns are found by their names, or by what they are called on the screen.

    Raises
    ------
    Problem
        The file cannot be read, or lacks a column.
    """
    yardstick = _in_use(study)
    try:
        file = replace(read_measures(path), path=Path(name))
        if yardstick.grouping is None:
            number, rest = _by_ladder(file, Ladder.from_json(yardstick.ladder or {}))
        else:
            number, rest = _by_centres(file, frozen_of(yardstick.grouping))
        out = number == 0
        called = ["", *(segment.name for segment in yardstick.segments.all())]
        table = pa.table({
            KEY: whole_ids(file.customers), "segment": pa.array(number, mask=out),
            "name": pa.array([called[n] or None for n in number.tolist()], pa.string()),
            **{key: pa.array(values, mask=out) for key, values in rest.items()},
        })  # fmt: skip
        return PlacedFile(as_bytes(table, kind), len(file), int((~out).sum()))
    except (MeasureFileError, ScoreError) as problem:
        raise Problem(str(problem).replace(str(path), name)) from problem


def _by_centres(
    file: MeasureFile, frozen: FrozenGrouping
) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    preparation = frozen.preparation
    numeric = [name for name, _, _ in preparation.numeric]
    categories = [category.name for category in preparation.categories]
    if preparation.donors is not None:
        lent = [name for name, _ in preparation.donors.categories]
        categories = list(dict.fromkeys([*categories, *lent]))
    found = frozen.place(_table(file, numeric, categories), ENGINE)
    return found.segment, {"distance": found.distance, "margin": found.margin}


def _by_ladder(file: MeasureFile, ladder: Ladder) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    scored = score(_table(file, list(ladder.measures), ()), ladder.score)
    return ladder.places(scored), {"total": scored.totals}


def _table(file: MeasureFile, numeric: Sequence[str], categories: Sequence[str]) -> Table:
    """The file's columns under the names that the model has for them."""
    there = {name.casefold(): name for name in reversed(file.cells.column_names)}
    renamed = {}
    for name in (*numeric, *categories):
        ways = (name, _plain(name), _label(name))
        own = next((there[way.casefold()] for way in ways if way.casefold() in there), None)
        if own is not None:
            renamed[own] = name
    cells = file.cells.rename_columns([renamed.get(n, n) for n in file.cells.column_names])
    return replace(file, cells=cells).table(tuple(numeric), tuple(categories))
