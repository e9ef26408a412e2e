"""Long work by way of a cluster against the same on threads, both on this one machine.

Two workers of a thread each have the same two cores as the threads: what the way to a cluster costs
is all that can show here.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from distributed import LocalCluster

from benchmarks.support import Row, interleave
from sortija.core.engine import Engine
from sortija.core.engine.cluster import Cluster
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.sweep import sweep
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table

ROWS, COLUMNS = 1_000_000, 6


def run() -> list[Row]:
    rng = np.random.default_rng(1)
    own = rng.integers(0, 5, ROWS)
    table = Table(tuple(
        Column(f"x{n}", "number", rng.normal(own * (n % 3), 1.0)) for n in range(COLUMNS)
    ))  # fmt: skip
    recipe = Recipe({column.name: Steps() for column in table})
    rows = prepare(table, recipe)
    threads = Engine(2)
    with LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None
    ) as workers:
        cluster = Cluster(workers.scheduler_address)

        def by(engine: Engine) -> Callable[[], object]:
            return lambda: list(sweep(rows, [4, 5], recipe, engine, settled=True))

        there, here = interleave(by(cluster), by(threads))
        cluster.release()
    threads.release()
    return [
        Row(f"a sweep k = 4, 5 with stability, 1M × {COLUMNS}, by a cluster of two workers here",
            f"{there:.1f} s", f"two threads {here:.1f} s", there / here, "at most 1.5",
            there / here <= 1.5)
    ]  # fmt: skip
