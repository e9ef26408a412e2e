"""What chance alone would have moved between two windows.

Of customers whose rates never change, a third to two thirds stand in another segment a year later.
So customers' own lines are put on other days as if nothing had changed
(:mod:`~sortija.core.crossings.rearranged`), the measures derived again and everybody placed by the
same yardstick, many times over; what was seen is told against that.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.changed import Draws, chance_of_change
from sortija.core.crossings.rearranged import (
    Null,
    Rearranging,
    lines_rearranged,
    null_of,
    rearranging_of,
)
from sortija.core.crossings.yardsticks import MovingYardstick, moved
from sortija.core.engine import Engine
from sortija.core.groups.assignment import beside_segments
from sortija.core.ledger.counting import Lines
from sortija.core.ledger.first_purchases import first_purchases
from sortija.core.ledger.log import Log
from sortija.core.measures.column_layout import Names
from sortija.core.measures.condensed import asks_for_receipts_only, condensed, lines_within
from sortija.core.measures.derive import UNSURE_DAYS
from sortija.core.measures.kernels import Figure, Results, derive_block
from sortija.core.measures.reading import Reading, columns_from, empty_results, reading_of
from sortija.core.measures.window import Window
from sortija.core.progress import Progress, silent
from sortija.core.sampling import SEED
from sortija.core.table import Table

__all__ = ["DRAWS", "Chance", "Inputs", "Range", "Verdict", "chance_of", "verdict_of"]

#: Draws where nobody says otherwise.
DRAWS = 60
#: Customers whose lines are rearranged at a time.
BLOCK = 8_192
#: What chance leaves in this share of draws is no news.
INSIDE = 0.95
#: Measures that hang on the day of the week.
_WEEKDAYS = ("weekend", "share_weekday_")
#: Columns for one block of customers in one window, beside those that lines give.
Completes = Callable[[Table, int, NDArray[np.int64]], Table]


@dataclass(frozen=True)
class Inputs:
    """What two windows are derived from.

    ``derived``: measures that lines give, and that the yardstick or ``complete`` needs;
    ``complete``: adds to a table of them what else the yardstick speaks of, of the customers with
    these numbers in window 0 or 1.
    """

    log: Log
    before: Window
    after: Window
    mask: int
    scale: int
    derived: frozenset[str]
    names: Names = field(default_factory=Names)
    joined: NDArray[np.float64] | None = None
    complete: Completes | None = None


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


@dataclass(frozen=True)
class _Draw:
    """What one draw comes to: moves from state to state, and (2, S) money before and after of
    those in a state before."""

    moves: NDArray[np.int64]
    money: NDArray[np.int64]


def chance_of(
    inputs: Inputs, yardstick: MovingYardstick, draws: int = DRAWS, seed: int = SEED,
    engine: Engine | None = None, progress: Progress = silent,
) -> Chance:  # fmt: skip
    """Tell what was seen between two windows from what chance alone would move.

    Parameters
    ----------
    draws : int
        How many times customers' lines are rearranged; the same seed gives the same bits on any
        number of threads.

    Raises
    ------
    ValueError
        The windows are not of one length, look back over the whole log, or come in the wrong order.
    """
    engine = engine or Engine(1)
    world = _World.of(inputs, yardstick, engine)
    n = inputs.log.customers
    seen, farther, as_far = np.full(n, np.nan), np.zeros(n, np.int64), np.zeros(n, np.int64)
    visits = np.zeros(n)
    observed = world.draw(-1, seed, partial(_look, seen, visits))
    rows = []
    for number in range(draws):
        progress("what chance alone moves, draw", number, draws)
        rows.append(world.draw(number, seed, partial(_compare, seen, farther, as_far)))
    moves = np.array([row.moves for row in rows])
    money = np.array([row.money for row in rows])
    told = world.told
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


#: What is done with a block of customers: their numbers, distances, visits of both windows.
_Notes = Callable[[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]], None]


def _look(
    seen: NDArray[np.float64], visits: NDArray[np.float64], who: NDArray[np.int64],
    distance: NDArray[np.float64], came: NDArray[np.float64],
) -> None:  # fmt: skip
    seen[who] = distance
    visits[who] = came


def _compare(
    seen: NDArray[np.float64], farther: NDArray[np.int64], as_far: NDArray[np.int64],
    who: NDArray[np.int64], distance: NDArray[np.float64], came: NDArray[np.float64],
) -> None:  # fmt: skip
    # The same distance by another way can differ in its last bits.
    slack = seen[who] * 1e-9 + 1e-12
    beyond = distance > seen[who] + slack
    farther[who] += beyond
    as_far[who] += ~beyond & (distance >= seen[who] - slack)


class _Everyone(NamedTuple):
    """What is summed up over everyone in one draw; see :class:`kernels.Results`."""

    everyone: NDArray[np.int64]
    rhythms: NDArray[np.int64]


@dataclass(frozen=True)
class _World:
    """Two windows that can be drawn again and again.

    ``who``: customers whose lines are looked at: all where the measures are told against everyone
    of the same draw (``shared``), else those who are told of.
    """

    inputs: Inputs
    yardstick: MovingYardstick
    engine: Engine
    lines: Lines
    reading: Reading
    how: Rearranging
    told: NDArray[np.bool_]
    earlier: NDArray[np.bool_]
    since: NDArray[np.float64]
    who: NDArray[np.int64]
    everybody: bool
    shared: bool

    @staticmethod
    def of(inputs: Inputs, yardstick: MovingYardstick, engine: Engine) -> _World:
        log, mask, before, after = inputs.log, inputs.mask, inputs.before, inputs.after
        null_of(before, after)  # raises where there is none
        lines, begin = log.arrays(), before.first_day(0)
        first = first_purchases(lines, mask)
        log_begins = int(first[first >= 0].min(initial=np.iinfo(np.int64).max))
        # A log that begins hardly before the first window tells of nobody who is new.
        everybody = log_begins > begin - UNSURE_DAYS
        earlier = (first >= 0) & (first < begin)
        since = np.where(earlier, first.astype(np.float64), np.nan)
        told = np.ones(log.customers, np.bool_) if everybody else earlier.copy()
        if inputs.joined is not None:
            given = ~np.isnan(inputs.joined)
            told = np.where(given, inputs.joined < begin, told)
            since = np.where(given, inputs.joined, since)
        reading = reading_of(
            log, [before, after], begin, mask, inputs.scale, inputs.names, since, inputs.derived
        )
        shared = not {"silence", "trend"} <= reading.layout.left_out
        who = np.arange(log.customers) if shared else np.flatnonzero(told)
        lines = lines_within(lines, who, begin, after.as_of)
        if asks_for_receipts_only(inputs.derived):
            lines = condensed(lines, mask)
        weekdays = any(name.startswith(_WEEKDAYS) for name in inputs.derived)
        how = rearranging_of(lines, before, after, mask, told[who], weekdays)
        return _World(
            inputs, yardstick, engine, lines, reading, how, told, earlier, since, who, everybody,
            shared,
        )  # fmt: skip

    def draw(self, number: int, seed: int, note: _Notes) -> _Draw:
        """One draw; −1 is what was seen."""
        n = len(self.who)
        blocks = [(a, min(a + BLOCK, n)) for a in range(0, n, BLOCK)]
        if not self.shared:
            parts = self.engine.map(
                lambda block: self._told_of(block, self._read(block, number, seed), None, note),
                blocks,
            )
        else:  # silence and trend are told against everyone of the same draw
            read = self.engine.map(lambda block: self._read(block, number, seed), blocks)
            whole = _Everyone(
                np.sum([each.everyone for each in read], axis=0),
                np.sum([each.rhythms for each in read], axis=0, dtype=np.int64),
            )
            parts = self.engine.map(
                lambda pair: self._told_of(pair[0], pair[1], whole, note),
                list(zip(blocks, read, strict=True)),
            )
        width = self.yardstick.k + 3
        none = _Draw(np.zeros((width, width), np.int64), np.zeros((2, width), np.int64))
        return _Draw(
            sum((part.moves for part in parts), none.moves),
            sum((part.money for part in parts), none.money),
        )

    def _read(self, block: tuple[int, int], number: int, seed: int) -> Results:
        """The measures of a block of customers in one draw."""
        first, last = block
        still = np.ones(len(self.who), np.bool_) if number < 0 else ~self.told[self.who]
        drawn = lines_rearranged(
            self.lines, first, last, self.how, seed + 1_000_003 * (number + 1), still
        )
        reading = self.reading.joined(self.since[self.who[first:last]])
        results = empty_results(reading, last - first)
        derive_block(drawn, 0, last - first, reading.windows, reading.wanted, results)
        return results

    def _told_of(
        self,
        block: tuple[int, int],
        read: Results,
        whole: _Everyone | None,
        note: _Notes,
    ) -> _Draw:
        who = self.who[slice(*block)]
        tables, states = [], []
        came = np.zeros(len(who))
        for w in range(2):
            everyone, rhythms = whole or _Everyone(read.everyone, read.rhythms)
            columns, _ = columns_from(self.reading.layout, read.values[w], everyone[w], rhythms[w])
            visits = read.values[w, Figure.FREQUENCY]
            present = ~np.isnan(visits)
            came += np.nan_to_num(visits)
            table = Table(columns)
            if self.inputs.complete is not None:
                table = self.inputs.complete(table, w, who)
            as_of = self.reading.spans.as_ofs[w]
            bought = self.earlier[who] | ((read.first_ever >= 0) & (read.first_ever < as_of))
            state = beside_segments(self.yardstick.k, present, bought)
            segment = self.yardstick.segments(table, present)
            states.append(np.where(segment >= 0, segment, state))
            tables.append(table)
        spans = self.reading.spans
        days = int(spans.as_ofs[1] - spans.first_days[1])
        note(who, moved(self.yardstick, tables[0], tables[1], days), came)
        return self._counted(states[0], states[1], read.money, self.told[who])

    def _counted(
        self, before: NDArray[np.int32], after: NDArray[np.int32], money: NDArray[np.int64],
        told: NDArray[np.bool_],
    ) -> _Draw:  # fmt: skip
        width = self.yardstick.k + 3
        key = before[told].astype(np.int64) * width + after[told]
        moves = np.bincount(key, minlength=width * width).reshape(width, width)
        sums = np.zeros((2, width), np.int64)
        for w in range(2):
            np.add.at(sums[w], before[told], money[w, told])
        return _Draw(moves, sums)
