"""What decides a grouping, and its inputs prepared by frozen constants."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import WHOLE
from sortija.core.engine.parts import Part
from sortija.core.groups.relevance import Relevance, relevance_of
from sortija.core.measures.neighbours import Donors, choose_donors, fill_column
from sortija.core.measures.preparation import Fitted, Steps, apply, fit
from sortija.core.table import Column, Table

__all__ = [
    "METHODS",
    "MOST_PASSES",
    "Category",
    "Distance",
    "Linkage",
    "Method",
    "Preparation",
    "Prepared",
    "Recipe",
    "RecipeError",
    "prepare",
]

Method = Literal["k-means", "k-prototypes", "k-modes", "hierarchical", "k-medoids"]
Linkage = Literal["ward", "single", "complete", "average"]
Distance = Literal["euclidean", "gower"]
METHODS: tuple[Method, ...] = ("k-means", "k-prototypes", "k-modes", "hierarchical", "k-medoids")
#: Passes after which a start ends in any case.
MOST_PASSES = 300
_MOST_LEVELS = 250
_LEAST_SPREAD = 0.25
_LEAST_ROWS = 2


class RecipeError(ValueError):
    """A recipe that cannot be followed; the message names the column and what to do."""


@dataclass(frozen=True)
class Recipe:
    """Inputs, preparation, method and seed.

    ``numeric``: measure → its steps; ``categories``: names of categorical columns; ``weights``:
    by name, 1 where not given (0 leaves a column out); ``balance``: b of the categories' weight γ
    (0 ignores them); ``linkage`` and ``distance`` are for hierarchical, k-medoids always goes by
    Gower's distance; ``seeding``: how k-prototypes and k-modes begin, by far rows or by dense
    ones; ``pool``: levels with a smaller share of the rows become one, *other*; ``relevance``:
    whether a category counts by how much it has to do with the other columns
    (:mod:`~sortija.core.groups.relevance`); Gower's weights stay as they are given;
    ``passes``: after so many of them a start ends, settled or not; ``centres``: in the columns'
    own units (:mod:`~sortija.core.groups.own_centres`), what as many groups begin with instead of
    seeded starts, by k-means, k-prototypes and k-modes.
    """

    numeric: dict[str, Steps]
    categories: tuple[str, ...] = ()
    weights: dict[str, float] = field(default_factory=dict)
    balance: float = 1.0
    method: Method = "k-prototypes"
    seed: int = 4107
    starts: int = 10
    linkage: Linkage = "ward"
    distance: Distance = "euclidean"
    seeding: Literal["far", "dense"] = "far"
    pool: float = 0.0
    relevance: bool = True
    passes: int = MOST_PASSES
    centres: tuple[Mapping[str, float | str], ...] = ()

    @property
    def gower(self) -> bool:
        """Whether rows are compared by Gower's distance instead of D."""
        if self.method == "hierarchical":
            return self.distance == "gower"
        return self.method == "k-medoids"

    def weight(self, name: str) -> float:
        return self.weights.get(name, 1.0)

    @property
    def seeded(self) -> Recipe:
        """The same recipe from seeded starts alone: what resamplings and tables without groups
        are grouped by, so that centres of one's own vouch for nothing."""
        return replace(self, centres=())

    def without(self, name: str) -> Recipe:
        """The same recipe with one column less.

        >>> Recipe({"spend": Steps()}, ("plan",), {"plan": 2.0}).without("plan").weights
        {}
        """
        return replace(
            self,
            numeric={n: steps for n, steps in self.numeric.items() if n != name},
            categories=tuple(n for n in self.categories if n != name),
            weights={n: weight for n, weight in self.weights.items() if n != name},
        )

    def as_json(self) -> dict[str, Any]:
        data = {
            "numeric": {name: steps.__dict__ for name, steps in self.numeric.items()},
            "categories": list(self.categories), "weights": self.weights,
            "balance": self.balance, "method": self.method, "seed": self.seed,
            "starts": self.starts, "linkage": self.linkage, "distance": self.distance,
            "seeding": self.seeding, "pool": self.pool, "relevance": self.relevance,
        }  # fmt: skip
        # Only where it is otherwise: what was grouped before they could be asked for stays its own.
        if self.passes != MOST_PASSES:
            data["passes"] = self.passes
        if self.centres:
            data["centres"] = [dict(centre) for centre in self.centres]
        return data

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Recipe:
        return Recipe(
            numeric={name: Steps(**steps) for name, steps in data["numeric"].items()},
            categories=tuple(data["categories"]), weights=dict(data.get("weights", {})),
            balance=float(data.get("balance", 1.0)), method=data.get("method", "k-prototypes"),
            seed=int(data.get("seed", 4107)), starts=int(data.get("starts", 10)),
            linkage=data.get("linkage", "ward"), distance=data.get("distance", "euclidean"),
            seeding=data.get("seeding", "far"), pool=float(data.get("pool", 0.0)),
            relevance=bool(data.get("relevance", True)),
            passes=int(data.get("passes", MOST_PASSES)),
            centres=tuple(data.get("centres", ())),
        )  # fmt: skip


