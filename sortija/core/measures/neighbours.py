"""Fill missing values from the customers most alike, measured on what both have."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts, readonly
from sortija.core.measures.preparation import Steps, bend
from sortija.core.table import Table

__all__ = ["Donors", "Given", "choose_donors", "donors_for", "fill_column"]

MOST_DONORS = 5_000
NEIGHBOURS = 5


@dataclass(frozen=True)
class Donors:
    """Customers to take values from, with the columns that say who is alike.

    ``names``, ``steps``: numeric columns and how each is bent before it is compared; ``low``,
    ``span``: its range among the donors; ``numbers``: (d, m) bent values, NaN where missing;
    ``categories``: (name, levels); ``codes``: (q, m) places of the levels + 1, 0 where missing;
    ``raw``: (d, m) the values themselves; ``rows``: (m,) who they are, −1 where not kept.
    """

    names: tuple[str, ...]
    steps: tuple[Steps, ...]
    low: NDArray[np.float64]
    span: NDArray[np.float64]
    numbers: NDArray[np.float64]
    categories: tuple[tuple[str, tuple[str, ...]], ...]
    codes: NDArray[np.int32]
    raw: NDArray[np.float64]
    rows: NDArray[np.int64]

    def __len__(self) -> int:
        return self.numbers.shape[1]

    def as_json(self) -> dict[str, Any]:
        """Frozen for a recipe: arrays as base64 of little-endian bytes; rows are left out."""
        return {
            "names": list(self.names), "steps": [s.__dict__ for s in self.steps],
            "categories": [[name, list(levels)] for name, levels in self.categories],
            "low": self.low.tolist(), "span": self.span.tolist(), "count": len(self),
            "raw": base64.b64encode(self.raw.astype("<f8").tobytes()).decode(),
            "codes": base64.b64encode(self.codes.astype("<i4").tobytes()).decode(),
        }  # fmt: skip

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Donors:
        steps = tuple(Steps(**each) for each in data["steps"])
        categories = tuple((name, tuple(levels)) for name, levels in data["categories"])
        count = int(data["count"])
        raw = np.frombuffer(base64.b64decode(data["raw"]), "<f8").reshape(len(steps), count)
        codes = np.frombuffer(base64.b64decode(data["codes"]), "<i4")
        bent = np.array([bend(v, s.transform) for v, s in zip(raw, steps, strict=True)])
        return Donors(
            tuple(data["names"]), steps, np.array(data["low"], float),
            np.array(data["span"], float), bent.reshape(raw.shape), categories,
            codes.reshape(len(categories), count), raw,
            np.full(count, -1, np.int64),
        )  # fmt: skip


@dataclass(frozen=True)
class Given:
    """One customer's fill: the ``value``, and for each donor its row, distance and value."""

    value: float
    donors: tuple[tuple[int, float, float], ...]


def choose_donors(
    table: Table, steps: dict[str, Steps], categories: tuple[str, ...],
    rows: NDArray[np.bool_], seed: int, most: int = MOST_DONORS,
) -> Donors:  # fmt: skip
    """A seeded draw of donors among ``rows`` with the columns to compare by.

    Parameters
    ----------
    table : columns of every customer
    steps : numeric columns → preparation; values are compared as capped and transformed
    categories : categorical columns that are compared too
    """
    there = np.flatnonzero(rows)
    if len(there) > most:
        there = np.sort(np.random.default_rng(seed).choice(there, most, replace=False))
    raw = np.array([np.asarray(table[name].values, np.float64)[there] for name in steps])
    raw = raw.reshape(len(steps), len(there))
    bent = np.array([bend(v, s.transform) for v, s in zip(raw, steps.values(), strict=True)])
    bent = bent.reshape(raw.shape)
    low, span = _ranges(bent)
    codes = np.array([np.asarray(table[name].values)[there] for name in categories], np.int32)
    return Donors(
        tuple(steps), tuple(steps.values()), low, span, bent,
        tuple((name, table[name].levels) for name in categories),
        codes.reshape(len(categories), len(there)), raw, there,
    )  # fmt: skip


