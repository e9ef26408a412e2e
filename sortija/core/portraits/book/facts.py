"""What a book can speak of: every segment's figures, and what chance does not make of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from sortija.core.measures.describe import Axis
from sortija.core.measures.intervals import holm
from sortija.core.portraits import apart
from sortija.core.portraits.against import LEAST_EXPECTED, LEVEL, crossed_table, means_told

__all__ = [
    "ENOUGH",
    "BookFacts",
    "CampaignFact",
    "CategoryFact",
    "LevelFact",
    "MovementFact",
    "NumberFact",
    "RuleFact",
    "SegmentFacts",
    "ThreadFact",
    "WayFact",
    "category_facts",
    "number_facts",
]

#: A segment with fewer customers is told by its size alone.
ENOUGH = 30
#: From here on a mean is said to stand apart, in SD of everyone.
APART = 0.35


@dataclass(frozen=True)
class NumberFact:
    """A number of one segment: its ``mean``, that of everyone else (``rest``), how far it stands
    from everyone in SD, of how many; ``told``: a book may speak of it: it stands apart, and more
    than chance makes (what shaped the segments differs by itself)."""

    name: str
    label: str
    unit: str
    family: str
    shaped: bool
    mean: float
    median: float
    rest: float
    deviation: float
    count: int
    told: bool


@dataclass(frozen=True)
class LevelFact:
    """A value of a category (``level``), what it is called, its share of the segment and of
    everyone else."""

    level: str
    words: str
    share: float
    rest: float
    count: int
    told: bool


@dataclass(frozen=True)
class CategoryFact:
    """A category of one segment, value by value, *not given* left out."""

    name: str
    label: str
    shaped: bool
    levels: tuple[LevelFact, ...]


@dataclass(frozen=True)
class RuleFact:
    """The rule of a segment, what share of it the rule finds, and how many of those belong."""

    words: str
    holds: float
    belongs: float


@dataclass(frozen=True)
class WayFact:
    """A way out of a segment that more took than chance moves: to segment ``target``, None for
    those who left; ``went``: of those of whom chance can be told; ``low``, ``high``: how many
    chance alone would move."""

    target: int | None
    went: int
    low: float
    high: float


@dataclass(frozen=True)
class MovementFact:
    """Where those are who were in a segment at an earlier date (``then``, such as 30 Jun 2025).

    ``stayed``: the share that is in it now; ``stays_low``, ``stays_high``: the share that chance
    alone would keep; ``ways``: what more took than chance moves, the most beyond first.
    """

    then: str
    stayed: float
    stays_low: float
    stays_high: float
    ways: tuple[WayFact, ...]


@dataclass(frozen=True)
class SegmentFacts:
    """One segment. ``money``: its share of the spend, NaN where there is none; ``border``: who
    stand almost as close to ``towards`` (a number); ``comes_back``: the overlap with itself in
    redrawn tables; ``notes``: what the people of the study wrote to it; ``goes``: where its
    customers of a year before are, None where that is not told from chance."""

    number: int
    name: str
    mark: int
    customers: int
    money: float
    numbers: Mapping[str, NumberFact]
    categories: Mapping[str, CategoryFact]
    rule: RuleFact | None = None
    border: int = 0
    towards: int | None = None
    comes_back: float | None = None
    notes: str = ""
    goes: MovementFact | None = None


@dataclass(frozen=True)
class ThreadFact:
    """A number as a thread: its axis, everyone's middle half, each segment's mean."""

    label: str
    unit: str
    axis: Axis
    quartiles: tuple[float, float]
    means: tuple[float, ...]


@dataclass(frozen=True)
class CampaignFact:
    """A campaign that was read as planned: ``gap`` in words ("6.4 more"), ``between`` ("2.4 to
    10.4"); ``told``: whether more or fewer came back than would have unasked can be told."""

    number: int
    name: str
    read_on: str
    gap: str
    between: str
    told: bool


@dataclass(frozen=True)
class BookFacts:
    """All that a book speaks of.

    ``window``: as "1 Jul 2025 to 30 Jun 2026", empty without a log; ``members``: what rows are
    called; ``outside``: customers in no segment; ``threads``: by name; ``made``: how the segments
    were made, in words; ``clear``: "holds", "barely", "none" or empty where it is not known;
    ``places``: the traits that say where somebody lives; ``same_again``: the share of customers who
    would stand in the same segment had the year happened again; ``campaigns``: those that were
    read, the newest first.
    """

    study: str
    window: str
    currency: str
    segments: tuple[SegmentFacts, ...]
    threads: Mapping[str, ThreadFact]
    outside: int = 0
    made: str = ""
    clear: str = ""
    places: frozenset[str] = field(default_factory=frozenset)
    same_again: float | None = None
    campaigns: tuple[CampaignFact, ...] = ()

    @property
    def customers(self) -> int:
        return sum(segment.customers for segment in self.segments)

    def segment(self, number: int) -> SegmentFacts | None:
        return next((s for s in self.segments if s.number == number), None)

    def campaign(self, number: int) -> CampaignFact | None:
        return next((c for c in self.campaigns if c.number == number), None)


class NumericRow(apart.NumericRow, Protocol):
    """The same with its family, and whether it shaped the segments."""

    @property
    def family(self) -> str: ...
    @property
    def shaped(self) -> bool: ...


class CategoryRow(apart.CategoryRow, Protocol):
    """The same with what its levels are (``values``, *not given* left out), called or not."""

    @property
    def values(self) -> tuple[str, ...]: ...
    @property
    def shaped(self) -> bool: ...


def number_facts(rows: Sequence[NumericRow], k: int) -> list[dict[str, NumberFact]]:
    """By segment, every number by its name. What did not shape the segments is told where its
    mean differs from that of the others by Holm over all numbers and segments."""
    found: list[dict[str, NumberFact]] = [{} for _ in range(k)]
    free = [row for row in rows if not row.shaped]
    beyond = dict(zip((row.name for row in free), means_told([r.profile for r in free]),
                      strict=True))  # fmt: skip
    for row in rows:
        profile = row.profile
        n, everyone = profile.counts, float(profile.everyone_mean)
        others = n.sum() - n
        with np.errstate(invalid="ignore", divide="ignore"):
            rest = (n.sum() * everyone - n * np.nan_to_num(profile.means)) / others
        for place in range(k):
            far = abs(float(profile.deviations[place])) >= APART and n[place] >= ENOUGH
            sure = row.shaped or bool(beyond[row.name][place])
            found[place][row.name] = NumberFact(
                row.name, row.label, row.unit, row.family, row.shaped,
                float(profile.means[place]), float(profile.medians[place]), float(rest[place]),
                float(profile.deviations[place]), int(n[place]), bool(far and sure),
            )  # fmt: skip
    return found


def category_facts(rows: Sequence[CategoryRow], k: int) -> list[dict[str, CategoryFact]]:
    """By segment, every category by its name. A value is told where the segment has it more often
    than chance makes, by Holm over all values, categories and segments."""
    found: list[dict[str, CategoryFact]] = [{} for _ in range(k)]
    told = _levels_told(rows)
    for row, mine in zip(rows, told, strict=True):
        table = row.profile.table
        sizes = table.sum(axis=1)
        others = sizes.sum() - sizes
        with np.errstate(invalid="ignore", divide="ignore"):
            shares = table / sizes[:, None]
            rest = (table.sum(axis=0) - table) / others[:, None]
        for place in range(k):
            levels = tuple(
                LevelFact(row.values[level - 1], row.levels[level], float(shares[place, level]),
                          float(rest[place, level]), int(table[place, level]),
                          bool(mine[place, level] and sizes[place] >= ENOUGH
                               and shares[place, level] > rest[place, level]))
                for level in range(1, len(row.levels))
            )  # fmt: skip
            found[place][row.name] = CategoryFact(row.name, row.label, row.shaped, levels)
    return found


def _levels_told(rows: Sequence[CategoryRow]) -> list[NDArray[np.bool_]]:
    """(k, levels) of each category: whether a cell stands out, all of them together."""
    p = []
    for row in rows:
        _, residuals, expected = crossed_table(row.profile.table)
        each = np.where(expected >= LEAST_EXPECTED, 2 * ndtr(-np.abs(residuals)), np.nan)
        p.append(each.ravel())
    if not p:
        return []
    corrected = np.array(holm(np.concatenate(p).tolist())) < LEVEL
    out, start = [], 0
    for row in rows:
        shape = row.profile.table.shape
        size = int(np.prod(shape))
        out.append(corrected[start : start + size].reshape(shape))
        start += size
    return out
