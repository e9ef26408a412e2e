"""A ladder: scores and named tiers, frozen, so that it can place anybody at any date."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.scores.recipe import (
    FrozenScore,
    Scored,
    ScoreError,
    score_as_data,
    score_from_data,
)
from sortija.core.scores.tiers import Box, Tier, by_box, by_share, by_total

__all__ = ["Ladder", "LadderKind", "middle_totals", "neutral_boxes", "share_tiers"]

LadderKind = Literal["boxes", "totals", "shares"]


@dataclass(frozen=True)
class Ladder:
    """Tiers, best first. ``tiers``: ranges of the total, for *totals* and *shares*; ``boxes``: for
    *boxes*, with one range for each measure of ``score``."""

    score: FrozenScore
    kind: LadderKind
    tiers: tuple[Tier, ...] = ()
    boxes: tuple[Box, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(each.name for each in (self.boxes if self.kind == "boxes" else self.tiers))

    @property
    def measures(self) -> tuple[str, ...]:
        return tuple(name for name, _, _ in self.score.measures)

    def places(self, scored: Scored) -> NDArray[np.int32]:
        """(n,) tier from 1, the first that holds a customer; 0 for none."""
        if self.kind == "boxes":
            return by_box(scored.bandings, self.boxes)
        return by_total(scored.totals, self.tiers)

    def as_json(self) -> dict[str, Any]:
        return {
            "score": score_as_data(self.score), "kind": self.kind,
            "tiers": [[t.name, t.low if np.isfinite(t.low) else None, t.high] for t in self.tiers],
            "boxes": [[b.name, [list(r) for r in b.ranges]] for b in self.boxes],
        }  # fmt: skip

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Ladder:
        return Ladder(
            score_from_data(data["score"]), data["kind"],
            tuple(Tier(n, -np.inf if low is None else low, high) for n, low, high in data["tiers"]),
            tuple(Box(name, tuple((r[0], r[1]) for r in ranges)) for name, ranges in data["boxes"]),
        )  # fmt: skip


def share_tiers(totals: NDArray[np.float64], names: Sequence[str]) -> tuple[Tier, ...]:
    """Equal shares of the customers as ranges of the total, which other dates can use.

    Raises
    ------
    ScoreError
        No name.

    >>> [tier.low for tier in share_tiers(np.array([9.0, 1.0, 8.0, 4.0]), ["gold", "silver"])]
    [8.0, -inf]
    """
    if not names:
        raise ScoreError("A ladder has at least one tier.")
    place = by_share(totals, len(names))
    out: list[Tier] = []
    high: float | None = None
    for number, name in enumerate(names, 1):
        mine = totals[place == number]
        # A tier that ties have left empty begins where the one above it does.
        low = float(mine.min()) if len(mine) else (np.inf if high is None else high)
        last = number == len(names)
        out.append(Tier(name, -np.inf if last else low, high))
        high = low
    return tuple(out)


def middle_totals(totals: NDArray[np.float64], places: NDArray[np.int32], count: int) -> Any:
    """(count,) median total of each tier; NaN for one without customers.

    >>> middle_totals(np.array([9.0, 1.0, 7.0]), np.array([1, 2, 1]), 3).tolist()
    [8.0, 1.0, nan]
    """
    middle = np.full(count, np.nan)
    for number in range(1, count + 1):
        mine = totals[places == number]
        mine = mine[~np.isnan(mine)]
        if len(mine):
            middle[number - 1] = np.median(mine)
    return middle


def neutral_boxes(measures: Sequence[str], bands: Sequence[int]) -> tuple[Box, ...]:
    """A ladder to begin with: the plots of the first two measures in six fences, none left over.

    Recency and frequency get words of their own; any other pair says which is high.

    >>> [box.name for box in neutral_boxes(("recency", "frequency"), (5, 5))][:3]
    ['Lately and often', 'Lately, now and then', 'Often, some time ago']
    """
    if not measures:
        raise ScoreError("Name at least one measure to score by.")
    whole = [(1, b) for b in bands]

    def fence(name: str, *ranges: tuple[int, int]) -> Box:
        return Box(name, (*ranges, *whole[len(ranges) :]))

    high, low = _thirds(bands[0])
    if len(measures) == 1:
        middle = (fence("Middle", (low + 1, high - 1)),) if low + 1 < high else ()
        return (fence("High", (high, bands[0])), *middle, fence("Low", (1, low)))
    often, _ = _thirds(bands[1])
    lately, middling, past = (high, bands[0]), (low + 1, high - 1), (1, low)
    many, few = (often, bands[1]), (1, often - 1)
    names = _WORDS if tuple(measures[:2]) == ("recency", "frequency") else _OTHERS
    boxes = [fence(names[0], lately, many), fence(names[1], lately, few)]
    if middling[0] <= middling[1]:
        boxes += [fence(names[2], middling, many), fence(names[3], middling, few)]
    return (*boxes, fence(names[4], past, many), fence(names[5], past, few))


_WORDS = (
    "Lately and often", "Lately, now and then", "Often, some time ago",
    "Now and then, some time ago", "Often once, long quiet", "Long quiet",
)  # fmt: skip
_OTHERS = (
    "High and high", "High, lower second", "Middle, high second",
    "Middle and lower", "Low, high second", "Low and lower",
)  # fmt: skip


def _thirds(bands: int) -> tuple[int, int]:
    """(first band of the upper part, last of the lower), about two fifths and one fifth."""
    low = max(1, round(bands / 5))
    high = max(low + 1, bands - round(2 * bands / 5) + 1)
    return high, low
