"""Bands, groups and places in a notebook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from sortija.cli.engines import engine_for
from sortija.cli.files import read_text
from sortija.cli.group import placed_table
from sortija.cli.score import with_scores
from sortija.cli.terminal import Trouble
from sortija.core.engine import Engine
from sortija.core.formats.measures import MeasureFile, MeasureFileError
from sortija.core.formats.pmml import write_pmml
from sortija.core.formats.recipes import RecipeFileError, read_recipe, write_recipe
from sortija.core.groups.assignment import (
    FrozenGrouping,
    centres_in_own_units,
    freeze,
    placed_rows,
)
from sortija.core.groups.grouping import Grouper, grouper
from sortija.core.groups.lloyd import nearest_centres
from sortija.core.groups.null_models import null_figures
from sortija.core.groups.recipe import Method, Prepared, Recipe, RecipeError, prepare
from sortija.core.groups.suggestion import Suggestion, suggest
from sortija.core.groups.sweep import Candidate, sweep
from sortija.core.groups.verdict import judge
from sortija.core.measures.preparation import Steps
from sortija.core.scores.recipe import Asked, FrozenScore, ScoreError, fit_score
from sortija.core.scores.recipe import score as score_table
from sortija.notebook.frames import measures_in, of_the_kind
from sortija.notebook.progress import Bar

__all__ = ["Grouping", "Tried", "group", "place", "score"]


def score(
    table: Any, by: Mapping[str, str] | FrozenScore, bands: int = 5,
    weights: Mapping[str, float] | None = None, cuts: Mapping[str, Sequence[float]] | None = None,
) -> Any:  # fmt: skip
    """The table with a band a measure, the code and the total.

    Parameters
    ----------
    by : measure → the better end, ``"high"`` or ``"low"``
    cuts : own cuts of a measure, rising

    Raises
    ------
    Trouble
        A column is not there, an end is none, or cuts do not rise.

    >>> visits = {"customer": ["A", "B", "C", "D"], "visits": [1, 2, 7, 9]}
    >>> score(visits, {"visits": "high"}, bands=2)["visits_band"].to_pylist()
    [1, 1, 2, 2]
    """
    file = measures_in(table)
    try:
        if isinstance(by, FrozenScore):
            frozen = by
        else:
            asked = tuple(_asked(n, end, bands, weights or {}, cuts or {}) for n, end in by.items())
            frozen = fit_score(file.table(tuple(by)), asked)
        names = tuple(name for name, _, _ in frozen.measures)
        found = score_table(file.table(names), frozen)
    except (ScoreError, MeasureFileError) as problem:
        raise Trouble(str(problem)) from problem
    return of_the_kind(table, with_scores(file, frozen, found))


def _asked(
    name: str, end: str, bands: int, weights: Mapping[str, float],
    cuts: Mapping[str, Sequence[float]],
) -> Asked:  # fmt: skip
    if end not in ("high", "low"):
        raise Trouble(f"{name}: the better end is high or low, not {end!r}.")
    own = tuple(float(value) for value in cuts.get(name, ()))
    kind: Any = "own cuts" if own else "equal customers"
    return Asked(name, end == "high", bands, weights.get(name, 1.0), kind, own)


@dataclass(frozen=True)
class Grouping:
    """Groups of a table: ``segments``: customer, segment, distance, margin; ``centres``: in the
    columns' own units; ``frozen``: all that placing takes."""

    frozen: FrozenGrouping
    segments: Any
    centres: Any

    @property
    def k(self) -> int:
        return self.frozen.k

    def write(self, path: str | Path) -> None:
        """Write the recipe, or PMML where the path ends in ``.pmml`` or ``.xml``."""
        path = Path(path)
        pmml = path.suffix in (".pmml", ".xml")
        path.write_text(write_pmml(self.frozen) if pmml else write_recipe(self.frozen), "utf-8")

    def __repr__(self) -> str:
        sizes = ", ".join(f"{n:,}" for n in self.frozen.counts.tolist())
        return f"{self.k} groups by {self.frozen.recipe.method}: {sizes} customers"


class Tried:
    """Several numbers of groups: ``table`` of how well each holds, ``said`` of which the figures
    speak for; ``tried[k]`` is that grouping."""

    def __init__(
        self, table: Any, file: MeasureFile, rows: Prepared, recipe: Recipe, make: Grouper,
        found: Sequence[Candidate], said: Suggestion,
    ) -> None:  # fmt: skip
        self._of, self._file, self._rows, self._recipe, self._make = table, file, rows, recipe, make
        self.said = said
        self.table = of_the_kind(table, pa.table({
            "k": [c.k for c in found], "cost": [c.fit.cost for c in found],
            "silhouette": [_known(c.silhouette) for c in found],
            "weakest": [c.weakest for c in found], "smallest": [c.smallest for c in found],
        }))  # fmt: skip

    @property
    def k(self) -> int | None:
        """The number that the figures speak for; None where none stands out."""
        return self.said.k

    def __getitem__(self, k: int) -> Grouping:
        return _grouping(self._of, self._file, self._rows, self._recipe, self._make, k)

    def __repr__(self) -> str:
        return self.said.words


def _known(value: float) -> float | None:
    return None if np.isnan(value) else value


