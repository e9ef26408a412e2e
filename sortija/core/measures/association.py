"""Which measures say the same: correlation and association of every pair, ordered by likeness."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy import special

from sortija.core.engine import Engine
from sortija.core.measures.variance import eta_squared
from sortija.core.products import dot
from sortija.core.table import Column

__all__ = [
    "SAME",
    "Alike",
    "Kind",
    "alike",
    "correlation_ratio",
    "cramers_v",
    "mid_ranks",
    "order_by_likeness",
    "pearson",
    "table_association",
    "twins",
]

Kind = Literal["pearson", "spearman", "v", "eta"]
#: From here on two columns say the same thing twice.
SAME = 0.9


@dataclass(frozen=True)
class Alike:
    """``values``: (c, c), symmetric, NaN where a pair has too little in common: r of two numbers,
    bias-corrected V of two categories, correlation ratio η of a number and a category; ``rows``:
    (c, c) how many customers both columns are known for."""

    names: tuple[str, ...]
    kinds: tuple[tuple[Kind, ...], ...]
    values: NDArray[np.float64]
    rows: NDArray[np.int64]


def mid_ranks(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Ranks from 1, ties sharing their mean.

    >>> mid_ranks(np.array([3.0, 1.0, 3.0, 7.0])).tolist()
    [2.5, 1.0, 2.5, 4.0]
    """
    _, place, counts = np.unique(values, return_inverse=True, return_counts=True)
    ends = np.cumsum(counts)
    return (ends - (counts - 1) / 2.0)[place]


