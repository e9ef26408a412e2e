"""The grouping engines against SciPy's, against each other and against plain passes."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator

import numpy as np
from scipy.cluster.hierarchy import linkage
from scipy.cluster.vq import kmeans2

from benchmarks.support import Row, forget_peak, interleave, peak, timed
from sortija.core.engine import Engine
from sortija.core.groups.grouping import group, grouper
from sortija.core.groups.linkages import ward
from sortija.core.groups.lloyd import Centres, lloyd
from sortija.core.groups.medoids import swap_medoids
from sortija.core.groups.neighbourhood import neighbourhood_of
from sortija.core.groups.null_models import null_figures
from sortija.core.groups.recipe import Category, Preparation, Prepared, Recipe
from sortija.core.groups.sweep import sweep
from sortija.core.groups.verdict import judge

ROWS, K = 1_000_000, 6
#: Iterations a call; a call's own cost is shared among them, on both sides.
PASSES = 10
KS = range(2, 11)
PLAIN = Recipe({}, method="k-means")


def _rows(numbers: np.ndarray, categories: int = 0) -> Prepared:
    rng = np.random.default_rng(2)
    codes = rng.integers(1, 5, (categories, len(numbers))).astype(np.uint8)
    made = tuple(Category(f"c{n}", ("a", "b", "c", "d"), 1.3) for n in range(categories))
    columns = np.ascontiguousarray(numbers.T)
    return Prepared(Preparation((), made), columns, codes, np.arange(len(numbers)))


def _blobs(rows: int, columns: int, seed: int = 5) -> np.ndarray:
    """Six kinds of customers that overlap, as measures do."""
    rng = np.random.default_rng(seed)
    middle = rng.normal(0, 1.5, (6, columns))
    who = rng.integers(0, 6, rows)
    return (middle[who] + rng.normal(size=(rows, columns))).astype(np.float32)


def _first(rows: Prepared, k: int = K) -> Centres:
    return Centres(np.ascontiguousarray(rows.numbers[:, :k].T), rows.codes[:, :k].T.copy())


def _lloyd(engine: Engine) -> list[Row]:
    """To convergence from the same starts, for as many iterations on both sides; and a pass."""
    eight = _blobs(ROWS, 8)
    rows = _rows(eight)
    start = _first(rows)
    ended = lloyd(rows, start, engine)
    found: list[float] = []

    def scipy() -> object:
        centres, labels = kmeans2(eight, start.numbers.copy(), iter=ended.passes, minit="matrix")
        found[:] = [float(((eight - centres[labels]) ** 2).sum(dtype=np.float64))]
        return labels

    mine, theirs = interleave(lambda: lloyd(rows, start, engine), scipy)
    target = np.empty_like(rows.numbers)
    one, copied = interleave(
        lambda: lloyd(rows, start, engine, most_passes=PASSES),
        lambda: np.copyto(target, rows.numbers),
    )
    faster, off = theirs / mine, abs(ended.cost - found[0]) / found[0]
    a_pass = one / PASSES / copied
    return [
        Row(f"k-means to the end, 1M × 8 float32, k = 6, {ended.passes} iterations",
            f"{mine:.2f} s", f"SciPy kmeans2 {theirs:.2f} s", faster, "at least 8 times",
            faster >= 8),
        Row("its cost against SciPy's, relative", f"{off:.1e}", "1e-5", off / 1e-5, "at most 1",
            off <= 1e-5),
        Row("one pass of it", f"{1e3 * one / PASSES:.1f} ms", f"a copy {1e3 * copied:.1f} ms",
            a_pass, "at most 3", a_pass <= 3),
    ]  # fmt: skip


def _mixed(engine: Engine) -> list[Row]:
    numbers = _blobs(ROWS, 10)
    ten, mixed = _rows(numbers), _rows(np.ascontiguousarray(numbers[:, :6]), 4)
    plain, prototypes = (
        seconds / PASSES
        for seconds in interleave(
            lambda: lloyd(ten, _first(ten), engine, most_passes=PASSES),
            lambda: lloyd(mixed, _first(mixed), engine, most_passes=PASSES),
        )
    )
    small = _rows(numbers[:100_000])
    hundred, million = (
        seconds / PASSES
        for seconds in interleave(
            lambda: lloyd(small, _first(small), engine, most_passes=PASSES),
            lambda: lloyd(ten, _first(ten), engine, most_passes=PASSES),
        )
    )
    slower, a_row = prototypes / plain, (million / ROWS) / (hundred / 100_000)
    return [
        Row("k-prototypes, one iteration, 1M × (6 + 4)", f"{1e3 * prototypes:.1f} ms",
            f"our k-means on 1M × 10 {1e3 * plain:.1f} ms", slower, "at most 3", slower <= 3),
        Row("a pass at 1M × 10, by the row", f"{1e9 * million / ROWS:.1f} ns",
            f"at 100k {1e9 * hundred / 100_000:.1f} ns", a_row, "at most 1.3", a_row <= 1.3),
    ]  # fmt: skip


def _passes(rows: Prepared, engine: Engine, passes: int) -> None:
    """So many full passes, whether or not anything moves."""
    left = passes
    while left > 0:
        left -= lloyd(rows, _first(rows), engine, most_passes=left).passes


def _judged(rows: Prepared, engine: Engine) -> None:
    """A sweep as a person has it: with stability, and judged against tables without groups."""
    found = list(sweep(rows, KS, PLAIN, engine))
    own = [c.silhouette for c in found], [c.valley for c in found]
    judge(KS, *own, null_figures(rows, KS, PLAIN, engine, own=own))


def _sweep(engine: Engine) -> list[Row]:
    rows = _rows(_blobs(100_000, 10))
    swept, reference, whole = interleave(
        lambda: list(sweep(rows, KS, PLAIN, engine, resample=False)),
        lambda: _passes(rows, engine, 30),
        lambda: _judged(rows, engine),
    )
    times, more = swept / reference, whole / swept
    return [
        Row("a sweep k = 2..10 with criteria, 100k × 10", f"{swept:.2f} s",
            f"30 passes at k = 6 {reference:.3f} s", times, "at most 12", times <= 12),
        Row("the same with stability and tables without groups", f"{whole:.2f} s",
            f"the sweep {swept:.2f} s", more, "at most 8", more <= 8),
    ]  # fmt: skip


def _trees(engine: Engine) -> list[Row]:
    numbers = _blobs(10_000, 8).astype(np.float64)
    points, ones = np.ascontiguousarray(numbers.T), np.ones(10_000, np.int64)
    mine, theirs = interleave(lambda: ward(points, ones), lambda: linkage(numbers, "ward"), times=5)
    ours, scipy = _memory("ours"), _memory("scipy")
    million = _rows(_blobs(ROWS, 8))
    recipe = Recipe({}, method="hierarchical")
    tree, reference = interleave(
        lambda: grouper(million, recipe, engine)(6),
        lambda: _passes(million, engine, 10),
        times=5,
    )
    faster, share, passes = theirs / mine, ours / scipy, 10 * tree / reference
    return [
        Row("Ward, 10k × 8", f"{mine:.2f} s", f"SciPy linkage {theirs:.2f} s", faster,
            "at least 3 times", faster >= 3),
        Row("its extra memory", f"{ours:.1f} MiB", f"SciPy's {scipy:.0f} MiB", share,
            "at most 0.05", share <= 0.05),
        Row("Ward of 1M × 8 through micro-groups, cut and adopted", f"{tree:.2f} s",
            f"a pass {reference / 10:.4f} s", passes, "at most 60", passes <= 60),
    ]  # fmt: skip


def _memory(side: str) -> float:
    """MiB that a tree takes beyond its rows, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.groups", side],
        capture_output=True,
        text=True,
        check=True,
    )
    return float(done.stdout)


