"""Rules against passes of k-means over the same rows."""

from __future__ import annotations

import numpy as np

from benchmarks.support import Row, interleave
from sortija.core.engine import Engine
from sortija.core.groups.lloyd import Centres, lloyd
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.core.portraits.rules import retell
from sortija.core.portraits.tree import grow
from sortija.core.table import Column

ROWS, COLUMNS, K = 1_000_000, 8, 6
#: A call's own cost is shared among them.
PASSES = 10


def run() -> list[Row]:
    """The rows of the table."""
    rng = np.random.default_rng(5)
    groups = rng.integers(0, K, ROWS)
    numbers = 1.2 * rng.normal(size=(K, COLUMNS))[groups] + rng.normal(size=(ROWS, COLUMNS))
    columns = [Column(f"x{n}", "number", numbers[:, n].copy()) for n in range(COLUMNS)]
    rows = Prepared(
        Preparation((), ()), np.ascontiguousarray(numbers.T.astype(np.float32)),
        np.zeros((0, ROWS), np.uint8), np.arange(ROWS),
    )  # fmt: skip
    centres = Centres(np.ascontiguousarray(rows.numbers[:, :K].T), np.zeros((K, 0), np.uint8))
    engine = Engine()

    def passed() -> object:
        return lloyd(rows, centres, engine, most_passes=PASSES)

    try:
        tree, a_pass = interleave(lambda: grow(columns, groups, K, 3, engine=engine), passed)
        whole, other = interleave(lambda: retell(columns, groups, K, 3, engine=engine), passed)
    finally:
        engine.release()
    return [
        _row("a tree of three questions on 1M × 8", tree, a_pass),
        _row("the same with three in ten rows held back, rules and where it errs", whole, other),
    ]


def _row(name: str, seconds: float, a_pass: float) -> Row:
    a_pass /= PASSES
    passes = seconds / a_pass
    told = f"a k-means pass {1e3 * a_pass:.1f} ms"
    return Row(name, f"{seconds:.2f} s", told, passes, "at most 30", passes <= 30)
