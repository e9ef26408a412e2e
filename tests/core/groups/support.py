"""Small tables to group."""

import numpy as np

from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Category, Preparation, Prepared, Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table

__all__ = ["brute_force", "centres_of", "gower_rows", "mixed_table", "rows_of"]


def rows_of(numbers, codes=None, gammas=()):
    """Prepared rows from a (m, d) array and (m, q) codes, nothing scaled."""
    numbers = np.asarray(numbers, np.float32)
    m = len(numbers)
    codes = np.zeros((m, 0), np.uint8) if codes is None else np.asarray(codes, np.uint8)
    levels = tuple(str(n) for n in range(1, 10))
    categories = tuple(Category(f"c{n}", levels, g) for n, g in enumerate(gammas))
    preparation = Preparation((), categories)
    return Prepared(
        preparation,
        np.ascontiguousarray(numbers.T),
        np.ascontiguousarray(codes.T),
        np.arange(m),
    )


def centres_of(numbers, modes=None):
    numbers = np.asarray(numbers, np.float32)
    modes = np.zeros((len(numbers), 0)) if modes is None else modes
    return Centres(numbers, np.asarray(modes, np.uint8))


def brute_force(rows, centres):
    """(m, k) D straight from its definition, in float64."""
    x, c = rows.numbers.T.astype(float), centres.numbers.astype(float)
    d = ((x[:, None] - c[None]) ** 2).sum(axis=2)
    differ = rows.codes.T[:, None] != centres.modes[None]
    return d + (differ * rows.gammas.astype(float)).sum(axis=2)


def mixed_table(n=600, seed=1, noise_levels=0):
    """Three clear groups in two numbers and one category, and what was drawn."""
    rng = np.random.default_rng(seed)
    group = rng.integers(0, 3, n)
    columns = [
        Column("x", "number", rng.normal(group * 4.0, 1.0)),
        Column("y", "number", rng.normal((group == 1) * 5.0, 1.0)),
        Column("c", "category", (group + 1).astype(np.int32), "", ("a", "b", "d")),
    ]
    if noise_levels:
        noise = rng.integers(1, noise_levels + 1, n).astype(np.int32)
        levels = tuple(f"n{i}" for i in range(noise_levels))
        columns.append(Column("noise", "category", noise, "", levels))
    return Table(tuple(columns)), group


def gower_rows(rng, n):
    """Rows to be compared by Gower's distance, and their distances from its definition."""
    x, y = rng.gamma(2, 30, n), rng.normal(size=n)
    c = rng.integers(1, 4, n).astype(np.int32)
    table = Table((
        Column("x", "number", x), Column("y", "number", y),
        Column("c", "category", c, "", ("a", "b", "d")),
    ))  # fmt: skip
    recipe = Recipe(
        {"x": Steps(transform="log"), "y": Steps()}, ("c",), {"y": 2.0}, method="k-medoids"
    )
    rows = prepare(table, recipe)
    parts, weights = [], []
    for values, weight in ((np.log1p(x), 1.0), (y, 2.0)):
        parts.append(weight * np.abs(values[:, None] - values) / np.ptp(values))
        weights.append(weight)
    if len(set(c)) > 1:
        parts.append((c[:, None] != c).astype(float))
        weights.append(1.0)
    return rows, sum(parts) / sum(weights)
