"""One iteration of k-means against SciPy's, and of k-prototypes against our own k-means."""

from __future__ import annotations

import numpy as np
from scipy.cluster.vq import kmeans2

from benchmarks.support import Row, interleave
from sortija.core.engine import Engine
from sortija.core.groups.engines import Centres, lloyd
from sortija.core.groups.recipe import Category, Preparation, Prepared

ROWS, K = 1_000_000, 6
#: Iterations a call; a call's own cost is shared among them, on both sides.
PASSES = 5


def _rows(numbers: np.ndarray, categories: int) -> Prepared:
    rng = np.random.default_rng(2)
    codes = rng.integers(1, 5, (categories, len(numbers))).astype(np.uint8)
    made = tuple(Category(f"c{n}", ("a", "b", "c", "d"), 1.3) for n in range(categories))
    columns = np.ascontiguousarray(numbers.T)
    return Prepared(Preparation((), made), columns, codes, np.arange(len(numbers)))


def run() -> list[Row]:
    """Both rows of the table."""
    rng = np.random.default_rng(1)
    numbers = rng.normal(size=(ROWS, 10)).astype(np.float32)
    eight = np.ascontiguousarray(numbers[:, :8])
    engine = Engine(2)
    start = eight[:K].copy()
    rows = _rows(eight, 0)
    centres = Centres(start, np.zeros((K, 0), np.uint8))

    def ours() -> object:
        return lloyd(rows, centres, engine, most_passes=PASSES)

    def scipy() -> object:
        return kmeans2(eight, start.copy(), iter=PASSES, minit="matrix")

    mine, theirs = (seconds / PASSES for seconds in interleave(ours, scipy))
    ten = _rows(numbers, 0)
    mixed = _rows(np.ascontiguousarray(numbers[:, :6]), 4)
    ten_start = Centres(numbers[:K].copy(), np.zeros((K, 0), np.uint8))
    mixed_start = Centres(numbers[:K, :6].copy(), mixed.codes[:, :K].T.copy())
    plain, prototypes = (
        seconds / PASSES
        for seconds in interleave(
            lambda: lloyd(ten, ten_start, engine, most_passes=PASSES),
            lambda: lloyd(mixed, mixed_start, engine, most_passes=PASSES),
        )
    )
    engine.release()
    faster, slower = theirs / mine, prototypes / plain
    return [
        Row("k-means, one iteration, 1M × 8 float32, k = 6, two threads", f"{1e3 * mine:.1f} ms",
            f"SciPy kmeans2 {1e3 * theirs:.1f} ms", faster, "at least 6 times", faster >= 6),
        Row("k-prototypes, one iteration, 1M × (6 + 4)", f"{1e3 * prototypes:.1f} ms",
            f"our k-means on 1M × 10 {1e3 * plain:.1f} ms", slower, "at most 4", slower <= 4),
    ]  # fmt: skip
