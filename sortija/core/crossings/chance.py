"""What chance alone would have moved between two windows.

Of customers whose rates never change, a third to two thirds stand in another segment a year later.
So customers' own lines are put on other days as if nothing had changed
(:mod:`~sortija.core.crossings.rearranged`), the measures derived again and everybody placed by the
same yardstick, many times over; what was seen is told against that.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.changed import Draws, chance_of_change
from sortija.core.crossings.rearranged import Null, null_of
from sortija.core.crossings.redrawn import Drawn, Inputs, RedrawnWindows
from sortija.core.crossings.yardsticks import MovingYardstick, moved
from sortija.core.engine import Engine
from sortija.core.groups.assignment import beside_segments
from sortija.core.progress import Progress, silent
from sortija.core.sampling import SEED

__all__ = ["DRAWS", "Chance", "Inputs", "Range", "Verdict", "chance_of", "states_in", "verdict_of"]

#: Draws where nobody says otherwise.
DRAWS = 60
#: What chance leaves in this share of draws is no news.
INSIDE = 0.95

#: How a count of moves stands to what chance alone would move.
Verdict = Literal["more", "as chance", "fewer"]


def verdict_of(seen: float, low: float, high: float) -> Verdict:
    """Whether more or fewer were seen than 95 in 100 draws make.

    >>> verdict_of(173, 38, 67), verdict_of(40, 38, 67)
    ('more', 'as chance')
    """
    if seen > high:
        return "more"
    return "fewer" if seen < low else "as chance"


@dataclass(frozen=True)
class Range:
    """Mean of the draws, and between what the middle 95% of further draws would lie."""

    mean: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]


@dataclass(frozen=True)
class Chance:
    """States as in :class:`groups.assignment.Placement`, S = k + 3 of them.

    ``told``: (n,) customers of whom chance can be told: all but those who came within the windows;
    ``everybody``: nobody can be told to be new, for the log begins with the earlier window;
    ``observed``: (S, S) int64 what those did; ``spent``: (2, S) int64 money before and after of
    those in a state before; ``moves``: (S, S) what chance alone would have made them do, ``sizes``:
    (S,) in which states they would be afterwards; ``money``: (S,) money after over money before of
    those in a state before; ``p``: (n,) how often chance alone moves a customer as far,
    ``changed``: (n,) the chance that it has changed, both NaN where not told; ``steadiness``: of
    those in a segment in a year, the share in the same segment had the year happened again; NaN
    where nobody is.
    """

    draws: int
    null: Null
    everybody: bool
    told: NDArray[np.bool_]
    observed: NDArray[np.int64]
    spent: NDArray[np.int64]
    moves: Range
    sizes: Range
    money: Range
    p: NDArray[np.float64]
    changed: NDArray[np.float64]
    steadiness: Range

    @property
    def k(self) -> int:
        return len(self.observed) - 3

    @property
    def has_figure(self) -> NDArray[np.bool_]:
        """(S, S) True for cells that chance can fill: at least one side is a segment, and *not
        yet* only where nobody can be told to be new."""
        k, out = self.k, np.zeros(self.observed.shape, np.bool_)
        states = [*range(k), *([k] if self.everybody else []), k + 1]
        out[np.ix_(states, states)] = True
        out[k:, k:] = False
        return out

    @property
    def more(self) -> NDArray[np.bool_]:
        """(S, S) moves from state to another that more took than chance alone makes."""
        away = ~np.eye(len(self.observed), dtype=np.bool_) & self.has_figure
        return np.asarray(away & (self.observed > self.moves.high))


#: Two arrays of one value a customer.
_Noted = tuple[NDArray[Any], NDArray[Any]]
#: (where, distances, visits of both windows) of a block of customers → what is noted of them.
_Notes = Callable[[slice, NDArray[np.float64], NDArray[np.float64]], _Noted]


@dataclass(frozen=True)
class _Draw:
    """What one draw comes to: moves from state to state, (2, S) money before and after of those in
    a state before, and what was noted of each customer whose lines are looked at."""

    moves: NDArray[np.int64]
    money: NDArray[np.int64]
    noted: _Noted


def chance_of(
    inputs: Inputs, yardstick: MovingYardstick, draws: int = DRAWS, seed: int = SEED,
    engine: Engine | None = None, progress: Progress = silent,
    earlier: NDArray[np.int32] | None = None,
) -> Chance:  # fmt: skip
    """Tell what was seen between two windows from what chance alone would move.

    Parameters
    ----------
    draws : int
        How many times customers' lines are rearranged; the same seed gives the same bits on any
        number of threads.
    earlier : (n,) int32, optional
        Where customers stood before both windows, for a yardstick that keeps them in place: they
        are kept in the earlier window from there, as drawn as seen. Whoever has not changed is as
        likely to have had both windows the other way round, whatever was before them, provided
        that the window of ``earlier`` shares no day with the two.

    Raises
    ------
    ValueError
        The windows are not of one length, look back over the whole log, or come in the wrong order.
    """
    engine = engine or Engine(1)
    world = RedrawnWindows.of(inputs, engine)
    counts = partial(_counted, world, yardstick, earlier, seed)
    observed = counts(-1, _look)
    seen, came = observed.noted
    beyond, equal = np.zeros(len(world.who), np.int64), np.zeros(len(world.who), np.int64)
    rows = []
    for number in range(draws):
        progress("what chance alone moves, draw", number, draws)
        drawn = counts(number, partial(_compare, seen))
        beyond += drawn.noted[0]
        equal += drawn.noted[1]
        rows.append((drawn.moves, drawn.money))
    moves, money = (np.array(each) for each in zip(*rows, strict=True))
    n, told = inputs.log.customers, world.told
    farther, as_far, visits = np.zeros(n, np.int64), np.zeros(n, np.int64), np.zeros(n)
    farther[world.who], as_far[world.who], visits[world.who] = beyond, equal, came
    there = told & (visits > 0)
    p = np.where(there, (farther + as_far + 1) / (draws + 1), np.nan)
    changed = chance_of_change(Draws(farther, as_far, there, draws), visits)
    k = yardstick.k
    placed = moves[:, :k, :].sum(axis=(1, 2)) + moves[:, :, :k].sum(axis=(1, 2))
    alike = 2.0 * np.trace(moves[:, :k, :k], axis1=1, axis2=2)
    with np.errstate(invalid="ignore", divide="ignore"):
        steady = alike / placed
        shift = np.where(money[:, 0] > 0, money[:, 1] / money[:, 0], np.nan)
    return Chance(
        draws, null_of(inputs.before, inputs.after), world.everybody, told, observed.moves,
        observed.money,
        _range_of(moves.astype(np.float64)), _range_of(moves.sum(axis=1).astype(np.float64)),
        _range_of(shift), p,
        changed, _range_of(steady),
    )  # fmt: skip


def _range_of(drawn: NDArray[np.float64]) -> Range:
    """Where one more draw would lie: by ranks among B + 1, so that 19 in 20 do."""
    tail = (1 - INSIDE) / 2
    low, high = np.quantile(drawn, (tail, 1 - tail), axis=0, method="weibull")
    return Range(drawn.mean(axis=0), low, high)


def _look(where: slice, distance: NDArray[np.float64], came: NDArray[np.float64]) -> _Noted:
    """How far each customer went, and how often it came."""
    return distance, came


def _compare(
    seen: NDArray[np.float64], where: slice, distance: NDArray[np.float64],
    came: NDArray[np.float64],
) -> _Noted:  # fmt: skip
    """Who went farther than was seen, and who just as far."""
    # The same distance by another way can differ in its last bits.
    slack = seen[where] * 1e-9 + 1e-12
    beyond = distance > seen[where] + slack
    return beyond, ~beyond & (distance >= seen[where] - slack)


def _counted(
    world: RedrawnWindows, yardstick: MovingYardstick, earlier: NDArray[np.int32] | None,
    seed: int, number: int, note: _Notes,
) -> _Draw:  # fmt: skip
    """What one draw comes to; −1 is what was seen."""
    width = yardstick.k + 3

    def count(drawn: Drawn) -> _Draw:
        before, after = (states_in(yardstick, drawn, w) for w in range(2))
        if earlier is not None:
            before = yardstick.held(earlier[drawn.who], before, drawn.tables[0])
        after = yardstick.held(before, after, drawn.tables[1])
        noted = note(drawn.where, moved(yardstick, *drawn.tables, world.days), drawn.visits)
        told = world.told[drawn.who]
        key = before[told].astype(np.int64) * width + after[told]
        moves = np.bincount(key, minlength=width * width).reshape(width, width)
        sums = np.zeros((2, width), np.int64)
        for w in range(2):
            np.add.at(sums[w], before[told], drawn.money[w, told])
        return _Draw(moves, sums, noted)

    parts = world.each(number, seed, count)
    none = np.zeros(0)
    return _Draw(
        sum((part.moves for part in parts), np.zeros((width, width), np.int64)),
        sum((part.money for part in parts), np.zeros((2, width), np.int64)),
        tuple(  # type: ignore[arg-type]
            np.concatenate(each) for each in zip(*(part.noted for part in parts), strict=True)
        ) or (none, none),
    )  # fmt: skip


def states_in(yardstick: MovingYardstick, drawn: Drawn, window: int) -> NDArray[np.int32]:
    """(b,) the state of each customer of a block in window 0 or 1."""
    present, bought = drawn.present[window], drawn.bought[window]
    state = beside_segments(yardstick.k, present, bought)
    segment = yardstick.segments(drawn.tables[window], present)
    return np.where(segment >= 0, segment, state)