def pearson(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    """Pearson's r of two columns without missing values; NaN where one is constant.

    >>> round(float(pearson(np.array([1.0, 2.0, 3.0]), np.array([1.0, 3.0, 2.0]))), 2)
    0.5
    """
    if len(x) < 3:
        return float("nan")
    a, b = x - x.mean(), y - y.mean()
    spread = float(np.sqrt(dot(a, a) * dot(b, b)))
    if spread <= 1e-12 * len(x) * max(float(np.abs(x).max() * np.abs(y).max()), 1e-300):
        return float("nan")
    return float(np.clip(dot(a, b) / spread, -1.0, 1.0))


def cramers_v(a: NDArray[np.int64], b: NDArray[np.int64]) -> float:
    """Bias-corrected V of two columns of codes; NaN where one has a single level.

    Source: Bergsma 2013, A bias-correction for Cramér's V and Tschuprow's T.

    >>> round(float(cramers_v(np.array([1, 1, 2, 2] * 50), np.array([1, 1, 2, 2] * 50))), 2)
    1.0
    """
    levels_a, a = np.unique(a, return_inverse=True)
    levels_b, b = np.unique(b, return_inverse=True)
    r, c = len(levels_a), len(levels_b)
    return table_association(np.bincount(a * c + b, minlength=r * c).reshape(r, c)).v


@dataclass(frozen=True)
class TableAssociation:
    """``chi``: χ² of a table of counts, ``p`` of it, ``v``: Cramér's V, corrected for bias."""

    chi: float
    p: float
    v: float


def table_association(counts: NDArray[Any]) -> TableAssociation:
    """How far rows and columns of a table of counts go together; empty ones do not count.

    Where there is one row or column, χ² is 0, p is 1 and V is NaN.

    Source: Bergsma 2013, A bias-correction for Cramér's V and Tschuprow's T.

    >>> table_association(np.array([[50, 0, 0], [0, 50, 0]])).v
    1.0
    """
    table = np.asarray(counts, np.float64)
    table = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    (rows, columns), n = table.shape, float(table.sum())
    if n < 3 or rows < 2 or columns < 2:
        return TableAssociation(0.0, 1.0, float("nan"))
    wanted = np.outer(table.sum(axis=1), table.sum(axis=0)) / n
    chi = float(((table - wanted) ** 2 / wanted).sum())
    free = (rows - 1) * (columns - 1)
    phi = max(0.0, chi / n - free / (n - 1))
    least = min(rows - (rows - 1) ** 2 / (n - 1), columns - (columns - 1) ** 2 / (n - 1)) - 1
    v = float(np.sqrt(min(1.0, phi / least))) if least > 0 else float("nan")
    return TableAssociation(chi, float(special.chdtrc(free, chi)), v)


def correlation_ratio(codes: NDArray[np.int64], values: NDArray[np.float64]) -> float:
    """η of a number over the levels of a category: √(spread between / spread of all), 0 to 1.

    >>> codes, values = np.array([1, 1, 2, 2] * 50), np.array([1.0, 2.0, 5.0, 6.0] * 50)
    >>> round(float(correlation_ratio(codes, values)), 2)
    0.97
    """
    levels, codes = np.unique(codes, return_inverse=True)
    if len(values) < 3 or len(levels) < 2:
        return float("nan")
    mean = values.mean()
    counts = np.bincount(codes)
    means = np.bincount(codes, values) / counts
    total = float(((values - mean) ** 2).sum())
    # A constant's spread is what rounding left of it.
    if total <= 1e-20 * len(values) * max(float(np.abs(values).max()) ** 2, 1e-300):
        return float("nan")
    return float(np.sqrt(eta_squared(counts, means, float(mean), total)))


def alike(columns: Sequence[Column], rank: bool = False, engine: Engine | None = None) -> Alike:
    """Every pair of columns, over the customers who have both.

    Parameters
    ----------
    columns : numbers and categories of equal length; code 0 of a category is missing
    rank : bool
        Spearman instead of Pearson for two numbers: mid-ranks among those who have both.
    """
    size = len(columns)
    values, rows = np.full((size, size), np.nan), np.zeros((size, size), np.int64)
    there = [~c.missing for c in columns]
    centred = _complete(columns, there, rank)

    def line(i: int) -> list[tuple[int, float]]:
        found = []
        for j in range(i, size):
            both = there[i] & there[j]
            known = int(both.sum())
            if i in centred and j in centred and known == centred[i][2] == centred[j][2]:
                # Known for the same customers: standardised once, a product is all it takes.
                got = (
                    dot(centred[i][0], centred[j][0]) if centred[i][1] and centred[j][1] else np.nan
                )
                found.append((known, float(np.clip(got, -1.0, 1.0))))
            else:
                found.append((known, _pair(columns[i], columns[j], both, rank)))
        return found

    for i, found in enumerate((engine or Engine(1)).map(line, range(size))):
        for j, (known, value) in enumerate(found, i):
            rows[i, j] = rows[j, i] = known
            values[i, j] = values[j, i] = value
    kinds = tuple(tuple(_kind(a, b, rank) for b in columns) for a in columns)
    return Alike(tuple(c.name for c in columns), kinds, values, rows)


def _complete(
    columns: Sequence[Column], there: list[NDArray[np.bool_]], rank: bool
) -> dict[int, tuple[NDArray[np.float64], bool, int]]:
    """Numbers known for the same customers as most are: unit vectors, whether they vary, count."""
    numbers = [i for i, c in enumerate(columns) if c.kind == "number"]
    if not numbers:
        return {}
    keys = {i: (int(there[i].sum()), there[i].tobytes() if len(there[i]) < 1 << 22 else b"")
            for i in numbers}  # fmt: skip
    counts: dict[tuple[int, bytes], int] = {}
    for key in keys.values():
        counts[key] = counts.get(key, 0) + 1
    usual = max(counts, key=lambda key: counts[key])
    first = next(i for i in numbers if keys[i] == usual)
    out = {}
    for i in numbers:
        if keys[i] == usual and np.array_equal(there[i], there[first]):
            values = np.asarray(columns[i].values, np.float64)[there[i]]
            values = mid_ranks(values) if rank else values
            centred = values - (values.mean() if len(values) else 0.0)
            length = float(np.sqrt(dot(centred, centred)))
            varies = length > 1e-9 * np.sqrt(len(values)) * max(
                1e-300, float(np.abs(values).max(initial=0))
            )
            out[i] = (centred / length if varies else centred, varies and len(values) > 2, usual[0])
    return out


def _kind(a: Column, b: Column, rank: bool) -> Kind:
    if a.kind == b.kind:
        return ("spearman" if rank else "pearson") if a.kind == "number" else "v"
    return "eta"


def _pair(a: Column, b: Column, both: NDArray[np.bool_], rank: bool) -> float:
    x, y = np.asarray(a.values)[both], np.asarray(b.values)[both]
    if a.kind == "number" and b.kind == "number":
        return pearson(mid_ranks(x), mid_ranks(y)) if rank else pearson(x, y)
    if a.kind == "category" and b.kind == "category":
        return cramers_v(x.astype(np.int64), y.astype(np.int64))
    codes, numbers = (x, y) if a.kind == "category" else (y, x)
    return correlation_ratio(codes.astype(np.int64), numbers)


def order_by_likeness(values: NDArray[np.float64]) -> list[int]:
    """Places of the columns so that alike ones stand together.

    Columns are joined from the strongest |value| on, end to end: of the four ways to put two
    runs together the one whose touching ends are most alike. Ties: lowest place.

    >>> order_by_likeness(np.array([[1.0, 0.1, 0.9], [0.1, 1.0, 0.2], [0.9, 0.2, 1.0]]))
    [0, 2, 1]
    """
    strength = np.nan_to_num(np.abs(values))
    runs = [[i] for i in range(len(values))]
    while len(runs) > 1:
        _, a, b = max(
            (_between(strength, runs[i], runs[j]), -i, -j)
            for i in range(len(runs)) for j in range(i + 1, len(runs))
        )  # fmt: skip
        first, second = runs[-a], runs[-b]
        ways = [first + second, first + second[::-1], first[::-1] + second, second + first]
        cut = [len(first)] * 3 + [len(second)]
        best = max(range(4), key=lambda w: (strength[ways[w][cut[w] - 1], ways[w][cut[w]]], -w))
        runs = [ways[best], *(r for k, r in enumerate(runs) if k not in (-a, -b))]
    return runs[0] if runs else []


def _between(strength: NDArray[np.float64], a: list[int], b: list[int]) -> float:
    """Mean likeness between two runs."""
    return float(strength[np.ix_(a, b)].mean())


def twins(found: Alike, least: float = SAME) -> list[tuple[int, int, float]]:
    """Pairs (i < j, value) that say the same thing twice, strongest first.

    >>> from sortija.core.table import Column
    >>> x = np.arange(100.0)
    >>> columns = [Column(n, "number", v) for n, v in (("a", x), ("b", 2 * x), ("c", x % 7))]
    >>> [(i, j, round(float(v), 6)) for i, j, v in twins(alike(columns))]
    [(0, 1, 1.0)]
    """
    pairs = [
        (i, j, float(found.values[i, j]))
        for i in range(len(found.names))
        for j in range(i + 1, len(found.names))
        if abs(np.nan_to_num(found.values[i, j])) >= least
    ]
    return sorted(pairs, key=lambda p: (-abs(p[2]), p[0], p[1]))
