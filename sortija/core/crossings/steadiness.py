"""How steady groupings are, and how reliable measures: the same year, were it to happen again.

A customer's year is drawn anew with nothing changed (:mod:`~sortija.core.crossings.redrawn`); a
grouping is as steady as the share of customers whom it places alike in both windows of a draw, a
measure as reliable as it ranks customers alike in both.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.redrawn import Drawn, Inputs, RedrawnWindows
from sortija.core.crossings.yardsticks import MovingYardstick, values_or_absence
from sortija.core.engine import Engine
from sortija.core.measures.association import mid_ranks
from sortija.core.products import dot
from sortija.core.progress import Progress, silent
from sortija.core.sampling import SEED

__all__ = ["DRAWS", "Steadiness", "Steady", "steadiness_of"]

#: Draws where nobody says otherwise.
DRAWS = 20


@dataclass(frozen=True)
class Steady:
    """A share from 0 to 1 on average over the draws, and its interval at 95 in 100."""

    mean: float
    low: float
    high: float


@dataclass(frozen=True)
class Steadiness:
    """``groupings``: of each yardstick the share of those in a segment in one window who are in the
    same one in the other; ``measures``: name → mean rank correlation (Spearman) between the two;
    NaN where nobody is. ``customers``: of how many it is told."""

    groupings: tuple[Steady, ...]
    measures: dict[str, float]
    customers: int


def steadiness_of(
    inputs: Inputs, yardsticks: Sequence[MovingYardstick], draws: int = DRAWS, seed: int = SEED,
    engine: Engine | None = None, progress: Progress = silent,
) -> Steadiness:  # fmt: skip
    """The steadiness of several groupings from the same draws.

    Parameters
    ----------
    inputs : its ``derived`` and ``complete`` give what all yardsticks speak of

    Raises
    ------
    ValueError
        The windows are not of one length, look back over the whole log, or come in the wrong order.
    """
    engine = engine or Engine(1)
    world = RedrawnWindows.of(inputs, engine)
    names = tuple(sorted(inputs.derived))
    alike = np.zeros((draws, len(yardsticks)))
    ranked = np.full((draws, len(names)), np.nan)
    look = partial(_look, world, names, tuple(yardsticks))
    for number in range(draws):
        progress("the same year again, draw", number, draws)
        blocks = world.each(number, seed, look)
        parts = np.sum([same for same, _ in blocks], axis=0).reshape(len(yardsticks), 2)
        with np.errstate(invalid="ignore", divide="ignore"):
            alike[number] = parts[:, 0] / parts[:, 1]
        values = np.concatenate([figures for _, figures in blocks], axis=2)
        ranked[number] = engine.map(_rank_correlation, list(zip(*values, strict=True)))
    return Steadiness(
        tuple(_steady(alike[:, place]) for place in range(len(yardsticks))),
        dict(zip(names, ranked.mean(axis=0).tolist(), strict=True)), int(world.told.sum()),
    )  # fmt: skip


def _look(
    world: RedrawnWindows, names: tuple[str, ...], yardsticks: tuple[MovingYardstick, ...],
    drawn: Drawn,
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:  # fmt: skip
    """Of a block of customers how many each yardstick places alike, and (2, names, b) their
    measures in both windows, NaN of whom nothing is told."""
    told = world.told[drawn.who]
    there = told & drawn.present.any(axis=0)
    values = np.full((2, len(names), len(there)), np.nan)
    for w in range(2):
        for place, name in enumerate(names):
            if name not in drawn.tables[w].names:
                continue  # no more than an ingredient of what shapes the groups
            of = values_or_absence(drawn.tables[w], name, world.days)
            values[w, place, there] = of[there]
    same = [_alike(by, drawn, told) for by in yardsticks]
    return np.array(same, np.int64).reshape(len(yardsticks), 2), values


def _alike(yardstick: MovingYardstick, drawn: Drawn, told: NDArray[np.bool_]) -> tuple[int, int]:
    """Twice those in one segment in both windows, and those in a segment in the one and the
    other."""
    first, second = (yardstick.segments(drawn.tables[w], drawn.present[w])[told] for w in range(2))
    both = int(((first == second) & (first >= 0)).sum())
    return 2 * both, int((first >= 0).sum() + (second >= 0).sum())


def _rank_correlation(pair: tuple[NDArray[np.float64], NDArray[np.float64]]) -> float:
    """Spearman's correlation of those who have both values; NaN where nothing differs."""
    one, other = pair
    there = ~(np.isnan(one) | np.isnan(other))
    if there.sum() < 3:
        return float("nan")
    a, b = mid_ranks(one[there]), mid_ranks(other[there])
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt(dot(a, a) * dot(b, b)))
    return dot(a, b) / spread if spread > 0 else float("nan")


def _steady(drawn: NDArray[np.float64]) -> Steady:
    """The mean of the draws; between 95 in 100 of further draws, by ranks."""
    low, high = np.quantile(drawn, (0.025, 0.975), method="weibull")
    return Steady(float(drawn.mean()), float(low), float(high))
