"""Logs of customers who differ in degree only: what groups are told apart from.

The visit model is gamma-Poisson (Ehrenberg 1959), fitted to who came in a window, so without those
who did not; baskets are lognormal around each customer's own level, which goes with its rate as it
does in the log; days are those of everyone's visits, and what is bought at a visit is drawn from
all receipts of about that size.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import gammaincinv, gammaln, ndtr

from sortija.core.ledger.log import Log
from sortija.core.measures.association import mid_ranks, pearson
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.window import Window
from sortija.core.sampling import SEED
from sortija.core.table import Table

__all__ = ["Population", "fit_population", "simulate", "simulated_table"]

LEAST_CUSTOMERS = 50
#: Lines that a population is fitted to.
MOST_LINES = 1_000_000
#: Visits whose contents serve as patterns.
MOST_PATTERNS = 20_000
#: What is bought goes by the size of the basket, give or take this share of all receipts.
JITTER = 0.03
_MOST_TRIES = 60


@dataclass(frozen=True)
class Population:
    """One population of customers, as fitted to a log and a window.

    ``r``, ``mean``: gamma of visits over a whole window; ``level``, ``between``, ``within``: mean
    and deviations of the logarithm of a basket, over customers and over visits; ``tie``: normal
    correlation of rate and level; ``days``: (v,) days of everyone's visits, sorted; ``tenure``:
    (c,) days since the first purchase of each customer; ``log``: the lines of the patterns, a
    customer each, and ``totals``: (p,) what each comes to, ascending.
    """

    window: Window
    first: int
    r: float
    mean: float
    level: float
    between: float
    within: float
    tie: float
    days: NDArray[np.int32]
    tenure: NDArray[np.int64]
    patterns: dict[str, NDArray[np.generic]]
    start: NDArray[np.int64]
    totals: NDArray[np.float64]


@dataclass(frozen=True)
class _Visits:
    """Visits of a window with a sale: customer, day, money, and where their lines lie."""

    owner: NDArray[np.int64]
    day: NDArray[np.int32]
    total: NDArray[np.float64]
    begin: NDArray[np.int64]
    end: NDArray[np.int64]


def _visits(log: Log, mask: int, first: int, after: int) -> _Visits:
    """Receipts with a kept sale of somebody's, within days ``first`` to ``after``, exclusive."""
    named = int(log.start[-2])
    day = np.asarray(log.day[:named])
    counted = log.counts(mask, slice(named))
    kept = np.flatnonzero(counted & (day >= first) & (day < after))
    owner = np.searchsorted(log.start, kept, side="right") - 1
    receipt = np.asarray(log.receipt)[kept]
    new = np.ones(len(kept), np.bool_)
    new[1:] = (np.diff(owner) != 0) | (np.diff(day[kept]) != 0) | (receipt[1:] != receipt[:-1])
    begin = np.flatnonzero(new)
    if not len(begin):
        none = np.zeros(0, np.int64)
        return _Visits(none, none.astype(np.int32), np.zeros(0), none, none)
    end = np.append(begin[1:], len(kept))
    sale = (np.asarray(log.kind)[kept] == 0) & (np.asarray(log.quantity)[kept] > 0)
    sums = np.add.reduceat(sale, begin)
    totals = np.add.reduceat(np.asarray(log.money)[kept].astype(np.float64), begin)
    some = np.flatnonzero((sums > 0) & (end - begin == kept[end - 1] - kept[begin] + 1))
    lines = kept[begin[some]]
    return _Visits(owner[begin[some]], day[lines], totals[some], lines,
                   lines + (end - begin)[some])  # fmt: skip