@dataclass(frozen=True)
class Category:
    """A categorical input: its levels (code 0 is missing, a level of its own) and weight γ.

    ``pooled``: rare levels that stand together under the code after the last level;
    ``relevance``: what γ was multiplied by and why, None where weights are fixed.
    """

    name: str
    levels: tuple[str, ...]
    gamma: float
    pooled: tuple[str, ...] = ()
    relevance: Relevance | None = None

    def label(self, code: int) -> str:
        """What a code stands for."""
        if code == 0:
            return "missing"
        return self.levels[code - 1] if code <= len(self.levels) else "other"


@dataclass(frozen=True)
class Preparation:
    """Frozen constants: enough to prepare any customer of any date in the same way.

    ``numeric``: (name, fitted, √weight) of each column that says something; ``dropped``: columns
    with a single value, left out and said so; ``donors``: whom neighbours' fills are taken from,
    None where nothing is filled so; ``gower``: numbers lie in 0..w and the distance is the sum of
    their gaps and of the γ of categories that differ (Gower 1971: the weights add up to 1).
    """

    numeric: tuple[tuple[str, Fitted, float], ...]
    categories: tuple[Category, ...]
    dropped: tuple[str, ...] = ()
    donors: Donors | None = None
    gower: bool = False

    @property
    def names(self) -> tuple[str, ...]:
        return (*(n for n, _, _ in self.numeric), *(c.name for c in self.categories))

    def as_json(self) -> dict[str, Any]:
        return {
            "numeric": [[n, f.as_json(), w] for n, f, w in self.numeric],
            "categories": [
                [
                    c.name,
                    list(c.levels),
                    c.gamma,
                    list(c.pooled),
                    c.relevance.as_json() if c.relevance else None,
                ]
                for c in self.categories
            ],
            "dropped": list(self.dropped),
            "donors": self.donors.as_json() if self.donors else None,
            "gower": self.gower,
        }

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Preparation:
        donors = data.get("donors")
        return Preparation(
            tuple((n, Fitted.from_json(f), float(w)) for n, f, w in data["numeric"]),
            tuple(
                Category(
                    n,
                    tuple(levels),
                    float(g),
                    tuple(more[0]) if more else (),
                    Relevance.from_json(more[1]) if len(more) > 1 and more[1] else None,
                )
                for n, levels, g, *more in data["categories"]
            ),
            tuple(data["dropped"]),
            Donors.from_json(donors) if donors else None,
            bool(data.get("gower", False)),
        )

    def filled(self, table: Table, fitted: Fitted, name: str, rows: NDArray[np.bool_]) -> Any:
        """The values of a column, neighbours' fills included where its steps ask for them."""
        if fitted.steps.fill == "neighbours" and self.donors is not None:
            return fill_column(self.donors, table, name, rows)
        return np.asarray(table[name].values)

    def rows(self, table: Table, chosen: NDArray[np.bool_] | None = None) -> Prepared:
        """Prepare the rows of ``table`` (those ``chosen``); a missing number keeps a row out."""
        n = len(table)
        numbers = np.empty((len(self.numeric), n), np.float32)
        good = np.ones(n, np.bool_) if chosen is None else chosen.copy()
        among = good.copy()
        for place, (name, fitted, weight) in enumerate(self.numeric):
            values = apply(self.filled(table, fitted, name, among), fitted)
            good &= ~np.isnan(values)
            numbers[place] = values * weight
        codes = np.empty((len(self.categories), n), np.uint8)
        for place, category in enumerate(self.categories):
            codes[place] = _recode(table[category.name], category)
        kept = np.flatnonzero(good)
        return Prepared(
            self, np.ascontiguousarray(numbers[:, kept]), np.ascontiguousarray(codes[:, kept]), kept
        )


