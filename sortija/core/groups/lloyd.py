"""k-means and k-prototypes: seeded starts, Lloyd's passes, an emptied group restarted.

One engine serves both: k-means is k-prototypes without categories.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import CHUNK, Engine, Parts, chunk_bounds
from sortija.core.groups.bounded import assign_bounded
from sortija.core.groups.distances import nearest_two
from sortija.core.groups.kernels import assign, exchange, farthest, settle
from sortija.core.groups.recipe import MOST_PASSES, Prepared
from sortija.core.progress import Progress, silent

__all__ = [
    "Centres",
    "Fit",
    "Placed",
    "assign_once",
    "exchanged",
    "lloyd",
    "nearest_centres",
    "tidy",
]

#: Passes after which a change that was tried is dropped, unless its cost is within SLACK by then.
SHORT = 3
SLACK = 0.02
#: While more than this share of the rows change, passes look at all of them; below the other, one
#: thread is enough.
CHANGING, FEW = 0.05, 0.002
#: Changes proposed at a time, of which the most promising is tried.
PROPOSED = 16


@dataclass(frozen=True)
class Centres:
    """``numbers`` (k, d) float32 in prepared units; ``modes`` (k, q) uint8 level codes."""

    numbers: NDArray[np.float32]
    modes: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.numbers)

    def as_json(self) -> dict[str, Any]:
        return {"numbers": self.numbers.tolist(), "modes": self.modes.tolist()}

    @staticmethod
    def from_json(data: dict[str, Any]) -> Centres:
        k = len(data["numbers"])
        return Centres(
            np.array(data["numbers"], np.float32).reshape(k, -1),
            np.array(data["modes"], np.uint8).reshape(k, -1),
        )

    def apart(self, gammas: NDArray[np.float32], gower: bool = False) -> NDArray[np.float32]:
        """(k, k) D (or Gower's distance) among the centres."""
        between = self.numbers[:, None] - self.numbers[None]
        gaps = (np.abs(between) if gower else between**2).sum(axis=2)
        differ = (self.modes[:, None] != self.modes[None]) * gammas
        return (gaps + differ.sum(axis=2)).astype(np.float32)


@dataclass(frozen=True)
class Fit:
    """A grouping of all rows: ``labels`` (m,) int32, ``cost`` the sum of D (or of Gower's
    distance), passes taken; ``settled``: another pass would change nothing; ``moved``: the share
    of rows that the adopting pass took to another group."""

    centres: Centres
    labels: NDArray[np.int32]
    counts: NDArray[np.int64]
    cost: float
    passes: int
    settled: bool
    moved: float = 0.0


@dataclass(frozen=True)
class _Pass:
    cost: float
    changed: int
    sums: NDArray[np.float64]
    counts: NDArray[np.int64]
    hist: NDArray[np.int64]


class _Chunks:
    """The rows' labels, and every chunk's own sums, which follow the rows that change."""

    def __init__(self, rows: Prepared, k: int, engine: Engine) -> None:
        self.rows, self.engine = rows, engine
        self.labels = np.full(len(rows), -1, np.int32)
        self.bounds = chunk_bounds(len(rows))
        d, q = rows.numbers.shape[0], rows.codes.shape[0]
        levels = int(rows.codes.max()) + 1 if rows.codes.size else 1
        self.sums = np.zeros((len(self.bounds), k, d))
        self.counts = np.zeros((len(self.bounds), k), np.int64)
        self.hist = np.zeros((len(self.bounds), k, q, levels), np.int64)
        self._margins: NDArray[np.float32] | None = None
        self._gone = 0.0

    def step_bounded(self, before: Centres, centres: Centres, few: bool) -> _Pass:
        """A pass after one by the centres ``before``, without its cost: rows that cannot have
        changed their group are left out. ``few``: hardly any is expected to, and waking a thread
        would take longer than the pass.

        Rows are looked at where they lie: it takes less time than sending them anywhere.
        """
        rows, gammas, labels = self.rows, self.rows.gammas, self.labels
        sums, counts, hist = self.sums, self.counts, self.hist
        if self._margins is None:
            self._margins = np.full(len(rows), -np.inf, np.float32)
        else:
            self._gone += _approach(before, centres, gammas)
        margins = self._margins
        gone = np.nextafter(np.float32(self._gone), np.float32(np.inf))
        # What adding up so many squares can round off, with as much to spare.
        slack = 1e-7 * (8 + len(rows.numbers) + len(rows.codes))
        edges = np.array([0, *(stop for _, stop in self.bounds)])
        parts = 1 if few else 2 * self.engine.here.threads
        # Calling a kernel takes as long as a chunk that has not changed: several go together.
        strips = np.linspace(0, len(self.bounds), parts + 1, dtype=int)

        def strip(number: int) -> int:
            return int(assign_bounded(
                rows.numbers, rows.codes, labels, gammas, centres.numbers, centres.modes,
                edges, strips[number], strips[number + 1], sums, counts, hist, margins, gone, slack,
            ))  # fmt: skip

        return self._merged(np.nan, sum(self.engine.here.map(strip, range(parts))))

    def step(self, centres: Centres) -> _Pass:
        """One assignment over all chunks, merged first to last."""
        rows, gammas = self.rows, self.rows.gammas

        labels, bounds = self.labels, self.bounds
        sums, counts, hist = self.sums, self.counts, self.hist

        def chunk(number: int) -> Any:
            return assign(
                rows.numbers, rows.codes, labels, gammas, centres.numbers, centres.modes,
                *bounds[number], sums[number], counts[number], hist[number],
            )  # fmt: skip

        def touched(number: int) -> Parts:
            own = [(each, number) for each in (sums, counts, hist)]
            return Parts(
                rows.parts(*bounds[number]), changes=[(labels, slice(*bounds[number])), *own]
            )

        cost, changed = 0.0, 0
        for part in self.engine.map(chunk, range(len(bounds)), touched):
            cost += part[0]
            changed += part[1]
        return self._merged(cost, changed)

    def _merged(self, cost: float, changed: int) -> _Pass:
        whole = np.zeros(self.sums.shape[1:])
        for each in self.sums:
            whole += each
        return _Pass(cost, changed, whole, self.counts.sum(axis=0), self.hist.sum(axis=0))


def _approach(before: Centres, now: Centres, gammas: NDArray[np.float32]) -> float:
    """How far the two centres that moved most moved together, by √D; rounded up."""
    gaps = (now.numbers.astype(np.float64) - before.numbers) ** 2
    differ = (now.modes != before.modes) * gammas.astype(np.float64)
    moved = np.sort(np.sqrt(gaps.sum(axis=1) + differ.sum(axis=1)))
    return float(moved[-2:].sum()) * (1 + 1e-4)


def _farthest(
    rows: Prepared, labels: NDArray[np.int32], centres: Centres, engine: Engine
) -> tuple[int, float]:
    """The row farthest from its own centre, the first of equals, and its D."""
    gammas = rows.gammas

    def chunk(bounds: tuple[int, int]) -> Any:
        return farthest(
            rows.numbers, rows.codes, labels, gammas, centres.numbers, centres.modes, *bounds
        )

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts([*rows.parts(*bounds), (labels, slice(*bounds))])

    found = engine.map(chunk, chunk_bounds(len(labels)), touched)
    return max(found, key=lambda each: each[1])


def _moved(done: _Pass, old: Centres) -> Centres:
    """Means and modes of the groups; an empty group stays where it was."""
    numbers, modes = old.numbers.copy(), old.modes.copy()
    filled = done.counts > 0
    numbers[filled] = (done.sums[filled] / done.counts[filled, None]).astype(np.float32)
    if modes.shape[1]:
        modes[filled] = done.hist[filled].argmax(axis=2).astype(np.uint8)
    return Centres(numbers, modes)


def assign_once(
    rows: Prepared, centres: Centres, engine: Engine | None = None
) -> tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """Every row with its nearest centre, and what the groups then hold.

    Returns labels (m,), sums (k, d) of the numbers, counts (k,) and hist (k, q, levels) of codes.
    """
    chunks = _Chunks(rows, len(centres), engine or Engine(1))
    done = chunks.step(centres)
    return chunks.labels, done.sums, done.counts, done.hist


def lloyd(
    rows: Prepared,
    start: Centres,
    engine: Engine | None = None,
    most_passes: int = MOST_PASSES,
    progress: Progress = silent,
) -> Fit:
    """Passes from ``start`` until nobody moves.

    The centres returned are those by which ``labels`` were given, so that placing the same rows
    again gives the same labels.
    """
    engine = engine or Engine(1)
    if len(rows) <= CHUNK:
        progress("grouping", 1, most_passes)
        return _in_one_go(rows, start, most_passes)
    chunks = _Chunks(rows, len(start), engine)
    labels, centres, before = chunks.labels, start, start
    done: _Pass | None = None
    for number in range(1, most_passes + 1):
        progress("grouping", number, most_passes)
        last = number == most_passes
        if last or done is None or done.changed > CHANGING * len(rows):
            done = chunks.step(centres)
        else:
            done = chunks.step_bounded(before, centres, done.changed < FEW * len(rows))
        # The same steps as kernels.settle takes for a single chunk.
        empty = np.flatnonzero(done.counts == 0)
        place, far = _farthest(rows, labels, centres, engine) if len(empty) else (0, 0.0)
        # An empty group still has a place to go while any row is off its centre.
        settled = done.changed == 0 and far <= 0
        if settled or last:
            # A pass that leaves rows out tells no cost.
            cost = chunks.step(centres).cost if np.isnan(done.cost) else done.cost
            return Fit(centres, labels, done.counts, cost, number, settled)
        before, centres = centres, _moved(done, centres)
        if far > 0:
            centres.numbers[empty[0]], centres.modes[empty[0]] = rows.one(place)
    raise ValueError("at least one pass is needed")


def _in_one_go(rows: Prepared, start: Centres, most_passes: int) -> Fit:
    """All passes in one kernel: few rows wait for nothing but the interpreter otherwise."""
    labels = np.full(len(rows), -1, np.int32)
    numbers, modes = start.numbers.copy(), start.modes.copy()
    levels = int(rows.codes.max()) + 1 if rows.codes.size else 1
    cost, counts, passes, settled = settle(
        rows.numbers, rows.codes, labels, rows.gammas, numbers, modes, levels, most_passes
    )
    return Fit(Centres(numbers, modes), labels, counts, cost, passes, settled)


def exchanged(
    rows: Prepared, fit: Fit, tries: int, rng: np.random.Generator, most_passes: int = MOST_PASSES
) -> Fit:
    """A settled grouping of one chunk's rows, improved by changes that no pass makes by itself.

    Modes are sticky: a group keeps a level for its mode until half of its rows would have to
    change at once. So centres are moved to other rows, and modes to other levels, at random, and
    passes run from there (swaps as in Fränti & Kivijärvi 2000); what costs less is kept.

    Raises
    ------
    ValueError
        More rows than a chunk holds.
    """
    if len(rows) > CHUNK:
        raise ValueError("changes are tried on the rows of a chunk at most")
    labels = fit.labels.copy()
    numbers, modes = fit.centres.numbers.copy(), fit.centres.modes.copy()
    levels = int(rows.codes.max()) + 1 if rows.codes.size else 1
    cost, counts, kept = exchange(
        rows.numbers, rows.codes, labels, rows.gammas, numbers, modes, levels, fit.cost,
        rng.random((tries, PROPOSED, 3)), min(SHORT, most_passes), SLACK, most_passes,
    )  # fmt: skip
    return (
        replace(fit, centres=Centres(numbers, modes), labels=labels, counts=counts, cost=cost)
        if kept
        else fit
    )


def tidy(fit: Fit) -> Fit:
    """The same grouping with its groups numbered largest first (ties: as they were)."""
    order = np.argsort(-fit.counts, kind="stable")
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order), dtype=np.int32)
    centres = Centres(fit.centres.numbers[order], fit.centres.modes[order])
    return replace(fit, centres=centres, labels=place[fit.labels], counts=fit.counts[order])


@dataclass(frozen=True)
class Placed:
    """Rows placed by frozen centres: group, D to it, the likeliest rival, margin towards it."""

    labels: NDArray[np.int32]
    distance: NDArray[np.float32]
    rival: NDArray[np.int32]
    margin: NDArray[np.float32]


def nearest_centres(rows: Prepared, centres: Centres, engine: Engine | None = None) -> Placed:
    """Place rows by centres that stay as they are."""
    engine = engine or Engine(1)
    gammas = rows.gammas
    apart = centres.apart(gammas, rows.gower)

    def chunk(bounds: tuple[int, int]) -> Any:
        start, stop = bounds
        return nearest_two(
            rows.numbers, rows.codes, gammas, rows.gower, centres.numbers, centres.modes, apart,
            start, stop,
        )  # fmt: skip

    parts = engine.map(chunk, chunk_bounds(len(rows)), lambda bounds: Parts(rows.parts(*bounds)))
    if not parts:
        none = np.zeros(0, np.int32)
        return Placed(none, np.zeros(0, np.float32), none, np.zeros(0, np.float32))
    return Placed(*(np.concatenate(column) for column in zip(*parts, strict=True)))
