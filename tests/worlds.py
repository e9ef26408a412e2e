"""Worlds whose truth is known, to try the verdict on: tables and logs with groups and without.

``python -m tests.worlds 20`` tries each twenty times and counts what holds, which takes a while;
``./test`` tries a few of each.
"""

from __future__ import annotations

import sys
from collections import Counter
from datetime import date

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.engine import Engine
from sortija.core.groups.null_models import null_figures
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from sortija.core.groups.verdict import judge
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.measures.derive import derive
from sortija.core.measures.one_population import fit_population, simulate
from sortija.core.measures.preparation import Steps, propose
from sortija.core.measures.window import Window
from sortija.core.table import Column, Table

__all__ = ["GROUPS", "LOGS", "NOTHING", "log_of", "of_log", "of_table"]

LAST = date(2026, 6, 30)
MASK = mask_of(default_rules())
RFM = ("recency", "frequency", "monetary")
BLEND = np.array([[1.0, 0.8, 0.3], [0, 0.6, -0.5], [0, 0, 0.7]])
GRID = np.array([[0, 0], [1, 0], [0, 1], [1, 1]])
CORNERS = np.array([[0, 0], [1, 0], [0.5, 0.87]])


def _blobs(rng, n, middles, apart):
    """Groups whose middles are so many deviations from each other."""
    return apart * middles[rng.integers(0, len(middles), n)] + rng.normal(
        size=(n, middles.shape[1])
    )


#: Name → (numbers, their transform) of a table of one population.
NOTHING = {
    "uniform": lambda rng, n: (rng.random((n, 3)), "none"),
    "uniform line": lambda rng, n: (rng.random((n, 1)), "none"),
    "normal": lambda rng, n: (rng.normal(size=(n, 3)), "none"),
    "correlated": lambda rng, n: (rng.normal(size=(n, 3)) @ BLEND, "none"),
    "lognormal, raw": lambda rng, n: (np.exp(rng.normal(size=(n, 3)) @ BLEND), "none"),
    "lognormal, prepared": lambda rng, n: (np.exp(rng.normal(size=(n, 3)) @ BLEND), "log"),
}
#: The same with groups 3 deviations apart; how many there are.
GROUPS = {
    "two on a line": (2, lambda rng, n: (_blobs(rng, n, np.array([[0], [1]]), 3), "none")),
    "three corners": (3, lambda rng, n: (_blobs(rng, n, CORNERS, 3), "none")),
    "four in a square": (4, lambda rng, n: (_blobs(rng, n, GRID, 3), "none")),
    "four far": (4, lambda rng, n: (_blobs(rng, n, GRID, 5), "none")),
}


def _verdict(rows, recipe, engine, ks, population=None, resample=True):
    found = list(sweep(rows, ks, recipe, engine, resample=resample))
    ks = [c.k for c in found]
    silhouettes = [c.silhouette for c in found]
    own = silhouettes, [c.valley for c in found]
    without = null_figures(rows, ks, recipe, engine, population=population, own=own)
    verdict = judge(ks, *own, without)
    weakest, smallest = [c.weakest for c in found], [c.smallest for c in found]
    return verdict, suggest(ks, silhouettes, weakest, smallest, verdict)


def of_table(numbers, transform, engine, ks=range(2, 9), resample=True):
    """(verdict, suggestion) of a table of numbers."""
    columns = [Column(f"x{i}", "number", values.copy()) for i, values in enumerate(numbers.T)]
    steps = Steps(transform=transform)
    recipe = Recipe({c.name: steps for c in columns}, method="k-means")
    rows = prepare(Table(tuple(columns)), recipe)
    return _verdict(rows, recipe, engine, ks, resample=resample)


#: Name → (visits a year, spread of rates within a kind, log basket, last day of the year) a kind.
LOGS = {
    "one kind": [(12.0, 1.0, 3.0, 365)],
    "three kinds": [(2.5, 20, 4.2, 365), (12, 20, 2.6, 365), (40, 20, 3.4, 365)],
    "three kinds, one gone": [(6, 10, 3.2, 150), (12, 10, 2.6, 365), (40, 10, 3.6, 365)],
    "four kinds": [(3, 20, 2.5, 365), (3, 20, 4.5, 365), (25, 20, 2.5, 365), (25, 20, 4.5, 365)],
}


def log_of(kinds, rng, n):
    """A year of customers of some kinds, who came once in the years before; and its window."""
    kind = rng.integers(0, len(kinds), n)
    mean, shape, level, until = np.array(kinds, float)[kind].T
    rate = mean * rng.gamma(shape) / shape
    own = level + 0.3 * rng.normal(size=n)
    if len(kinds) == 1:  # who comes more often also buys more
        own += 0.3 * np.log(np.maximum(rate, 0.05) / mean)
    visits = rng.poisson(rate * until / 365)
    owner = np.repeat(np.arange(n), visits)
    day = (rng.random(len(owner)) * until[owner]).astype(int)
    owner, day = np.append(owner, np.arange(n)), np.append(day, -rng.integers(40, 1000, n))
    order = np.lexsort((day, owner))
    owner, day = owner[order], day[order]
    m = len(owner)
    start = np.zeros(n + 2, np.int64)
    start[1:-1] = np.cumsum(np.bincount(owner, minlength=n))
    start[-1] = m
    first = day_number(LAST) - 364
    total = np.exp(own[owner] + 0.5 * rng.normal(size=m))
    log = Log(
        start=start, day=(day + first).astype(np.int32), receipt=np.arange(m, dtype=np.uint64),
        quantity=np.full(m, 1000, np.int64), money=np.rint(100 * total).astype(np.int64),
        kind=np.zeros(m, np.int8), department=rng.integers(0, 5, m).astype(np.int16),
        site=np.zeros(m, np.int16), channel=np.zeros(m, np.int16), bits=np.zeros(m, np.int32),
    )  # fmt: skip
    return log, Window(LAST, 12)


def of_log(log, window, engine, ks=range(2, 9), resample=True):
    """(verdict, suggestion) of a log by recency, frequency and spend, as the server asks for it."""
    derived = derive(log, window, MASK, 2)
    there = derived.present
    steps = {
        name: propose(Column(name, "number", np.asarray(derived.table[name].values)[there]))
        for name in RFM
    }
    recipe = Recipe(steps, method="k-means")
    population = fit_population(log, window, MASK)

    def simulated(number, customers):
        made = derive(
            simulate(population, customers, np.random.default_rng([7, number])), window, MASK, 2
        )
        rows = np.flatnonzero(made.present)
        return Table(tuple(
            Column(c.name, "number", np.asarray(c.values)[rows]) for c in made.table
            if c.name in RFM
        ))  # fmt: skip

    rows = prepare(derived.table, recipe, there)
    return _verdict(rows, recipe, engine, ks, simulated, resample)


def main() -> None:
    times, n = int(sys.argv[1]) if len(sys.argv) > 1 else 20, 2500
    engine = Engine()
    for name, world in [*NOTHING.items(), *((k, w) for k, (_, w) in GROUPS.items())]:
        found = Counter(
            (v.level, s.k) for v, s in (
                of_table(*world(np.random.default_rng([seed, 7]), n), engine)
                for seed in range(times)
            )
        )  # fmt: skip
        print(name, dict(found), flush=True)
    for name, kinds in LOGS.items():
        found = Counter(
            (v.level, s.k) for v, s in (
                of_log(*log_of(kinds, np.random.default_rng([seed, 11]), n), engine)
                for seed in range(times)
            )
        )  # fmt: skip
        print(name, dict(found), flush=True)


if __name__ == "__main__":
    main()