@dataclass(frozen=True)
class Prepared:
    """Rows ready for the engines.

    ``numbers``: (d, m) float32, column by column; ``codes``: (q, m) uint8; ``rows``: (m,) row
    of the table each stands for.
    """

    preparation: Preparation
    numbers: NDArray[np.float32]
    codes: NDArray[np.uint8]
    rows: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def gower(self) -> bool:
        return self.preparation.gower

    @property
    def gammas(self) -> NDArray[np.float32]:
        return np.array([c.gamma for c in self.preparation.categories], np.float32)

    def parts(self, first: int, last: int) -> list[Part]:
        """What work on rows ``first`` to before ``last`` reads of them."""
        here = WHOLE, slice(first, last)
        return [(self.numbers, here), (self.codes, here)]

    def one(self, place: int) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
        """(d,) numbers and (q,) codes of one row."""
        return self.numbers[:, place].copy(), self.codes[:, place].copy()

    def take(self, places: NDArray[np.int64]) -> Prepared:
        """A selection of these rows."""
        return Prepared(
            self.preparation, np.ascontiguousarray(self.numbers[:, places]),
            np.ascontiguousarray(self.codes[:, places]), self.rows[places],
        )  # fmt: skip


def _recode(column: Column, category: Category) -> NDArray[np.uint8]:
    """Codes by the frozen levels; an unseen level is 255 and mismatches every mode."""
    place = {level: code + 1 for code, level in enumerate(category.levels)}
    place |= dict.fromkeys(category.pooled, len(category.levels) + 1)
    table = np.array([0, *(place.get(level, 255) for level in column.levels)], np.uint8)
    return table[column.values]


def prepare(table: Table, recipe: Recipe, rows: NDArray[np.bool_] | None = None) -> Prepared:
    """Fit the recipe's preparation on ``table`` (on ``rows`` of it) and apply it.

    Raises
    ------
    RecipeError
        A column is not there, of the wrong kind or not finite, the method cannot take it, a
        weight is no weight, nothing varies, or too few rows are left.

    >>> from sortija.core.table import Column, Table
    >>> from sortija.core.measures.preparation import Steps
    >>> visits = Column("visits", "number", np.arange(1.0, 41.0))
    >>> rows = prepare(Table((visits,)), Recipe({"visits": Steps()}))
    >>> rows.numbers.shape, abs(float(rows.numbers.mean())) < 1e-6
    ((1, 40), True)
    """
    chosen = np.ones(len(table), np.bool_) if rows is None else rows
    _check(table, recipe, chosen)
    numeric: list[tuple[str, Fitted, float]] = []
    dropped: list[str] = []
    for name, steps in recipe.numeric.items():
        wanted = replace(steps, scale="range") if recipe.gower else steps
        fitted = fit(Column(name, "number", np.asarray(table[name].values)[chosen]), wanted)
        if fitted.constant or recipe.weight(name) == 0:
            dropped.append(name)
        else:
            weight = recipe.weight(name)
            numeric.append((name, fitted, weight if recipe.gower else float(np.sqrt(weight))))
    categories = []
    use = recipe.categories if recipe.balance > 0 else ()
    donors = None
    if any(f.steps.fill == "neighbours" for _, f, _ in numeric):
        compared = {name: f.steps for name, f, _ in numeric}
        donors = choose_donors(table, compared, tuple(use), chosen, recipe.seed)
    draft = Preparation(tuple(numeric), (), donors=donors)
    spread = 1.0
    if numeric and use and not recipe.gower:
        spread = _mean_variance(draft.rows(table, chosen).numbers)
    for name in use:
        made = _category(table[name], chosen, spread, recipe)
        if made is None:
            dropped.append(name)
        else:
            categories.append(made)
    if not numeric and not categories:
        raise RecipeError(
            "Nothing that was picked varies. Pick measures that tell customers apart."
        )
    if recipe.relevance and categories and not recipe.gower:
        categories = _by_relevance(draft, categories, table, chosen, recipe.seed)
    preparation = Preparation(
        tuple(numeric), tuple(categories), tuple(dropped), donors, recipe.gower
    )
    if recipe.gower:
        preparation = _shared_out(preparation)
    prepared = preparation.rows(table, chosen)
    if len(prepared) < _LEAST_ROWS:
        raise RecipeError(
            f"Only {len(prepared)} of the customers have a value in every measure that was picked. "
            "Fill missing values, or leave out the measure that lacks most."
        )
    return prepared


