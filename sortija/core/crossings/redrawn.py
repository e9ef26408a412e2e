"""Two windows drawn again and again as if nothing had changed: measures of each, by the block."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.rearranged import (
    Rearranging,
    lines_rearranged,
    null_of,
    rearranging_of,
)
from sortija.core.engine import Engine
from sortija.core.ledger.counting import Lines
from sortija.core.ledger.first_purchases import first_purchases
from sortija.core.ledger.log import Log
from sortija.core.measures.column_layout import Names
from sortija.core.measures.condensed import asks_for_receipts_only, condensed, lines_within
from sortija.core.measures.derive import UNSURE_DAYS
from sortija.core.measures.kernels import Figure, Results, derive_block
from sortija.core.measures.reading import Reading, columns_from, empty_results, reading_of
from sortija.core.measures.window import Window
from sortija.core.table import Table

__all__ = ["Drawn", "Inputs", "RedrawnWindows"]

Found = TypeVar("Found")
#: Customers whose lines are rearranged at a time.
BLOCK = 8_192
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


@dataclass(frozen=True)
class Drawn:
    """A block of customers in one draw.

    ``where``: their places among those whose lines are looked at; ``who``: (b,) their numbers;
    ``tables``: their measures in both windows; ``present``: (2, b) who
    made a purchase in each, ``bought``: (2, b) who did before its end; ``money``: (2, b) int64;
    ``visits``: (b,) of both windows together.
    """

    where: slice
    who: NDArray[np.int64]
    tables: tuple[Table, Table]
    present: NDArray[np.bool_]
    bought: NDArray[np.bool_]
    money: NDArray[np.int64]
    visits: NDArray[np.float64]


class _Everyone(NamedTuple):
    """What is summed up over everyone in one draw; see :class:`kernels.Results`."""

    everyone: NDArray[np.int64]
    rhythms: NDArray[np.int64]


@dataclass(frozen=True)
class RedrawnWindows:
    """Two windows that can be drawn again and again.

    ``who``: customers whose lines are looked at: all where the measures are told against everyone
    of the same draw (``shared``), else those who are told of.
    """

    inputs: Inputs
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
    def of(inputs: Inputs, engine: Engine) -> RedrawnWindows:
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
        return RedrawnWindows(
            inputs, engine, lines, reading, how, told, earlier, since, who, everybody,
            shared,
        )  # fmt: skip

    @property
    def days(self) -> int:
        """Days of a window."""
        return int(self.reading.spans.as_ofs[1] - self.reading.spans.first_days[1])

    def each(self, number: int, seed: int, use: Callable[[Drawn], Found]) -> list[Found]:
        """Hand one draw to ``use``, a block of customers at a time, and collect what it makes of
        them, block by block in order; −1 is what was seen. ``use`` writes nowhere. The same seed
        gives the same bits on any number of threads or workers."""
        n = len(self.who)
        blocks = [(a, min(a + BLOCK, n)) for a in range(0, n, BLOCK)]
        if not self.shared:
            return self.engine.map(
                lambda block: use(self._drawn(block, self._read(block, number, seed), None)),
                blocks,
            )
        # Silence and trend are told against everyone of the same draw.
        read = self.engine.map(lambda block: self._read(block, number, seed), blocks)
        whole = _Everyone(
            np.sum([each.everyone for each in read], axis=0),
            np.sum([each.rhythms for each in read], axis=0, dtype=np.int64),
        )
        return self.engine.map(
            lambda pair: use(self._drawn(pair[0], pair[1], whole)),
            list(zip(blocks, read, strict=True)),
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

    def _drawn(self, block: tuple[int, int], read: Results, whole: _Everyone | None) -> Drawn:
        who = self.who[slice(*block)]
        tables = []
        came = read.values[:, Figure.FREQUENCY]
        for w in range(2):
            everyone, rhythms = whole or _Everyone(read.everyone, read.rhythms)
            columns, _ = columns_from(self.reading.layout, read.values[w], everyone[w], rhythms[w])
            table = Table(columns)
            if self.inputs.complete is not None:
                table = self.inputs.complete(table, w, who)
            tables.append(table)
        ends = np.asarray(self.reading.spans.as_ofs)[:, None]
        bought = self.earlier[who] | ((read.first_ever >= 0) & (read.first_ever < ends))
        return Drawn(
            slice(*block), who, (tables[0], tables[1]), ~np.isnan(came), bought, read.money,
            np.nan_to_num(came).sum(axis=0),
        )  # fmt: skip
