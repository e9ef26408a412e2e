"""Where the passes begin: at rows far from each other, or at dense ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.distances import pair_distances
from sortija.core.groups.kernels import seed_far
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Prepared

__all__ = ["centres_at", "dense_centres", "seed_centres"]

#: Rows among which the dense ones are looked for.
DENSE_AMONG = 1_000


def centres_at(rows: Prepared, places: NDArray[np.int64]) -> Centres:
    """Centres that are some of the rows."""
    return Centres(
        np.ascontiguousarray(rows.numbers[:, places].T),
        np.ascontiguousarray(rows.codes[:, places].T),
    )


def _enough(rows: Prepared, k: int) -> int:
    """How many rows there are; ValueError where they are fewer than groups."""
    if len(rows) < k:
        raise ValueError(f"{len(rows)} customers cannot make {k} groups")
    return len(rows)


def seed_centres(rows: Prepared, k: int, rng: np.random.Generator) -> Centres:
    """k-means++ (Arthur & Vassilvitskii 2007) on √D: far rows are likelier to be drawn.

    Raises
    ------
    ValueError
        Fewer rows than groups.
    """
    m = _enough(rows, k)
    picks = np.empty(k, np.int64)
    first, draws = int(rng.integers(m)), rng.random(k - 1)
    seed_far(rows.numbers, rows.codes, rows.gammas, first, draws, picks)
    return centres_at(rows, picks)


def dense_centres(rows: Prepared, k: int, rng: np.random.Generator) -> Centres:
    """Rows that are dense and far from each other (after Cao, Liang & Bai 2009).

    The density of a row is one less its mean distance to a draw of at most 1,000 rows, as a share
    of the largest; the first centre is the densest row of the draw, each next one the row with
    the largest product of density and distance to the centres so far.

    Raises
    ------
    ValueError
        Fewer rows than groups.
    """
    m = _enough(rows, k)
    places = np.arange(m)
    if m > DENSE_AMONG:
        places = np.sort(rng.choice(m, DENSE_AMONG, replace=False))
    some = rows.take(places)
    away = np.empty((len(places), len(places)), np.float32)
    pair_distances(some.numbers, some.codes, rows.gammas, rows.gower, 0, len(places), away)
    mean = away.mean(axis=1, dtype=np.float64)
    density = 1.0 - mean / mean.max() if mean.max() > 0 else np.ones(len(places))
    picks = [int(np.argmax(density))]
    nearest = away[picks[0]].astype(np.float64)
    while len(picks) < k:
        worth = density * nearest
        worth[picks] = -1.0
        picks.append(int(np.argmax(worth)))
        np.minimum(nearest, away[picks[-1]], out=nearest)
    return centres_at(rows, places[np.array(picks)])
