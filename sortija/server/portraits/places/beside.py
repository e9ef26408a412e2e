"""One district beside those that are like it: what it lacks, and what it has more of."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.labels import within
from sortija.core.portraits.places import (
    Beside,
    ShareBeside,
    beside,
    customers_missed,
    like_places,
)
from sortija.server.ledger.customers.traits import Trait
from sortija.server.portraits.division import ColumnHead
from sortija.server.portraits.places.ground import Ground, traits_told
from sortija.server.studies.problems import Problem

__all__ = ["BesidePage", "beside_page"]

#: Values of a trait that are set beside one another, at most.
MOST_VALUES = 8


class LikeTrait(BaseModel):
    """A trait that districts can be alike by; ``on``: they are."""

    key: str
    label: str
    on: bool


class BesideLine(BaseModel):
    """A share here and in the districts like it, all their customers together; ``least`` and
    ``greatest`` of those districts; ``low`` to ``high``: the 95% interval of what they have more;
    ``told``: it stands out against chance and against each of them. ``column``: the number of
    the segment it is about; ``of``: "households" or "customers"."""

    label: str
    column: int | None
    of: str
    here: float
    like: float
    least: float
    greatest: float
    low: float
    high: float
    told: bool


class MoreBody(BaseModel):
    """Customers more that the reach of its like would mean, with the interval of that; ``mostly``:
    the column of most of them, if there are such."""

    customers: float
    low: float
    high: float
    mostly: int | None


class BesidePage(BaseModel):
    place: str
    label: str
    customers: int
    traits: list[LikeTrait]
    like: list[str]
    lines: list[BesideLine]
    more: MoreBody | None


@dataclass(frozen=True)
class _Line:
    label: str
    column: int | None
    of: str
    share: ShareBeside


def beside_page(
    ground: Ground, heads: Sequence[ColumnHead], households: Sequence[int | None] | None,
    place: str, by: Sequence[str] | None,
) -> BesidePage:  # fmt: skip
    """A district and the five most like it by these traits (keys), by all that describe customers
    where ``by`` is None."""
    if place not in ground.codes:
        raise Problem(f"There is no {within(ground.label)} called {place}.", 404)
    at = ground.codes.index(place)
    traits = _traits(ground, by)
    on = [trait for trait, chosen in traits if chosen]
    numbers = [ground.mean_of(f"trait:{t.name}")[1] for t in on if t.kind == "number"]
    counts = {t.name: ground.of_trait(t) for t, _ in traits if t.kind == "category"}
    mixes = [_mix(counts[t.name]) for t in on if t.kind == "category"]
    like = like_places(numbers, mixes, ground.customers, at)
    lines = list(_lines(ground, heads, households, at, like))
    for trait, chosen in traits:
        if not chosen and trait.kind == "category" and len(trait.levels) <= MOST_VALUES:
            said = trait.said(ground.placed.yardstick.study)
            lines += _of_values(trait.label, said, counts[trait.name], at, like)
    found = beside([line.share for line in lines])
    return BesidePage(
        place=place, label=ground.labels[at], customers=int(ground.customers[at]),
        like=[ground.labels[n] for n in like],
        traits=[LikeTrait(key=f"trait:{t.name}", label=t.label, on=c) for t, c in traits],
        lines=[_body(line, each) for line, each in zip(lines, found, strict=True) if each],
        more=_more(ground, heads, households, at, like, found[0] if lines else None),
    )  # fmt: skip


def _traits(ground: Ground, by: Sequence[str] | None) -> list[tuple[Trait, bool]]:
    """Traits that describe customers, and whether districts are alike by them. What is agreed
    with the firm (consent, when they joined) describes nobody, unless it is asked for."""
    found = []
    for trait in traits_told(ground.placed):
        key = f"trait:{trait.name}"
        fits = trait.kind == "number" or len(trait.levels) >= 2
        if key == ground.key or not fits:
            continue
        usual = trait.type in ("number", "category", "ordered")
        found.append((trait, usual if by is None else key in by))
    return found


def _mix(counts: NDArray[np.int64]) -> NDArray[np.float64]:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(counts / counts.sum(axis=1, keepdims=True))


def _lines(
    ground: Ground, heads: Sequence[ColumnHead], households: Sequence[int | None] | None, at: int,
    like: Sequence[int],
) -> list[_Line]:  # fmt: skip
    """Reach first, then every column's share of the customers."""
    lines = []
    if households is not None and households[at]:
        pairs = [(int(ground.customers[n]), households[n] or 0) for n in (at, *like)]
        if all(count <= of for count, of in pairs):
            share = ShareBeside(pairs[0], tuple(pairs[1:]))
            lines.append(_Line("Customers", None, "households", share))
    counts = ground.counted(ground.division.groups, ground.division.k)
    lines += [
        _Line(head.name, head.number, "customers", _share(counts, head.number - 1, at, like))
        for head in heads
    ]
    return lines


def _of_values(
    label: str, levels: Sequence[str], counts: NDArray[np.int64], at: int, like: Sequence[int]
) -> list[_Line]:
    """One line a value; of two values the second says it all."""
    values = list(enumerate(levels))
    return [
        _Line(f"{label}: {level}", None, "customers", _share(counts, n, at, like))
        for n, level in (values[1:] if len(values) == 2 else values)
    ]


def _share(counts: NDArray[np.int64], level: int, at: int, like: Sequence[int]) -> ShareBeside:
    whole = counts.sum(axis=1)
    pairs = [(int(counts[n, level]), int(whole[n])) for n in (at, *like)]
    return ShareBeside(pairs[0], tuple(pairs[1:]))


def _body(line: _Line, found: Beside) -> BesideLine:
    return BesideLine(
        label=line.label, column=line.column, of=line.of, here=found.here, like=found.like,
        least=found.least, greatest=found.greatest, low=found.low, high=found.high,
        told=found.told,
    )  # fmt: skip


def _more(
    ground: Ground, heads: Sequence[ColumnHead], households: Sequence[int | None] | None, at: int,
    like: Sequence[int], reach: Beside | None,
) -> MoreBody | None:  # fmt: skip
    """What the reach of its like would mean; only where reach is told."""
    here = households[at] if households is not None else None
    if households is None or reach is None or not reach.told or not here or not like:
        return None
    counts = ground.counted(ground.division.groups, ground.division.k)
    others = sum(households[n] or 0 for n in like)
    wanted = customers_missed(counts[at], counts[list(like)].sum(axis=0), here, others)
    gap = (reach.like - reach.here) * here
    first = int(np.argmax(wanted * np.sign(gap)))
    shown = {head.number for head in heads}
    most = first + 1 in shown and abs(float(wanted[first])) > abs(gap) / 2
    return MoreBody(
        customers=gap, low=reach.low * here, high=reach.high * here,
        mostly=first + 1 if most else None,
    )  # fmt: skip
