"""Derive the measures of every customer within one window."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, chunk_bounds
from sortija.core.ledger.log import Log
from sortija.core.measures.catalogue import MEASURES, SEASONS, Measure, describe_share
from sortija.core.measures.kernels import (
    COUNTS,
    FIGURES,
    SUMS,
    derive_block,
    evenness_block,
    finish,
    shares_block,
    window_money,
)
from sortija.core.measures.window import EPOCH, Window
from sortija.core.progress import Progress, silent
from sortija.core.table import Column, Table

__all__ = ["VERSION", "Derived", "Names", "Reconciliation", "derive", "last_day_of"]

VERSION = 1
SHORTEST_GAP = 14.0
NO_VISIT, TOO_FEW, NOT_GIVEN, JOINED_LATER = 1, 2, 3, 4


@dataclass(frozen=True)
class Names:
    """Labels for the numbers that lines carry.

    ``rates``: what of a department's sales is gross margin (0 to 1, NaN where nobody said), one
    a department and one more for the rest; empty where none was said at all.
    """

    departments: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()
    rates: tuple[float, ...] = ()


@dataclass(frozen=True)
class Reconciliation:
    """Money at the study's scale: the window's ledger total and the three parts it splits into."""

    ledger: int
    table: int
    without_purchase: int
    without_customer: int

    @property
    def balances(self) -> bool:
        return self.ledger == self.table + self.without_purchase + self.without_customer


@dataclass(frozen=True)
class Derived:
    """Measures of one window.

    ``table``: one row a customer (also those without a purchase: all their measures are
    missing); ``about``: the measure behind each column; ``present``: (n,) who made a purchase;
    ``known``: (n,) who is known at the window's end; ``bought``: (n,) who made a purchase before
    it; ``money``: (n,) int64 sales less returns.
    """

    table: Table
    about: dict[str, Measure]
    present: NDArray[np.bool_]
    known: NDArray[np.bool_]
    bought: NDArray[np.bool_]
    money: NDArray[np.int64]
    reconciliation: Reconciliation


def _seasons(first_day: int, as_of: int) -> NDArray[np.int8]:
    days = np.arange(first_day, max(as_of, first_day)).astype("M8[D]")
    month = days.astype("M8[M]").astype(int) % 12
    return np.array([0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3, 0], np.int8)[month]


def derive(
    log: Log,
    window: Window,
    mask: int,
    scale: int,
    names: Names | None = None,
    joined: NDArray[np.float64] | None = None,
    engine: Engine | None = None,
    progress: Progress = silent,
) -> Derived:
    """One row a customer from the lines that count within ``window``.

    Parameters
    ----------
    log : Log
    mask : int
        Bits of the rules that are on (``rules.mask_of``).
    scale : int
        Decimals of the study's money; money columns come out in major units.
    names : Names, optional
        Labels of departments and channels; those named get a share each.
    joined : (customers,) float64, optional
        Joining dates in days since 1970-01-01, NaN where not given.
    """
    names = names or Names()
    engine = engine or Engine(1)
    n = log.customers
    begins = log.first_day(mask)
    first, as_of = window.first_day(max(begins, 0)), window.as_of
    first = min(first, as_of)
    counts = np.zeros((n, len(COUNTS)), np.int64)
    sums = np.zeros((n, len(SUMS)), np.int64)
    figures = np.full((n, len(FIGURES)), np.nan)
    by_department = np.zeros((n, len(names.departments)), np.int64)
    by_channel = np.zeros((n, len(names.channels)), np.int64)
    by_season = np.zeros((n, 4), np.int64)
    seasons = _seasons(first, as_of)
    told = log.cost is not None or bool(names.rates)
    cost = log.cost if log.cost is not None else np.zeros(0, np.int64)
    rates = np.array(names.rates or (np.nan,) * (len(names.departments) + 1))
    blocks = chunk_bounds(n)

    def block(place: int) -> None:
        progress("measures", place, len(blocks))
        derive_block(
            log.start, log.day, log.receipt, log.quantity, log.money, log.kind,
            log.department, log.channel, seasons, log.bits, cost, rates,
            *blocks[place], mask, first, as_of,
            counts, sums, figures, by_department, by_channel, by_season,
        )  # fmt: skip

    engine.map(block, range(len(blocks)))
    counted = {name: counts[:, place] for place, name in enumerate(COUNTS)}
    summed = {name: sums[:, place] for place, name in enumerate(SUMS)}
    drawn = {name: figures[:, place] for place, name in enumerate(FIGURES)}
    present = counted["frequency"] > 0
    builder = _Builder(present, scale, engine)
    _money_and_rhythm(builder, counted, summed, drawn, as_of, joined)
    if told:
        margin = np.where(counted["unpriced"] > 0, np.nan, summed["margin"] / builder.unit)
        builder.add(MEASURES["margin"], margin, NOT_GIVEN)
    _breadth(builder, counted, by_department, summed["gross"])
    _trend(builder, counted, summed, as_of - first, builder.tenure)
    returned = np.ascontiguousarray(counted["returned_lines"])[:, None]
    builder.add_shares([MEASURES["returned"]], returned, counted["lines"])
    weekend = np.ascontiguousarray(summed["weekend"])[:, None]
    builder.add_shares([MEASURES["weekend"]], weekend, summed["gross"])
    for kind, labels, values in (
        ("season", SEASONS, by_season),
        ("department", names.departments, by_department),
        ("channel", names.channels, by_channel),
    ):
        slug = [label.lower().replace(" ", "_") for label in labels]
        about = [
            describe_share(f"share_{kind}_{s}", kind, label)
            for s, label in zip(slug, labels, strict=True)
        ]
        builder.add_shares(about, values, summed["gross"])
    bought = counted["first_ever"] >= 0
    known = bought.copy()
    if joined is not None:
        known |= joined < as_of
    return Derived(
        table=Table(tuple(builder.columns)),
        about=builder.about,
        present=present,
        known=known,
        bought=bought,
        money=summed["monetary"].copy(),
        reconciliation=_reconcile(log, mask, first, as_of, summed["monetary"], present, engine),
    )


def _reconcile(
    log: Log, mask: int, first: int, as_of: int, money: NDArray[np.int64],
    present: NDArray[np.bool_], engine: Engine,
) -> Reconciliation:  # fmt: skip
    def total(bounds: tuple[int, int]) -> int:
        return int(window_money(log.day, log.bits, log.money, mask, first, as_of, *bounds))

    ownerless = int(log.start[-2])
    return Reconciliation(
        ledger=sum(engine.map(total, chunk_bounds(len(log)))),
        table=int(money[present].sum()),
        without_purchase=int(money[~present].sum()),
        without_customer=total((ownerless, len(log))),
    )


class _Builder:
    """Collects columns; whoever made no purchase is missing in each, for that reason."""

    def __init__(self, present: NDArray[np.bool_], scale: int, engine: Engine) -> None:
        self.present, self.engine = present, engine
        self.unit = 10.0**scale
        self.columns: list[Column] = []
        self.about: dict[str, Measure] = {}
        self.tenure: NDArray[np.float64] = np.full(len(present), np.nan)

    def add(self, measure: Measure, values: NDArray[np.float64], otherwise: int = TOO_FEW) -> None:
        """``otherwise``: the reason where a customer with purchases has no value."""
        values = np.array(values, np.float64)
        reasons = np.empty(len(values), np.uint8)
        finish(values, self.present, otherwise, NO_VISIT, reasons)
        self._keep(measure, values, reasons)

    def add_shares(
        self, measures: list[Measure], parts: NDArray[np.int64], whole: NDArray[np.int64]
    ) -> None:
        """A column for each column of ``parts``: its share of ``whole``."""
        n = len(whole)
        values = np.empty((len(measures), n))
        reasons = np.empty((len(measures), n), np.uint8)

        def block(bounds: tuple[int, int]) -> None:
            shares_block(parts, whole, self.present, TOO_FEW, NO_VISIT, *bounds, values, reasons)

        self.engine.map(block, chunk_bounds(n))
        for place, measure in enumerate(measures):
            self._keep(measure, values[place], reasons[place])

    def _keep(
        self, measure: Measure, values: NDArray[np.float64], reasons: NDArray[np.uint8]
    ) -> None:
        self.columns.append(Column(measure.name, "number", values, measure.unit, reasons=reasons))
        self.about[measure.name] = measure


def _money_and_rhythm(
    builder: _Builder,
    counted: dict[str, NDArray[np.int64]],
    summed: dict[str, NDArray[np.int64]],
    drawn: dict[str, NDArray[np.float64]],
    as_of: int,
    joined: NDArray[np.float64] | None,
) -> None:
    recency = (as_of - counted["last_day"]).astype(np.float64)
    frequency = counted["frequency"].astype(np.float64)
    builder.add(MEASURES["recency"], recency)
    builder.add(MEASURES["frequency"], frequency)
    builder.add(MEASURES["monetary"], summed["monetary"] / builder.unit)
    with np.errstate(invalid="ignore", divide="ignore"):
        builder.add(MEASURES["basket_mean"], summed["net_purchases"] / frequency / builder.unit)
    builder.add(MEASURES["basket_median"], drawn["basket_median"] / builder.unit)

    first = np.where(counted["first_ever"] >= 0, counted["first_ever"], np.nan)
    if joined is not None:
        first = np.where(np.isnan(joined), first, joined)
    tenure = as_of - first
    builder.tenure = np.where(tenure > 0, tenure, np.nan)
    builder.add(MEASURES["tenure"], builder.tenure, JOINED_LATER)

    three = counted["days"] >= 3
    own = drawn["gap_median"]
    base = float(np.median(own[three])) if three.any() else SHORTEST_GAP
    usual = np.maximum(np.where(three, own, base), SHORTEST_GAP)
    builder.add(MEASURES["silence"], recency / usual)
    builder.add(MEASURES["gap_mean"], drawn["gap_mean"])
    builder.add(MEASURES["gap_cv"], drawn["gap_cv"])


def _breadth(
    builder: _Builder,
    counted: dict[str, NDArray[np.int64]],
    by_department: NDArray[np.int64],
    gross: NDArray[np.int64],
) -> None:
    if by_department.shape[1] < 2:
        return
    builder.add(MEASURES["breadth"], counted["departments"].astype(np.float64))
    value = np.empty(len(gross))

    def block(bounds: tuple[int, int]) -> None:
        evenness_block(by_department, *bounds, value)

    builder.engine.map(block, chunk_bounds(len(gross)))
    value[gross <= 0] = np.nan
    builder.add(MEASURES["evenness"], value)


def _trend(
    builder: _Builder,
    counted: dict[str, NDArray[np.int64]],
    summed: dict[str, NDArray[np.int64]],
    days: int,
    tenure: NDArray[np.float64],
) -> None:
    frequency = counted["frequency"]
    enough = (frequency >= 3) & (tenure >= days)
    with np.errstate(invalid="ignore", divide="ignore"):
        half = summed["net_purchases"] / np.maximum(frequency, 1) / 2.0
        own = np.log((summed["late"] + half) / (summed["early"] + half))
        all_half = summed["net_purchases"].sum() / max(int(frequency.sum()), 1) / 2.0
        early, late = summed["early"].sum() + all_half, summed["late"].sum() + all_half
        everyone = math.log(late / early) if early > 0 and late > 0 else 0.0
    value = np.where(enough & np.isfinite(own), own - everyone, np.nan)
    builder.add(MEASURES["trend"], value)


def last_day_of(log: Log, mask: int) -> Window | None:
    """The default window: 12 months up to the newest counted day; None for an empty ledger."""
    newest = log.last_day(mask)
    return Window(EPOCH + timedelta(days=newest)) if newest >= 0 else None