def _by_relevance(
    draft: Preparation, categories: list[Category], table: Table, chosen: NDArray[np.bool_],
    seed: int,
) -> list[Category]:  # fmt: skip
    """The categories, each weighing by how much it has to do with the other columns."""
    rows = replace(draft, categories=tuple(categories)).rows(table, chosen)
    numbers = [(name, rows.numbers[i]) for i, (name, _, _) in enumerate(draft.numeric)]
    found = relevance_of([c.name for c in categories], list(rows.codes), numbers, seed)
    return [
        replace(c, gamma=c.gamma * r.factor, relevance=r)
        for c, r in zip(categories, found, strict=True)
    ]


def _check(table: Table, recipe: Recipe, chosen: NDArray[np.bool_]) -> None:
    """Everything that can be said of a recipe before anything is fitted."""
    if recipe.method not in METHODS:
        raise RecipeError(f"There is no method called {recipe.method}.")
    for name in (*recipe.numeric, *recipe.categories):
        if name not in table:
            raise RecipeError(f"There is no column called {name}.")
        weight = recipe.weight(name)
        if not (np.isfinite(weight) and weight >= 0):
            raise RecipeError(f"{name} cannot weigh {weight}. Weights are 0 or more.")
    if recipe.passes < 1:
        raise RecipeError(f"A start cannot take {recipe.passes} passes. It takes 1 or more.")
    if recipe.centres and recipe.method in ("hierarchical", "k-medoids"):
        raise RecipeError(f"{recipe.method} begins with no centres. Take k-prototypes, or none.")
    if not (np.isfinite(recipe.balance) and recipe.balance >= 0):
        raise RecipeError(f"The balance cannot be {recipe.balance}. It is 0 or more.")
    for name in recipe.weights:
        if name not in recipe.numeric and name not in recipe.categories:
            raise RecipeError(f"{name} has a weight, but is not among the columns picked.")
    if recipe.method == "k-modes" and recipe.numeric:
        name = next(iter(recipe.numeric))
        raise RecipeError(f"k-modes takes categories only; {name} is a number. Use k-prototypes.")
    if recipe.method == "k-means" and recipe.categories and recipe.balance > 0:
        name = recipe.categories[0]
        raise RecipeError(f"k-means takes numbers only; {name} is a category. Use k-prototypes.")
    for name in recipe.numeric:
        if table[name].kind != "number":
            raise RecipeError(f"{name} is a category. Move it to the categories.")
        beyond = int(np.isinf(np.asarray(table[name].values)[chosen]).sum())
        if beyond:
            raise RecipeError(
                f"{name} is infinite for {beyond:,} customers. Mend its formula, or leave it out."
            )


def _shared_out(preparation: Preparation) -> Preparation:
    """Gower's weights so that they add up to 1."""
    total = sum(w for _, _, w in preparation.numeric)
    total += sum(c.gamma for c in preparation.categories)
    return replace(
        preparation,
        numeric=tuple((n, f, w / total) for n, f, w in preparation.numeric),
        categories=tuple(replace(c, gamma=c.gamma / total) for c in preparation.categories),
    )


def _mean_variance(numbers: NDArray[np.float32]) -> float:
    return float(np.mean(numbers.astype(np.float64).var(axis=1))) if numbers.size else 1.0


def _category(
    column: Column, chosen: NDArray[np.bool_], spread: float, recipe: Recipe
) -> Category | None:
    """γ = b · w · s̄² / max(1 − Σp², 0.25), for Gower b · w; None where it would say nothing."""
    if column.kind != "category":
        raise RecipeError(f"{column.name} is a number. Move it to the numbers.")
    counts = np.bincount(column.values[chosen], minlength=len(column.levels) + 1)
    rare = counts[1:] < recipe.pool * counts.sum()
    rare &= recipe.pool > 0
    levels = tuple(level for level, few in zip(column.levels, rare, strict=True) if not few)
    pooled = tuple(level for level, few in zip(column.levels, rare, strict=True) if few)
    if len(levels) > _MOST_LEVELS:
        raise RecipeError(
            f"{column.name} has {len(levels):,} values, more than {_MOST_LEVELS}. "
            "Leave it out, or pool its rare values."
        )
    counts = np.array([counts[0], *counts[1:][~rare], counts[1:][rare].sum()])
    if (counts > 0).sum() < 2 or recipe.weight(column.name) == 0:
        return None
    weight = recipe.balance * recipe.weight(column.name)
    if recipe.gower:
        return Category(column.name, levels, weight, pooled)
    shares = counts / counts.sum()
    unevenness = max(1.0 - float((shares**2).sum()), _LEAST_SPREAD)
    return Category(column.name, levels, weight * spread / unevenness, pooled)