def _extra(side: str) -> float:
    numbers = _blobs(10_000, 8).astype(np.float64)
    points, ones = np.ascontiguousarray(numbers.T), np.ones(10_000, np.int64)
    ward(points[:, :50].copy(), ones[:50])
    linkage(numbers[:50], "ward")
    forget_peak()
    before = peak()
    if side == "ours":
        ward(points, ones)
    else:
        linkage(numbers, "ward")
    return peak() - before


def _medoids(engine: Engine) -> list[Row]:
    """A round of looks for a swap at 5,000 rows, with many medoids against few."""
    numbers = _blobs(5_000, 6)
    distance = np.sqrt(((numbers[:, None] - numbers[None]) ** 2).sum(axis=2)).astype(np.float32)
    few, many = np.arange(5), np.arange(40)
    settled = [swap_medoids(distance, start).rows for start in (few, many)]
    # From medoids that no swap improves, a run is one round of looks at all candidates.
    one, other = interleave(
        lambda: swap_medoids(distance, settled[0]), lambda: swap_medoids(distance, settled[1])
    )
    ratio = other / one
    return [
        Row("k-medoids at 5,000 rows: a round of looks with k = 40", f"{other:.3f} s",
            f"with k = 5 {one:.3f} s", ratio, "at most 2", ratio <= 2)
    ]  # fmt: skip


def _map(engine: Engine) -> list[Row]:
    rows = _rows(_blobs(20_000, 10))
    neighbourhood_of(rows.take(np.arange(500)), 1, engine)
    seconds = timed(lambda: neighbourhood_of(rows, 1, engine))
    return [
        Row("neighbourhood map of 20,000 × 10", f"{seconds:.1f} s", "30 s", seconds / 30,
            "at most 1", seconds <= 30)
    ]  # fmt: skip


def run() -> Iterator[Row]:
    """The rows of the table, each as soon as it is there."""
    engine = Engine(2)
    group(_rows(_blobs(3000, 8)), 3, Recipe({}, method="hierarchical"), engine)
    try:
        for part in (_lloyd, _mixed, _sweep, _trees, _medoids, _map):
            yield from part(engine)
    finally:
        engine.release()


if __name__ == "__main__":
    print(_extra(sys.argv[1]))