def fit_population(log: Log, window: Window, mask: int, seed: int = 4107) -> Population | None:
    """The one population that a window of a log is most like; None where too few came.

    Raises nothing: what cannot be fitted (fewer than 50 customers, nobody with a second visit,
    no basket of more than nothing) is None.
    """
    log = _some(log, seed)
    first = window.first_day(log.first_day(mask))
    found = _visits(log, mask, first, window.as_of)
    before = _visits(log, mask, 0, window.as_of)
    there, count = np.unique(found.owner, return_counts=True)
    positive = found.total > 0
    if len(there) < LEAST_CUSTOMERS or count.max() < 2 or positive.sum() < LEAST_CUSTOMERS:
        return None
    _, begins = np.unique(before.owner, return_index=True)
    joined = np.zeros(log.customers, np.int64)
    joined[before.owner[begins]] = before.day[begins]
    tenure = window.as_of - joined[there]
    span = window.as_of - first
    exposure = np.minimum(tenure / span, 1.0)
    r, mean = _fit_rates(count.astype(np.float64), exposure, tenure > span)
    x = np.log(found.total[positive])
    place = np.searchsorted(there, found.owner[positive])
    many = np.bincount(place, minlength=len(there))
    own = np.bincount(place, x, minlength=len(there)) / np.maximum(many, 1)
    known = many > 0
    spread = float(((x - own[place]) ** 2).sum() / max(len(x) - known.sum(), 1))
    between = float(max(own[known].var() - spread * np.mean(1 / many[known]), 1e-6))
    ranks = [mid_ranks(v[known]) for v in ((count / exposure), own)]
    spearman = pearson(*ranks)
    tie = 0.0 if np.isnan(spearman) else 2 * np.sin(np.pi * spearman / 6)
    # Chance in few visits hides part of what ties rate and level.
    tie = float(np.clip(tie * np.sqrt((between + spread * np.mean(1 / many[known])) / between),
                        -0.95, 0.95))  # fmt: skip
    lines, start, totals = _patterns(log, mask, found, seed)
    return Population(
        window, first, r, mean, float(own[known].mean()), between**0.5, spread**0.5, tie,
        np.sort(found.day), tenure, lines, start, totals,
    )  # fmt: skip


def _some(log: Log, seed: int) -> Log:
    """Some customers of a long log, drawn at random, with all their lines."""
    if len(log) <= MOST_LINES:
        return log
    rng = np.random.default_rng([seed, 37])
    count = max(int(log.customers * MOST_LINES / len(log)), LEAST_CUSTOMERS)
    drawn = np.sort(rng.choice(log.customers, min(count, log.customers), replace=False))
    lengths = (log.start[1:] - log.start[:-1])[drawn]
    start = np.concatenate([[0], np.cumsum(lengths)])
    place = np.repeat(log.start[drawn] - start[:-1], lengths) + np.arange(start[-1])
    names = ("day", "receipt", "quantity", "money", "kind", "department", "site", "channel", "bits")
    arrays = {name: np.asarray(getattr(log, name))[place] for name in names}
    return Log(start=np.append(start, start[-1]), **arrays)


def _fit_rates(
    count: NDArray[np.float64], exposure: NDArray[np.float64], old: NDArray[np.bool_]
) -> tuple[float, float]:
    """r and mean of the gamma by maximum likelihood.

    Who was there before the window is counted only with a visit in it (zero-truncated); of who
    joined in it the first visit made them join, and the others count.
    """
    x = np.where(old, count, count - 1)

    def cost(logs: NDArray[np.float64]) -> float:
        r, mean = np.exp(logs)
        rate = mean * exposure
        log_p0 = r * (np.log(r) - np.log(r + rate))
        value = gammaln(r + x) - gammaln(r) - gammaln(x + 1) + log_p0
        value += x * (np.log(rate) - np.log(r + rate))
        value -= np.where(old, np.log(-np.expm1(np.minimum(log_p0, -1e-12))), 0.0)
        return -float(value.mean())

    begin = np.log([1.0, max(float(count.mean()), 0.1)])
    got = minimize(cost, begin, method="L-BFGS-B", bounds=[(-4.0, 7.0), (-5.0, 9.0)])
    r, mean = np.exp(got.x)
    return float(r), float(mean)


def _patterns(
    log: Log, mask: int, found: _Visits, seed: int
) -> tuple[dict[str, NDArray[np.generic]], NDArray[np.int64], NDArray[np.float64]]:
    """Lines of visits that served as patterns, by what they come to."""
    good = np.flatnonzero(found.total > 0)
    if len(good) > MOST_PATTERNS:
        rng = np.random.default_rng([seed, 29])
        good = rng.choice(good, MOST_PATTERNS, replace=False)
    good = good[np.argsort(found.total[good], kind="stable")]
    lengths = (found.end - found.begin)[good]
    start = np.concatenate([[0], np.cumsum(lengths)])
    place = np.repeat(found.begin[good] - start[:-1], lengths) + np.arange(start[-1])
    names = ("quantity", "money", "kind", "department", "site", "channel", "bits")
    lines = {name: np.asarray(getattr(log, name))[place] for name in names}
    lines["bits"] = np.asarray(lines["bits"]) & ~np.int32(mask)
    return lines, start, found.total[good]


