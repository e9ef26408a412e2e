"""How the customers of a place are mixed: by segment, by a trait, by what they spend on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.server.lens.requests import ClauseBody
from sortija.server.portraits.division import ColumnHead
from sortija.server.portraits.places.ground import Ground, traits_told
from sortija.server.portraits.spent_on import buyers_of, families_of, parts_of, spent_on
from sortija.server.studies.problems import Problem

__all__ = ["Mix", "MixLevel", "MixOption", "mix_of", "mix_options"]

#: A strip of more parts cannot be read.
MOST_PARTS = 12
SEGMENTS, _OF_SPEND = "segments", "spend:"


class MixOption(BaseModel):
    """``group``: what it is listed under."""

    key: str
    label: str
    group: str


class MixLevel(BaseModel):
    """A part of the strip; ``column``: the number of the column it is, if it is one; ``everyone``:
    its share of all; ``clauses``: its customers as a lens, wherever they live."""

    label: str
    column: int | None
    everyone: float | None
    clauses: list[ClauseBody]


@dataclass(frozen=True)
class Mix:
    """``shares``: (places, levels), NaN where nobody is."""

    key: str
    levels: list[MixLevel]
    shares: NDArray[np.float64]


def mix_options(ground: Ground) -> list[MixOption]:
    """What the strips can show."""
    found = [MixOption(key=SEGMENTS, label="Segments", group="")]
    if ground.division.stamp != ground.placed.stamp:
        found = [MixOption(key=SEGMENTS, label="Lens and rest", group="")]
    for trait in traits_told(ground.placed):
        key = f"trait:{trait.name}"
        if trait.kind == "category" and key != ground.key and 2 <= len(trait.levels) <= MOST_PARTS:
            found.append(MixOption(key=key, label=trait.label, group="Traits"))
    for family, label in families_of(ground.placed.made).items():
        if len(parts_of(ground.placed.made, family)) <= MOST_PARTS:
            found.append(MixOption(key=f"{_OF_SPEND}{family}", label=label, group="Spent on"))
    return found


def mix_of(
    ground: Ground, heads: Sequence[ColumnHead], options: Sequence[MixOption], asked: str
) -> Mix:
    """The mix of every place by one of these, by segment where none is asked for."""
    key = asked or SEGMENTS
    if key not in {option.key for option in options}:
        raise Problem(f"Places are not mixed by “{asked}”. Choose another trait.", 404)
    if key == SEGMENTS:
        return _by_column(ground, heads)
    if key.startswith(_OF_SPEND):
        return _by_spend(ground, key)
    return _by_trait(ground, key)


def _by_column(ground: Ground, heads: Sequence[ColumnHead]) -> Mix:
    counts = ground.counted(ground.division.groups, ground.division.k)
    whole, shares = _shares(counts)
    levels = [
        MixLevel(
            label=head.name, column=head.number, everyone=whole[n],
            clauses=[] if head.mark is None
            else [ClauseBody(field="segment:now", values=[str(head.number)])],
        )
        for n, head in enumerate(heads)
    ]  # fmt: skip
    return Mix(SEGMENTS, levels, shares[:, : len(heads)])


def _by_trait(ground: Ground, key: str) -> Mix:
    trait = next(t for t in traits_told(ground.placed) if f"trait:{t.name}" == key)
    whole, shares = _shares(ground.of_trait(trait))
    levels = [
        MixLevel(label=words, column=None, everyone=whole[n],
                 clauses=[ClauseBody(field=key, values=[trait.levels[n]])])
        for n, words in enumerate(trait.said(ground.placed.yardstick.study))
    ]  # fmt: skip
    return Mix(key, levels, shares)


def _by_spend(ground: Ground, key: str) -> Mix:
    """Mean shares of a customer's sales."""
    made, levels, columns = ground.placed.made, [], []
    for name in parts_of(made, key.removeprefix(_OF_SPEND)):
        counts, means, _ = ground.mean_of(name)
        whole = float((counts * np.nan_to_num(means)).sum() / max(int(counts.sum()), 1))
        columns.append(means)
        levels.append(MixLevel(label=spent_on(made.about(name).label), column=None,
                               everyone=whole, clauses=[buyers_of(name)]))  # fmt: skip
    return Mix(key, levels, np.array(columns).T)


def _shares(counts: NDArray[np.int64]) -> tuple[list[float], NDArray[np.float64]]:
    """Shares of each level among all and in every place."""
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = counts / counts.sum(axis=1, keepdims=True)
    whole = counts.sum(axis=0) / max(int(counts.sum()), 1)
    return whole.tolist(), shares
