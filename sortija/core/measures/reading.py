"""How a log's lines are read into the measures of some windows, and columns made of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from functools import partial
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.ledger.counting import Kind
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import ON_OFFER
from sortija.core.measures.catalogue import MEASURES, Measure
from sortija.core.measures.column_layout import Layout, Names, layout_of
from sortija.core.measures.kernels import (
    FIXED,
    SUMS_OF_EVERYONE,
    Everyone,
    Figure,
    Results,
    Wanted,
    Windows,
    against_everyone,
)
from sortija.core.measures.window import Spans, Window, spans_of
from sortija.core.table import JOINED_LATER, NO_VISIT, NOT_GIVEN, TOO_FEW, Column

__all__ = ["Reading", "columns_from", "empty_results", "reading_of", "trend_of_everyone"]

SHORTEST_GAP = 14.0
#: What is always read: from these one tells whether there was a purchase, and when.
_ALWAYS = frozenset({"recency", "frequency"})
#: Why a figure is missing for a customer with a purchase; else for having too few visits.
_WHY = {"margin": NOT_GIVEN, "tenure": JOINED_LATER}


@dataclass(frozen=True)
class Reading:
    """``layout``: which columns come out; ``spans``: windows by day; ``wanted``: for kernels."""

    layout: Layout
    spans: Spans
    wanted: Wanted

    @property
    def windows(self) -> Windows:
        """The windows as kernels read them."""
        spans = self.spans
        return Windows(spans.first_days, spans.as_ofs, spans.of_day, spans.season)

    @property
    def width(self) -> int:
        """How many columns the kernels have room for."""
        return len(FIXED) + len(self.layout.shares)

    def joined(self, dates: NDArray[np.float64]) -> Reading:
        """The same with other days on which customers joined."""
        return replace(self, wanted=self.wanted._replace(joined=readonly(dates)))


def reading_of(
    log: Log, windows: Sequence[Window], begins: int, mask: int, scale: int, names: Names,
    joined: NDArray[np.float64] | None = None, only: AbstractSet[str] | None = None,
) -> Reading:  # fmt: skip
    """How to read ``log`` for ``windows``.

    Parameters
    ----------
    begins : int
        The log's first day, where windows over the whole log begin.
    only : set of str, optional
        Measures that are wanted; all that the log can give where it is not given.

    Raises
    ------
    ValueError
        A window begins or ends before the one in front of it, or there is none.
    """
    spans = spans_of(windows, max(begins, 0))
    told = log.cost is not None or bool(names.rates)
    if only is not None:
        names = _without_what_is_not_asked(names, only)
    layout = layout_of(names, told, lambda kind, size: _most_sold(log, mask, kind, size))
    if only is not None:
        unasked = {name for name in chain(FIXED, layout.shares) if name not in only}
        layout = replace(layout, left_out=layout.left_out | unasked)
    apart = (layout.left_out - _ALWAYS) | {"tenure"}  # which is not read from lines
    columns = [n for n, name in enumerate(chain(FIXED, layout.shares)) if name not in apart]
    rates = np.array(names.rates or ((np.nan,) if log.cost is not None else ()), np.float64)
    dates = readonly(np.zeros(0) if joined is None else joined)
    wanted = Wanted(
        mask, ON_OFFER, rates, dates, 10.0**scale, layout.at, np.array(columns), layout.slots
    )
    return Reading(layout, spans, wanted)


def _without_what_is_not_asked(names: Names, only: AbstractSet[str]) -> Names:
    """Labels of those kinds alone whose figures are wanted: sums by the others cost time."""

    def asked(kind: str) -> bool:
        return any(name.startswith(f"share_{kind}_") for name in only)

    departments = asked("department") or bool(only & {"breadth", "evenness"})
    return replace(
        names, departments=names.departments if departments else (),
        channels=names.channels if asked("channel") else (),
        sites=names.sites if asked("site") else (),
        shares=any(name.startswith("share_") for name in only),
    )  # fmt: skip


def _most_sold(log: Log, mask: int, kind: str, size: int) -> NDArray[np.int64]:
    """Numbers of departments or sites by the sales that count, most first."""
    codes: NDArray[np.int16] = getattr(log, kind)
    sales = log.counts(mask) & (log.kind == Kind.SALE) & (codes >= 0) & (codes < size)
    sold = np.bincount(codes[sales], log.money[sales], minlength=size)
    return np.argsort(-sold, kind="stable")


def empty_results(reading: Reading, customers: int) -> Results:
    """What a pass fills in, of so many customers and of one block."""
    many = len(reading.spans.as_ofs)
    return Results(
        np.empty((many, reading.width, customers)), np.zeros((many, customers), np.int64),
        np.full(customers, -1, np.int64), np.zeros((many, SUMS_OF_EVERYONE), np.int64),
        np.zeros((many, 2 * len(reading.spans.season) + 1), np.int32),
    )  # fmt: skip


def columns_from(
    layout: Layout, values: NDArray[np.float64], everyone: NDArray[np.int64],
    rhythms: NDArray[np.int64],
) -> tuple[tuple[Column, ...], dict[str, Measure]]:  # fmt: skip
    """The columns of one window under their names, and the measure behind each.

    Parameters
    ----------
    values : (C, n) float64, as the kernels leave them; what wants figures of everyone is put right
    everyone : (E,) int64, sums over everyone
    rhythms : (2·days + 1,) int, how many customers have which median gap, in half days
    """
    if not {"silence", "trend"} <= layout.left_out:
        own, recency, trend = values[Figure.SILENCE], values[Figure.RECENCY], values[Figure.TREND]
        shared = trend_of_everyone(everyone)
        against_everyone(own, recency, trend, _usual_gap(rhythms), SHORTEST_GAP, shared)
    visits = values[Figure.FREQUENCY]
    columns: list[Column] = []
    about: dict[str, Measure] = {}
    for place, name in enumerate(chain(FIXED, layout.shares)):
        if name in layout.left_out:
            continue
        measure = layout.shares.get(name) or MEASURES[name]
        why = partial(_reasons, values[place], visits, _WHY.get(name, TOO_FEW))
        columns.append(Column(name, "number", values[place], measure.unit, why=why))
        about[name] = measure
    return tuple(columns), about


def _reasons(
    values: NDArray[np.float64], visits: NDArray[np.float64], code: int
) -> NDArray[np.uint8]:
    """Why values are missing: there was no visit, or else what ``code`` says."""
    reasons = np.where(np.isnan(visits), np.uint8(NO_VISIT), np.uint8(code))
    return np.where(np.isnan(values), reasons, np.uint8(0))


def _usual_gap(rhythms: NDArray[np.int64]) -> float:
    """Median over customers of their median gaps, told by how many have which, in half days."""
    upto = np.cumsum(rhythms)
    if not upto[-1]:
        return SHORTEST_GAP
    low, high = np.searchsorted(upto, [(upto[-1] - 1) // 2, upto[-1] // 2], side="right")
    return float(low + high) / 4.0


def trend_of_everyone(whole: NDArray[np.int64]) -> float:
    """The trend of all customers together."""
    told = {each: int(whole[each]) for each in Everyone}
    half = told[Everyone.MONEY_OF_PURCHASES] / max(told[Everyone.FREQUENCY], 1) / 2.0
    early = told[Everyone.EARLY_GROSS]
    late = told[Everyone.GROSS] - early + half
    return math.log(late / (early + half)) if early + half > 0 and late > 0 else 0.0