def simulate(population: Population, customers: int, rng: np.random.Generator) -> Log:
    """The log of ``customers`` of one population, each with a visit in the window.

    Whoever was there before the window has one purchase on the day they joined, so that they are
    customers for as long as in the log.
    """
    p, window = population, population.window
    span = window.as_of - p.first
    tenure, visits, level = _drawn(p, customers, span, rng)
    old = tenure > span
    owner = np.repeat(np.arange(customers), visits)
    # Of who joined in the window, the first visit is the day of joining and the others follow.
    joined = window.as_of - tenure
    since = np.where(old, p.first, joined)
    low = np.searchsorted(p.days, since[owner])
    pick = low + (rng.random(len(owner)) * (len(p.days) - low)).astype(np.int64)
    day = p.days[np.minimum(pick, len(p.days) - 1)].astype(np.int64)
    begins = np.concatenate([[0], np.cumsum(visits)[:-1]])
    day[begins[~old]] = joined[~old]
    total = np.exp(level[owner] + p.within * rng.standard_normal(len(owner)))
    anchors = np.flatnonzero(old)
    owner = np.concatenate([owner, anchors])
    day = np.concatenate([day, joined[anchors]])
    total = np.concatenate([total, np.exp(level[anchors])])
    return _as_log(p, customers, owner, day, total, rng)


def simulated_table(
    population: Population, window: Window, mask: int, scale: int, names: Names, number: int,
    customers: int,
) -> Table:  # fmt: skip
    """The measures of so many simulated customers; the same for the same ``number``."""
    log = simulate(population, customers, np.random.default_rng([SEED, number]))
    derived = derive(log, window, mask, scale, names)
    return derived.table.taken(np.flatnonzero(derived.present))


def _drawn(
    p: Population, customers: int, span: int, rng: np.random.Generator
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """Tenure, visits and log basket of customers who came at least once."""
    parts: list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]] = []
    there = 0
    for _ in range(_MOST_TRIES):
        tenure = p.tenure[rng.integers(0, len(p.tenure), customers)]
        first, other = rng.standard_normal((2, customers))
        rate = gammaincinv(p.r, np.clip(ndtr(first), 1e-12, 1 - 1e-12)) * p.mean / p.r
        level = p.level + p.between * (p.tie * first + np.sqrt(1 - p.tie**2) * other)
        visits = rng.poisson(rate * np.minimum(tenure / span, 1.0)) + (tenure <= span)
        came = visits > 0
        parts.append((tenure[came], visits[came].astype(np.int64), level[came]))
        there += int(came.sum())
        if there >= customers:
            break
    tenure, visits, level = (np.concatenate(each)[:customers] for each in zip(*parts, strict=True))
    short = customers - len(visits)
    if short > 0:  # nearly nobody of this population comes at all: one visit each
        tenure = np.concatenate([tenure, np.full(short, span + 1)])
        visits = np.concatenate([visits, np.ones(short, np.int64)])
        level = np.concatenate([level, np.full(short, p.level)])
    return tenure, visits, level


def _as_log(
    p: Population, customers: int, owner: NDArray[np.int64], day: NDArray[np.int64],
    total: NDArray[np.float64], rng: np.random.Generator,
) -> Log:  # fmt: skip
    """Lines of the visits, each after a receipt of about its size, scaled to what it comes to."""
    n = len(p.totals)
    near = np.searchsorted(p.totals, total) + rng.normal(0, JITTER * n, len(total))
    pattern = np.clip(np.rint(near).astype(np.int64), 0, n - 1)
    order = np.lexsort((day, owner))
    owner, day, total, pattern = owner[order], day[order], total[order], pattern[order]
    lengths = np.diff(p.start)[pattern]
    at = np.concatenate([[0], np.cumsum(lengths)])
    place = np.repeat(p.start[:-1][pattern] - at[:-1], lengths) + np.arange(at[-1])
    scale = np.repeat(total / p.totals[pattern], lengths)
    lines = {name: values[place] for name, values in p.patterns.items()}
    start = np.zeros(customers + 2, np.int64)
    np.cumsum(np.bincount(owner, lengths, minlength=customers).astype(np.int64),
              out=start[1 : customers + 1])  # fmt: skip
    start[-1] = start[-2]
    return Log(
        start=start, day=np.repeat(day, lengths).astype(np.int32),
        receipt=np.repeat(np.arange(len(day), dtype=np.uint64), lengths),
        quantity=lines["quantity"].astype(np.int64),
        money=np.rint(lines["money"].astype(np.float64) * scale).astype(np.int64),
        kind=lines["kind"].astype(np.int8), department=lines["department"].astype(np.int16),
        site=lines["site"].astype(np.int16), channel=lines["channel"].astype(np.int16),
        bits=lines["bits"].astype(np.int32),
    )  # fmt: skip
