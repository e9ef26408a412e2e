"""A score recipe: measures, directions, bands and weights, with the cuts frozen once fitted."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.scores.bands import (
    Banding,
    Cuts,
    band,
    band_by_cuts,
    band_by_width,
    close_gaps,
    codes,
    cuts_of,
    totals,
)
from sortija.core.table import Table

__all__ = [
    "Asked",
    "FrozenScore",
    "ScoreError",
    "Scored",
    "fit_score",
    "read_score",
    "score",
    "score_as_data",
    "score_from_data",
    "write_score",
]

FORMAT, VERSION = "sortija score recipe", 1
Kind = Literal["equal customers", "equal widths", "own cuts"]


class ScoreError(ValueError):
    """A score that cannot be made; the message names the column and what to do."""


@dataclass(frozen=True)
class Asked:
    """One measure to score by: ``own``: bounds in the measure's units, rising, for own cuts;
    ``close``: bands that ties leave empty are taken out."""

    measure: str
    higher_is_better: bool = True
    bands: int = 5
    weight: float = 1.0
    kind: Kind = "equal customers"
    own: tuple[float, ...] = ()
    close: bool = False


@dataclass(frozen=True)
class FrozenScore:
    """Measures in order with weight and cuts: scores anybody at any date."""

    measures: tuple[tuple[str, float, Cuts], ...]


@dataclass(frozen=True)
class Scored:
    """``bandings``: one per measure; ``totals``: (n,) weighted sums of bands, NaN where one is
    missing."""

    bandings: tuple[Banding, ...]
    totals: NDArray[np.float64]

    @cached_property
    def codes(self) -> NDArray[np.str_]:
        """(n,) bands in order as text, empty where a measure is missing."""
        return codes(self.bandings)


def fit_score(table: Table, asked: tuple[Asked, ...]) -> FrozenScore:
    """Cut each measure on ``table`` and freeze the cuts.

    Raises
    ------
    ScoreError
        No measure, one that is not there, not finite or without any value, one named twice, a
        weight below 0, or cuts that do not rise.
    """
    if not asked:
        raise ScoreError("Name at least one measure to score by.")
    names = [each.measure for each in asked]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise ScoreError(f"{twice} is named twice.")
    return FrozenScore(tuple((a.measure, a.weight, _cuts(table, a)) for a in asked))


def _cuts(table: Table, asked: Asked) -> Cuts:
    if asked.measure not in table:
        raise ScoreError(f"There is no column called {asked.measure}.")
    if not (np.isfinite(asked.weight) and asked.weight >= 0):
        raise ScoreError(f"{asked.measure} cannot weigh {asked.weight}. Weights are 0 or more.")
    values = np.asarray(table[asked.measure].values, np.float64)
    if np.isinf(values).any():
        raise ScoreError(f"{asked.measure} is infinite for some customers.")
    if np.isnan(values).all():
        raise ScoreError(f"Nobody has a value in {asked.measure}.")
    try:
        if asked.kind == "own cuts":
            return _own(asked)
        make = band if asked.kind == "equal customers" else band_by_width
        found = make(values, asked.bands, asked.higher_is_better)
    except ValueError as problem:
        raise ScoreError(f"{asked.measure}: {problem}.") from problem
    return cuts_of(close_gaps(found) if asked.close else found, asked.higher_is_better)


def _own(asked: Asked) -> Cuts:
    if any(a >= b for a, b in zip(asked.own, asked.own[1:], strict=False)):
        raise ScoreError(f"The cuts of {asked.measure} do not rise.")
    bounds = asked.own if asked.higher_is_better else tuple(-v for v in reversed(asked.own))
    if not 1 <= len(bounds) <= 9:
        raise ScoreError(f"{asked.measure} wants 1 to 9 cuts, and has {len(bounds)}.")
    return Cuts(bounds, asked.higher_is_better)


def score(table: Table, frozen: FrozenScore) -> Scored:
    """Score every row of ``table`` by frozen cuts.

    Raises
    ------
    ScoreError
        A measure is not there.

    >>> from sortija.core.table import Column, Table
    >>> visits = Table((Column("visits", "number", np.array([1.0, 2.0, 7.0, 9.0])),))
    >>> frozen = fit_score(visits, (Asked("visits", bands=2),))
    >>> score(visits, frozen).totals.tolist()
    [1.0, 1.0, 2.0, 2.0]
    """
    for name, _, _ in frozen.measures:
        if name not in table:
            raise ScoreError(f"There is no column called {name}.")
    bandings = tuple(
        band_by_cuts(np.asarray(table[name].values, np.float64), cuts)
        for name, _, cuts in frozen.measures
    )
    weights = [weight for _, weight, _ in frozen.measures]
    return Scored(bandings, totals(bandings, weights))


def write_score(frozen: FrozenScore) -> str:
    """JSON text; an endless bound is null."""
    text = json.dumps(score_as_data(frozen), indent=1, ensure_ascii=False, allow_nan=False)
    return text + "\n"


def score_as_data(frozen: FrozenScore) -> dict[str, Any]:
    """What is written of a frozen score; an endless bound is None."""
    return {
        "format": FORMAT, "version": VERSION,
        "measures": [
            {"measure": name, "weight": weight,
             "better": "high" if cuts.higher_is_better else "low",
             "bounds": [b if np.isfinite(b) else None for b in cuts.bounds]}
            for name, weight, cuts in frozen.measures
        ],
    }  # fmt: skip


def read_score(text: str) -> FrozenScore:
    """A frozen score from JSON text.

    Raises
    ------
    ScoreError
        It is no JSON, or no score recipe that this version reads.
    """
    try:
        return score_from_data(json.loads(text))
    except json.JSONDecodeError as problem:
        raise ScoreError("It is no score recipe of Sortija.") from problem


def score_from_data(data: Mapping[str, Any]) -> FrozenScore:
    """A frozen score from what :func:`score_as_data` wrote.

    Raises
    ------
    ScoreError
        It is no score recipe that this version reads.
    """
    try:
        if data["format"] != FORMAT:
            raise ScoreError("It is no score recipe of Sortija.")
        if data["version"] != VERSION:
            raise ScoreError(f"It is of version {data['version']}; this Sortija reads {VERSION}.")
        return FrozenScore(tuple(_measure(each) for each in data["measures"]))
    except (KeyError, TypeError, ValueError) as problem:
        if isinstance(problem, ScoreError):
            raise
        raise ScoreError("It is no score recipe of Sortija.") from problem


def _measure(each: dict[str, Any]) -> tuple[str, float, Cuts]:
    bounds = tuple(float("inf") if b is None else float(b) for b in each["bounds"])
    if each["better"] not in ("high", "low") or not 1 <= len(bounds) <= 9:
        raise ScoreError(f"{each['measure']}: its direction or its bounds cannot be.")
    return str(each["measure"]), float(each["weight"]), Cuts(bounds, each["better"] == "high")
