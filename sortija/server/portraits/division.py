"""How customers are parted for comparing: by segment, or those of the lens and the rest."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.lens.clauses import Clause
from sortija.server.groups.yardsticks.assignments import AssignmentAt, frozen
from sortija.server.lens.evaluation import kept_clauses
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.fingerprints import fingerprint

__all__ = ["AGAINST", "Against", "ColumnHead", "Division", "divided", "heads_of"]

#: What the columns are: the segments, or the lens beside everyone or beside the rest.
Against = Literal["segments", "everyone", "rest"]
AGAINST: tuple[Against, ...] = get_args(Against)


@dataclass(frozen=True)
class Division:
    """``groups``: (n,) 0 to k − 1, others outside; ``shown``: how many of the k are columns;
    ``shaping``: measures and traits that it was made by, so that they prove nothing of it;
    ``stamp`` names the division's very content."""

    stamp: str
    groups: NDArray[np.int32]
    k: int
    shown: int
    shaping: frozenset[str]


class ColumnHead(BaseModel):
    """A column: a segment by its number and mark, else the lens (1) or the rest (2), unmarked."""

    number: int
    mark: int | None
    name: str
    short: str
    customers: int
    money: int


def divided(placed: AssignmentAt, lens: str, against: Against) -> Division:
    """The customers of a placement, parted; by segment where no lens is on.

    Who is in no segment is outside of every division, so that *everyone* is always the same.
    """
    placement = placed.placement
    state, k = np.asarray(placement.state, np.int32), placement.k
    rows, shaping = None, frozenset(frozen(placed.yardstick).names)
    if against != "segments":
        rows = lens_rows(placed.yardstick.study, placed.window, lens, placed.made)
    if rows is None:
        return Division(placed.stamp, state, k, k, shaping)
    groups = np.full(len(state), 2, np.int32)
    groups[(state >= 0) & (state < k)] = 1
    mine = rows[rows < len(state)]
    groups[mine[groups[mine] == 1]] = 0
    asked = _asked_about(kept_clauses(placed.yardstick.study, lens), shaping)
    content = hashlib.sha256(groups.astype(np.int8).tobytes()).hexdigest()
    stamp = fingerprint("lens and rest", content, sorted(asked))
    return Division(stamp, groups, 2, 1 if against == "everyone" else 2, asked)


def _asked_about(clauses: Sequence[Clause], shaping: frozenset[str]) -> frozenset[str]:
    """What a lens asks about: measures, traits, and of a segment what shaped the groups."""
    names: set[str] = set()
    for clause in clauses:
        kind, _, name = clause.field.partition(":")
        names |= shaping if kind == "segment" else {name if kind == "measure" else clause.field}
    return frozenset(names)


def heads_of(
    division: Division, placed: AssignmentAt, money: NDArray[np.int64]
) -> list[ColumnHead]:
    """What stands above the columns that are shown."""
    inside = (division.groups >= 0) & (division.groups < division.k)
    counts = np.bincount(division.groups[inside], minlength=division.k)
    sums = np.zeros(division.k, np.int64)
    np.add.at(sums, division.groups[inside], money[: len(inside)][inside])
    called: list[tuple[int | None, str, str]]
    if division.stamp == placed.stamp:
        called = [(s.mark, s.name, s.short) for s in placed.yardstick.segments.all()]
    else:
        called = [(None, "In the lens", "Lens"), (None, "The rest", "Rest")]
    return [
        ColumnHead(number=n + 1, mark=called[n][0], name=called[n][1], short=called[n][2],
                   customers=int(counts[n]), money=int(sums[n]))
        for n in range(division.shown)
    ]  # fmt: skip
