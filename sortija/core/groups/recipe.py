"""What decides a grouping, and its inputs prepared by frozen constants."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.neighbours import Donors, choose_donors, fill_column
from sortija.core.measures.preparation import Fitted, Steps, apply, fit
from sortija.core.table import Column, Table

__all__ = ["Category", "Method", "Preparation", "Prepared", "Recipe", "RecipeError", "prepare"]

Method = Literal["k-means", "k-prototypes"]
_MOST_LEVELS = 250
_LEAST_SPREAD = 0.25


class RecipeError(ValueError):
    """A recipe that cannot be followed; the message names the column and what to do."""


@dataclass(frozen=True)
class Recipe:
    """Inputs, preparation, method and seed.

    ``numeric``: measure → its steps; ``categories``: names of categorical columns; ``weights``:
    by name, 1 where not given; ``balance``: b of the categories' weight γ (0 ignores them).
    """

    numeric: dict[str, Steps]
    categories: tuple[str, ...] = ()
    weights: dict[str, float] = field(default_factory=dict)
    balance: float = 1.0
    method: Method = "k-prototypes"
    seed: int = 4107
    starts: int = 10

    def as_json(self) -> dict[str, Any]:
        return {
            "numeric": {name: steps.__dict__ for name, steps in self.numeric.items()},
            "categories": list(self.categories), "weights": self.weights,
            "balance": self.balance, "method": self.method, "seed": self.seed,
            "starts": self.starts,
        }  # fmt: skip

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Recipe:
        return Recipe(
            numeric={name: Steps(**steps) for name, steps in data["numeric"].items()},
            categories=tuple(data["categories"]), weights=dict(data.get("weights", {})),
            balance=float(data.get("balance", 1.0)), method=data.get("method", "k-prototypes"),
            seed=int(data.get("seed", 4107)), starts=int(data.get("starts", 10)),
        )  # fmt: skip


@dataclass(frozen=True)
class Category:
    """A categorical input: its levels (code 0 is missing, a level of its own) and weight γ."""

    name: str
    levels: tuple[str, ...]
    gamma: float


@dataclass(frozen=True)
class Preparation:
    """Frozen constants: enough to prepare any customer of any date in the same way.

    ``numeric``: (name, fitted, √weight) of each column that says something; ``dropped``: columns
    with a single value, left out and said so; ``donors``: whom neighbours' fills are taken from,
    None where nothing is filled so.
    """

    numeric: tuple[tuple[str, Fitted, float], ...]
    categories: tuple[Category, ...]
    dropped: tuple[str, ...] = ()
    donors: Donors | None = None

    @property
    def names(self) -> tuple[str, ...]:
        return (*(n for n, _, _ in self.numeric), *(c.name for c in self.categories))

    def as_json(self) -> dict[str, Any]:
        return {
            "numeric": [[n, f.as_json(), w] for n, f, w in self.numeric],
            "categories": [[c.name, list(c.levels), c.gamma] for c in self.categories],
            "dropped": list(self.dropped),
            "donors": self.donors.as_json() if self.donors else None,
        }

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Preparation:
        donors = data.get("donors")
        return Preparation(
            tuple((n, Fitted.from_json(f), float(w)) for n, f, w in data["numeric"]),
            tuple(Category(n, tuple(levels), float(g)) for n, levels, g in data["categories"]),
            tuple(data["dropped"]),
            Donors.from_json(donors) if donors else None,
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
            codes[place] = _recode(table[category.name], category.levels)
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
    def gammas(self) -> NDArray[np.float32]:
        return np.array([c.gamma for c in self.preparation.categories], np.float32)

    def take(self, places: NDArray[np.int64]) -> Prepared:
        """A selection of these rows."""
        return Prepared(
            self.preparation, np.ascontiguousarray(self.numbers[:, places]),
            np.ascontiguousarray(self.codes[:, places]), self.rows[places],
        )  # fmt: skip


def _recode(column: Column, levels: tuple[str, ...]) -> NDArray[np.uint8]:
    """Codes by the frozen levels; an unseen level is 255 and mismatches every mode."""
    place = {level: code + 1 for code, level in enumerate(levels)}
    table = np.array([0, *(place.get(level, 255) for level in column.levels)], np.uint8)
    return table[column.values]


def prepare(table: Table, recipe: Recipe, rows: NDArray[np.bool_] | None = None) -> Prepared:
    """Fit the recipe's preparation on ``table`` (on ``rows`` of it) and apply it.

    Raises
    ------
    RecipeError
        A column is not there or of the wrong kind, nothing varies, or too few rows are left.
    """
    chosen = np.ones(len(table), np.bool_) if rows is None else rows
    wanted = [*recipe.numeric, *recipe.categories]
    for name in wanted:
        if name not in table:
            raise RecipeError(f"There is no column called {name}.")
    numeric: list[tuple[str, Fitted, float]] = []
    dropped: list[str] = []
    for name, steps in recipe.numeric.items():
        column = table[name]
        if column.kind != "number":
            raise RecipeError(f"{name} is a category. Move it to the categories.")
        fitted = fit(Column(name, "number", np.asarray(column.values)[chosen]), steps)
        if fitted.constant:
            dropped.append(name)
        else:
            numeric.append((name, fitted, float(np.sqrt(recipe.weights.get(name, 1.0)))))
    categories = []
    use = recipe.categories if recipe.method == "k-prototypes" and recipe.balance > 0 else ()
    donors = None
    if any(f.steps.fill == "neighbours" for _, f, _ in numeric):
        compared = {name: f.steps for name, f, _ in numeric}
        donors = choose_donors(table, compared, tuple(use), chosen, recipe.seed)
    draft = Preparation(tuple(numeric), (), donors=donors)
    spread = _mean_variance(draft.rows(table, chosen).numbers) if numeric else 1.0
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
    preparation = Preparation(tuple(numeric), tuple(categories), tuple(dropped), donors)
    prepared = preparation.rows(table, chosen)
    if len(prepared) < 10:
        raise RecipeError(
            f"Only {len(prepared)} customers have a value in every measure that was picked. "
            "Fill missing values, or leave out the measure that lacks most."
        )
    return prepared


def _mean_variance(numbers: NDArray[np.float32]) -> float:
    return float(np.mean(numbers.astype(np.float64).var(axis=1))) if numbers.size else 1.0


def _category(
    column: Column, chosen: NDArray[np.bool_], spread: float, recipe: Recipe
) -> Category | None:
    """γ = b · w · s̄² / max(1 − Σp², 0.25); None for a column with a single value."""
    if column.kind != "category":
        raise RecipeError(f"{column.name} is a number. Move it to the numbers.")
    if len(column.levels) > _MOST_LEVELS:
        raise RecipeError(
            f"{column.name} has {len(column.levels)} values, more than {_MOST_LEVELS}. "
            "Leave it out, or pool its rare values in the file."
        )
    counts = np.bincount(column.values[chosen], minlength=len(column.levels) + 1)
    shares = counts / counts.sum()
    if (counts > 0).sum() < 2:
        return None
    unevenness = max(1.0 - float((shares**2).sum()), _LEAST_SPREAD)
    weight = recipe.weights.get(column.name, 1.0)
    return Category(column.name, column.levels, recipe.balance * weight * spread / unevenness)