def _ranges(bent: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    low, high = np.zeros(len(bent)), np.zeros(len(bent))
    for place, values in enumerate(bent):
        there = values[~np.isnan(values)]
        if len(there):
            low[place], high[place] = np.quantile(there, (0.01, 0.99))
    return low, high - low


@numba.njit(nogil=True, cache=True)
def _distances(
    numbers: Any, codes: Any, low: Any, span: Any, bent: Any, kinds: Any, row: int, out: Any
) -> None:
    """Gower's distance of one row to every donor over the columns that both have; inf for none."""
    mine, my_codes = bent[:, row], kinds[:, row]
    for j in range(len(out)):
        total, parts = 0.0, 0
        for k in range(len(mine)):
            if span[k] > 0 and not np.isnan(mine[k]) and not np.isnan(numbers[k, j]):
                a = min(max((mine[k] - low[k]) / span[k], 0.0), 1.0)
                b = min(max((numbers[k, j] - low[k]) / span[k], 0.0), 1.0)
                total += abs(a - b)
                parts += 1
        for k in range(len(my_codes)):
            if my_codes[k] > 0 and codes[k, j] > 0:
                total += my_codes[k] != codes[k, j]
                parts += 1
        out[j] = total / parts if parts else np.inf


@numba.njit(nogil=True, cache=True)
def _fill_block(
    numbers: Any, codes: Any, low: Any, span: Any, gives: Any, values: Any,
    bent: Any, my_codes: Any, nearest: int, out: Any,
) -> None:  # fmt: skip
    """The mean of the ``nearest`` donors' values for each of some rows; ties by place."""
    away = np.empty(numbers.shape[1])
    for i in range(bent.shape[1]):
        _distances(numbers, codes, low, span, bent, my_codes, i, away)
        for j in range(len(away)):
            if not gives[j]:
                away[j] = np.inf
        total, taken = 0.0, 0
        for _ in range(nearest):
            best = np.argmin(away)
            if np.isinf(away[best]):
                break
            total += values[best]
            taken += 1
            away[best] = np.inf
        out[i] = total / taken if taken else np.nan


def _own(donors: Donors, table: Table, rows: NDArray[np.int64]) -> tuple[Any, Any]:
    """The columns to compare by for some rows, by the donors' levels."""
    bent = np.array(
        [
            bend(np.asarray(table[name].values, np.float64)[rows], steps.transform)
            for name, steps in zip(donors.names, donors.steps, strict=True)
        ]
    ).reshape(len(donors.names), len(rows))
    codes = np.zeros((len(donors.categories), len(rows)), np.int32)
    for place, (name, levels) in enumerate(donors.categories):
        column = table[name]
        known = {level: code + 1 for code, level in enumerate(levels)}
        recode = np.array([0, *(known.get(level, -1) for level in column.levels)], np.int32)
        codes[place] = recode[np.asarray(column.values)[rows]]
    return bent, codes


def fill_column(
    donors: Donors, table: Table, name: str, rows: NDArray[np.bool_],
    nearest: int = NEIGHBOURS, engine: Engine | None = None,
) -> NDArray[np.float64]:  # fmt: skip
    """The values of ``name`` with those missing among ``rows`` filled: the mean of the nearest
    donors that have one. Whoever shares no column with any donor stays missing.

    Raises
    ------
    ValueError
        ``name`` is not among the columns that the donors carry.
    """
    if name not in donors.names:
        raise ValueError(f"the donors carry no {name}")
    values = np.array(table[name].values, np.float64)
    lacking = np.flatnonzero(np.isnan(values) & rows)
    gift = donors.raw[donors.names.index(name)]
    gives = ~np.isnan(gift)
    filled = np.full(len(lacking), np.nan)

    def part(bounds: tuple[int, int]) -> None:
        first, last = bounds
        bent, codes = _own(donors, table, lacking[first:last])
        _fill_block(donors.numbers, readonly(donors.codes), donors.low, donors.span, gives,
                    readonly(gift), bent, codes, nearest, filled[first:last])  # fmt: skip

    step = max(1, len(lacking) // 64)
    bounds = [(a, min(a + step, len(lacking))) for a in range(0, len(lacking), step)]

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts(writes=[(filled, slice(*bounds))])

    (engine or Engine(1)).map(part, bounds, touched)
    values[lacking] = filled
    return values


def donors_for(
    donors: Donors, table: Table, name: str, row: int, nearest: int = NEIGHBOURS
) -> Given:
    """How one customer's missing value would be filled, donor by donor."""
    bent, codes = _own(donors, table, np.array([row]))
    away = np.empty(len(donors))
    _distances(
        donors.numbers, readonly(donors.codes), donors.low, donors.span, bent, codes, 0, away
    )
    gift = donors.raw[donors.names.index(name)]
    away[np.isnan(gift)] = np.inf
    order = [int(j) for j in np.argsort(away, kind="stable")[:nearest] if np.isfinite(away[j])]
    found = tuple((int(donors.rows[j]), float(away[j]), float(gift[j])) for j in order)
    return Given(float(np.mean([v for _, _, v in found])) if found else float("nan"), found)
