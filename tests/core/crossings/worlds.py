"""Made-up worlds whose truth is known: customers who come at their own rates, and who of them
changed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.groups.grouping import group
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Recipe, prepare
from sortija.core.ledger.log import Log, order_lines
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.preparation import Steps
from sortija.core.measures.window import Window

BEFORE, AFTER = Window(date(2025, 6, 30)), Window(date(2026, 6, 30))
MASK = mask_of(default_rules())
SHAPING = ("recency", "frequency", "monetary")


@dataclass(frozen=True)
class World:
    """A log of three years to June 2026, and (n,) who changed in the last of them."""

    log: Log
    changed: np.ndarray

    def derived(self, window: Window):
        return derive(self.log, window, MASK, 2, Names(shares=False))


def world(
    customers: int = 3000,
    visits: float = 12,
    seed: int = 1,
    season: float = 0.0,
    shape: float = 1.0,
    changing: float = 0.0,
    to: float = 0.2,
    years: int = 3,
) -> World:
    """Customers with rates of their own, ``visits`` a year on average.

    ``season``: how far the year swings; ``shape``: of the gamma law of the gaps between visits, 1
    for a rhythm by chance and more for a regular one; ``changing``: a share whose rate falls to
    ``to`` of what it was in the last year.
    """
    rng = np.random.default_rng(seed)
    rate = visits * rng.gamma(3.0, 1 / 3.0, customers)
    basket = np.exp(rng.normal(3.0, 0.6, customers))
    changed = rng.random(customers) < changing
    first = day_number(date(2026 - years, 7, 1))
    last = day_number(date(2026, 7, 1))
    turn = day_number(date(2025, 7, 1))
    days = np.arange(first, last)
    weight = 1 + season * np.sin(2 * np.pi * (days - first) / 365.25)
    upto = np.concatenate([[0.0], np.cumsum(weight)]) / weight.mean()
    who, when = [], []
    for c in range(customers):
        at = _rhythm(rng, rate[c] / 365.25, float(upto[-1]), shape)
        mine = first + np.interp(at, upto, np.arange(len(upto))).astype(np.int64)
        if changed[c]:
            mine = mine[(mine < turn) | (rng.random(len(mine)) < to)]
        who.append(np.full(len(mine), c))
        when.append(np.sort(mine))
    customer = np.concatenate(who).astype(np.int32)
    day = np.concatenate(when).astype(np.int32)
    money = np.rint(100 * basket[customer] * np.exp(rng.normal(0, 0.5, len(day)))).astype(np.int64)
    return World(log_of(customer, day, money, customers), changed)


def _rhythm(rng: np.random.Generator, rate: float, end: float, shape: float) -> np.ndarray:
    """Times from 0 to ``end`` at this rate; the rhythm has gone on for long before."""
    many = int(rate * end * 1.5 + 12 * np.sqrt(rate * end / shape) + 20)
    gaps = rng.gamma(shape, 1 / (rate * shape), many)
    at = np.cumsum(gaps) - rng.random() * gaps.mean() * 5
    return at[(at >= 0) & (at < end)]


def log_of(customer: np.ndarray, day: np.ndarray, money: np.ndarray, customers: int) -> Log:
    """A log of sales, a line each."""
    receipt = np.arange(1, len(day) + 1).astype(np.uint64)
    order, start = order_lines(customer, day, receipt, customers)
    n = len(day)
    none = np.full(n, -1, np.int16)
    return Log(
        start, day[order], receipt[order], np.full(n, 1000, np.int64), money[order],
        np.zeros(n, np.int8), none, none, none, np.zeros(n, np.int32),
    )  # fmt: skip


def grouping(of: World, k: int, at: Window = AFTER) -> tuple[Preparation, Centres]:
    """The frozen constants of k groups by recency, frequency and monetary."""
    derived = of.derived(at)
    logs = {name: Steps(transform="log") for name in SHAPING}
    rows = prepare(derived.table, Recipe(logs, method="k-means"), derived.present)
    fit = group(rows, k, Recipe(logs, method="k-means", starts=3))
    return rows.preparation, fit.centres
