"""k-means and k-prototypes: seeded starts, Lloyd's passes, an emptied group restarted.

One engine serves both: k-means is k-prototypes without categories.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, chunk_bounds
from sortija.core.groups.kernels import assign, farthest, nearest_two, update_nearest
from sortija.core.groups.recipe import Prepared
from sortija.core.progress import Progress, silent

__all__ = ["Centres", "Fit", "Placed", "lloyd", "nearest_centres", "seed_centres", "tidy"]

MOST_PASSES = 300


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

    def apart(self, gammas: NDArray[np.float32]) -> NDArray[np.float32]:
        """(k, k) D among the centres."""
        gaps = ((self.numbers[:, None] - self.numbers[None]) ** 2).sum(axis=2)
        differ = (self.modes[:, None] != self.modes[None]) * gammas
        return (gaps + differ.sum(axis=2)).astype(np.float32)


@dataclass(frozen=True)
class Fit:
    """A grouping of all rows: ``labels`` (m,) int32, ``cost`` the sum of D, passes taken."""

    centres: Centres
    labels: NDArray[np.int32]
    counts: NDArray[np.int64]
    cost: float
    passes: int
    settled: bool


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

    def step(self, centres: Centres) -> _Pass:
        """One assignment over all chunks, merged first to last."""
        rows, gammas = self.rows, self.rows.gammas

        def chunk(number: int) -> Any:
            return assign(
                rows.numbers, rows.codes, self.labels, gammas, centres.numbers, centres.modes,
                *self.bounds[number], self.sums[number], self.counts[number], self.hist[number],
            )  # fmt: skip

        cost, changed = 0.0, 0
        for part in self.engine.map(chunk, range(len(self.bounds))):
            cost += part[0]
            changed += part[1]
        sums = np.zeros(self.sums.shape[1:])
        for each in self.sums:
            sums += each
        return _Pass(cost, changed, sums, self.counts.sum(axis=0), self.hist.sum(axis=0))


def _farthest(
    rows: Prepared, labels: NDArray[np.int32], centres: Centres, engine: Engine
) -> tuple[int, float]:
    """The row farthest from its own centre, the first of equals, and its D."""
    gammas = rows.gammas

    def chunk(bounds: tuple[int, int]) -> Any:
        return farthest(
            rows.numbers, rows.codes, labels, gammas, centres.numbers, centres.modes, *bounds
        )

    return max(engine.map(chunk, chunk_bounds(len(labels))), key=lambda found: found[1])


def _row(rows: Prepared, place: int) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    return rows.numbers[:, place].copy(), rows.codes[:, place].copy()


def _moved(done: _Pass, old: Centres) -> Centres:
    """Means and modes of the groups; an empty group stays where it was."""
    numbers, modes = old.numbers.copy(), old.modes.copy()
    filled = done.counts > 0
    numbers[filled] = (done.sums[filled] / done.counts[filled, None]).astype(np.float32)
    if modes.shape[1]:
        modes[filled] = done.hist[filled].argmax(axis=2).astype(np.uint8)
    return Centres(numbers, modes)


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
    chunks = _Chunks(rows, len(start), engine)
    labels, centres = chunks.labels, start
    for number in range(1, most_passes + 1):
        progress("grouping", number, most_passes)
        done = chunks.step(centres)
        empty = np.flatnonzero(done.counts == 0)
        place, far = _farthest(rows, labels, centres, engine) if len(empty) else (0, 0.0)
        # An empty group still has a place to go while any row is off its centre.
        settled = done.changed == 0 and far <= 0
        if settled or number == most_passes:
            return Fit(centres, labels, done.counts, done.cost, number, settled)
        centres = _moved(done, centres)
        if far > 0:
            centres.numbers[empty[0]], centres.modes[empty[0]] = _row(rows, place)
    raise ValueError("at least one pass is needed")


def seed_centres(rows: Prepared, k: int, rng: np.random.Generator) -> Centres:
    """k-means++ (Arthur & Vassilvitskii 2007) on √D: far rows are likelier to be drawn.

    Raises
    ------
    ValueError
        Fewer rows than groups.
    """
    m = len(rows)
    if m < k:
        raise ValueError(f"{m} customers cannot make {k} groups")
    picks = [int(rng.integers(m))]
    nearest = np.full(m, np.inf, np.float32)
    gammas = rows.gammas
    for _ in range(1, k):
        numbers, modes = _row(rows, picks[-1])
        update_nearest(rows.numbers, rows.codes, nearest, gammas, numbers, modes)
        steps = np.cumsum(nearest.astype(np.float64))
        total = float(steps[-1])
        # All rows sit on a centre already: any row does.
        draw = rng.random() * total
        place = int(np.searchsorted(steps, draw, side="right")) if total > 0 else rng.integers(m)
        picks.append(min(int(place), m - 1))
    places = np.array(picks)
    return Centres(
        np.ascontiguousarray(rows.numbers[:, places].T),
        np.ascontiguousarray(rows.codes[:, places].T),
    )


def tidy(fit: Fit) -> Fit:
    """The same grouping with its groups numbered largest first (ties: as they were)."""
    order = np.argsort(-fit.counts, kind="stable")
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order), dtype=np.int32)
    centres = Centres(fit.centres.numbers[order], fit.centres.modes[order])
    return Fit(centres, place[fit.labels], fit.counts[order], fit.cost, fit.passes, fit.settled)


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
    apart = centres.apart(gammas)

    def chunk(bounds: tuple[int, int]) -> Any:
        start, stop = bounds
        return nearest_two(
            rows.numbers, rows.codes, gammas, centres.numbers, centres.modes, apart, start, stop,
        )  # fmt: skip

    parts = engine.map(chunk, chunk_bounds(len(rows)))
    if not parts:
        none = np.zeros(0, np.int32)
        return Placed(none, np.zeros(0, np.float32), none, np.zeros(0, np.float32))
    return Placed(*(np.concatenate(column) for column in zip(*parts, strict=True)))