def group(
    table: Any, numeric: Sequence[str] = (), category: Sequence[str] = (), *,
    k: int | tuple[int, int] = (2, 9), log: Sequence[str] = (), root: Sequence[str] = (),
    steps: Mapping[str, Steps] | None = None, weights: Mapping[str, float] | None = None,
    method: Method | None = None, balance: float = 1.0, seed: int = 4107, starts: int = 10,
    passes: int = 300, centres: Sequence[Mapping[str, float | str]] = (), **more: Any,
) -> Grouping | Tried:  # fmt: skip
    """Group a table's customers into ``k``, or try several and see which number holds.

    Parameters
    ----------
    k : how many, or the fewest and the most to try
    log, root : columns to bend; ``steps`` : the whole preparation of a column
    centres : in own units, what as many groups begin with
    more : ``linkage``, ``distance``, ``seeding``, ``pool``, ``relevance``

    Raises
    ------
    Trouble
        Nothing varies, a column is not there, or too few rows differ.

    >>> shop = {"customer": [f"C{n}" for n in range(20)],
    ...         "visits": [1, 2] * 6 + [30, 31] * 4}
    >>> group(shop, ["visits"], k=2)
    2 groups by k-means: 12, 8 customers
    """
    file, watch = measures_in(table), Bar()
    engine = engine_for(watch)
    own = {name: Steps(transform=_bend(name, log, root)) for name in numeric} | dict(steps or {})
    guess: Method = "k-means" if not category else "k-modes" if not numeric else "k-prototypes"
    try:
        recipe = Recipe(
            {name: own[name] for name in numeric}, tuple(category), dict(weights or {}), balance,
            method or guess, seed, starts, passes=passes, centres=tuple(centres), **more,
        )  # fmt: skip
        rows = prepare(file.table(tuple(numeric), tuple(category)), recipe)
        make = grouper(rows, recipe, engine, watch)
        if isinstance(k, int):
            return _grouping(table, file, rows, recipe, make, k)
        ks = [each for each in range(k[0], k[1] + 1) if each < len(rows)]
        found = list(sweep(rows, ks, recipe, engine, watch, make=make))
        return Tried(
            table, file, rows, recipe, make, found, _suggested(rows, found, recipe, engine)
        )
    except (RecipeError, MeasureFileError) as problem:
        raise Trouble(str(problem)) from problem
    finally:
        engine.release()
        watch.clear()


def _bend(name: str, log: Sequence[str], root: Sequence[str]) -> Any:
    return "log" if name in log else "root" if name in root else "none"


def _suggested(
    rows: Prepared, found: Sequence[Candidate], recipe: Recipe, engine: Engine
) -> Suggestion:
    several = [c for c in found if c.k > 1]
    ks = [c.k for c in several]
    own = [c.silhouette for c in several], [c.valley for c in several]
    verdict = judge(ks, *own, null_figures(rows, ks, recipe, engine, own=own))
    return suggest(ks, own[0], [c.weakest for c in several], [c.smallest for c in several], verdict)


def _grouping(
    table: Any, file: MeasureFile, rows: Prepared, recipe: Recipe, make: Grouper, k: int
) -> Grouping:
    try:
        fit = make(k)
    except RecipeError as problem:
        raise Trouble(str(problem)) from problem
    frozen = freeze(rows, fit, recipe)
    placed = nearest_centres(rows, fit.centres)
    values = placed_rows(
        rows, len(file), placed.labels, placed.distance.astype(np.float64), placed.margin
    )
    units = centres_in_own_units(frozen)
    middles = pa.table({
        "segment": list(range(1, frozen.k + 1)), "customers": frozen.counts.tolist(),
        **{name: [each[name] for each in units] for name in frozen.preparation.names},
    })  # fmt: skip
    return Grouping(
        frozen, of_the_kind(table, placed_table(file, values)), of_the_kind(table, middles)
    )


def place(table: Any, by: Grouping | FrozenGrouping | str | Path) -> Any:
    """Customers of any date by a grouping, or by the file of its recipe.

    Raises
    ------
    Trouble
        A column is not there, or the file is no recipe.

    >>> shop = {"customer": [f"C{n}" for n in range(20)],
    ...         "visits": [1, 2] * 6 + [30, 31] * 4}
    >>> two = group(shop, ["visits"], k=2)
    >>> place({"customer": ["X"], "visits": [29]}, two)["segment"].to_pylist()
    [2]
    """
    file, frozen = measures_in(table), _frozen(by)
    categories = [category.name for category in frozen.preparation.categories]
    donors = frozen.preparation.donors
    if donors is not None:
        categories = list(dict.fromkeys([*categories, *(name for name, _ in donors.categories)]))
    numeric = tuple(name for name, _, _ in frozen.preparation.numeric)
    try:
        found = frozen.place(file.table(numeric, tuple(categories)))
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    return of_the_kind(table, placed_table(file, found))


def _frozen(by: Grouping | FrozenGrouping | str | Path) -> FrozenGrouping:
    if isinstance(by, Grouping):
        return by.frozen
    if isinstance(by, FrozenGrouping):
        return by
    try:
        return read_recipe(read_text(Path(by)))
    except RecipeFileError as problem:
        raise Trouble(f"{by}: {problem}") from problem
