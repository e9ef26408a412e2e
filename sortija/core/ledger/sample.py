"""The first rows of a log, and how its columns hang together whatever they are called."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.behaviour import Behaviour, behaviours_of, stand_together
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import GOOD, decimal_comma, read_decimals
from sortija.core.ledger.role_words import name_speaks_for

__all__ = ["LogSample", "Receipts"]

_SCALE = 4
#: Share of the pairs of lines of a receipt in which a column of the receipt itself may change.
_HEAD = 0.02
#: Columns that products are looked for among.
_MOST_FACTORS = 14


@dataclass(frozen=True)
class Receipts:
    """Which rows are of one receipt.

    ``numbers``: (n,) one for each row's receipt; ``order``: rows so that those of a receipt follow
    one another; ``same``: (n − 1,) in that order, whether a row is of the receipt before it.
    """

    numbers: NDArray[np.int64]
    order: NDArray[np.intp]
    same: NDArray[np.bool_]

    @classmethod
    def of(cls, numbers: NDArray[np.int64]) -> Receipts:
        """Receipts by a number for each row."""
        order = np.argsort(numbers, kind="stable")
        placed = numbers[order]
        return cls(numbers, order, placed[1:] == placed[:-1])

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.same) + 1 - int(self.same.sum())

    def changes(self, codes: NDArray[np.int64]) -> float:
        """Share of the lines of one receipt at which a column changes; NaN without such lines."""
        if self.same.sum() < 5:
            return float("nan")
        placed = codes[self.order]
        return float((placed[1:] != placed[:-1])[self.same].mean())


@dataclass
class LogSample:
    """The rows that roles are guessed from.

    Parameters
    ----------
    rows : batch of string columns
    behaviours : what each column looks like by itself
    """

    rows: pa.RecordBatch
    behaviours: dict[str, Behaviour]
    _codes: dict[str, tuple[NDArray[np.int64], int]] = field(default_factory=dict)
    _values: dict[str, NDArray[np.float64]] = field(default_factory=dict)

    @classmethod
    def of(cls, rows: pa.RecordBatch) -> LogSample:
        """A sample of a file's first rows; of a wide file, fewer of them."""
        return cls(*behaviours_of(rows))

    def codes(self, name: str) -> tuple[NDArray[np.int64], int]:
        """(a number for each cell's text, −1 where empty; how many different ones)."""
        if name not in self._codes:
            cells = pc.utf8_trim_whitespace(self.rows.column(name))
            coded = pc.dictionary_encode(pc.if_else(pc.equal(cells, ""), None, cells))
            indices = coded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
            self._codes[name] = indices.astype(np.int64), len(coded.dictionary)
        return self._codes[name]

    def values(self, name: str) -> NDArray[np.float64]:
        """Cells as numbers, NaN where they are none."""
        if name not in self._values:
            numbers, state = read_decimals(self.rows.column(name), _SCALE, self.comma)
            self._values[name] = np.where(state == GOOD, numbers / 10**_SCALE, np.nan)
        return self._values[name]

    @cached_property
    def comma(self) -> bool:
        """Whether the file writes decimals with a comma."""
        return decimal_comma(self.rows, self.amounts)

    @cached_property
    def amounts(self) -> list[str]:
        """Columns of numbers that are neither dates, times nor codes with leading zeros."""
        return [
            name for name, b in self.behaviours.items()
            if b.filled and b.numbers >= 0.7 and b.dates < 0.5 and not b.times
            and not b.leading_zeros
        ]  # fmt: skip

    @cached_property
    def keys(self) -> list[str]:
        """Columns that may name something: neither dates, times nor amounts with decimals."""
        return [
            name for name, b in self.behaviours.items()
            if b.distinct and b.dates < 0.5 and not b.times and not b.decimals
        ]  # fmt: skip

    def lines_each(self, name: str) -> float:
        """Lines per value where those of a value stand together, else 0."""
        return stand_together(self.rows.column(name))

    def counts_up(self, name: str) -> bool:
        """Whether a column counts: from row to row it stays, goes up by one, or begins anew."""
        if name not in self.amounts or self.behaviours[name].decimals:
            return False
        values = self.values(name)
        step = np.diff(values)
        begins = values[1:] == np.nanmin(values)
        near = (step == 0) | (step == 1) | begins
        return bool(len(step) > 10 and near.mean() > 0.97 and (step == 1).sum() > 5)

    def by_moment(self) -> Receipts:
        """Rows that follow one another with the same date and time, as a receipt's lines do."""
        columns = [n for n, b in self.behaviours.items() if b.times or b.dates >= 0.9]
        timed = any(self.behaviours[n].times or self.behaviours[n].with_time for n in columns)
        begins = np.ones(self.rows.num_rows, np.bool_)
        if timed:
            begins[1:] = False
            for name in columns:
                codes, _ = self.codes(name)
                begins[1:] |= codes[1:] != codes[:-1]
        return Receipts.of(np.cumsum(begins))

    def by_number(self, receipt: str) -> Receipts:
        """Rows with the same number and date; where numbers come again, the same time, too."""
        codes, distinct = self.codes(receipt)
        numbers = np.where(codes < 0, distinct + np.arange(len(codes)), codes)
        again = not self.lines_each(receipt)
        for name, b in self.behaviours.items():
            if b.dates >= 0.9:
                days = read_moments(self.rows.column(name), bool(b.months_first))[0]
                numbers = _together(numbers, days)
            if again and (b.times or b.with_time):
                numbers = _together(numbers, self.codes(name)[0])
        return Receipts.of(numbers)

    def changes(self, name: str, receipts: Receipts) -> float:
        """Share of the lines of one receipt at which a column changes; NaN without such lines."""
        return receipts.changes(self.codes(name)[0])

    def of_head(self, name: str, receipts: Receipts) -> bool:
        """Whether a column tells of the receipt, not of its lines."""
        return bool(self.changes(name, receipts) <= _HEAD)

    def of_lines(self, name: str, receipts: Receipts) -> bool:
        """Whether a column changes from line to line of a receipt."""
        return bool(self.changes(name, receipts) > 0.2)

    def visits(self, name: str, receipts: Receipts) -> tuple[int, float]:
        """(values that come back on several receipts, receipts per value)."""
        codes, distinct = self.codes(name)
        there = codes >= 0
        if not distinct:
            return 0, 0.0
        pairs = np.unique(receipts.numbers[there] * distinct + codes[there])
        each = np.bincount(pairs % distinct, minlength=distinct)
        return int((each > 1).sum()), float(each.mean())

    def determines(self, one: str, other: str) -> bool:
        """Whether each value of ``one`` goes with hardly more than one of ``other``."""
        left, distinct = self.codes(one)
        right, width = self.codes(other)
        there = (left >= 0) & (right >= 0)
        if not there.any():
            return False
        pairs = np.unique(left[there] * width + right[there])
        each = np.bincount(pairs // width, minlength=distinct)
        rows = np.bincount(left[there], minlength=distinct)
        often = rows > 1
        return bool(often.sum() >= 3 and (each[often] == 1).mean() > 0.97)

    def factors(self) -> list[str]:
        """Columns that products are looked for among: those whose headings speak of amounts
        first, where there are many."""
        if len(self.amounts) <= _MOST_FACTORS:
            return self.amounts
        speaks = {
            name: max(name_speaks_for(role, name) for role in ("money", "price", "quantity"))
            for name in self.amounts
        }
        return sorted(self.amounts, key=lambda name: -speaks[name])[:_MOST_FACTORS]

    def products(self) -> list[tuple[float, str, str, str]]:
        """Columns where pieces times price is an amount: (share of rows, pieces, price, amount)."""
        names = self.factors()
        found = []
        for pieces in names:
            q = self.values(pieces)
            if self.behaviours[pieces].decimals and not self._mostly_whole(pieces):
                continue
            if np.mean(np.abs(q) == 1) > 0.98 or self.behaviours[pieces].distinct < 2:
                continue
            for price in names:
                if price == pieces:
                    continue
                product = q * self.values(price)
                for amount in names:
                    if amount in (pieces, price):
                        continue
                    share = self._alike(product, amount)
                    if share > 0.75:
                        found.append((share, pieces, price, amount))
        return sorted(found, reverse=True)

    def _mostly_whole(self, name: str) -> bool:
        values = self.values(name)
        return bool(np.mean(values == np.round(values)) > 0.5)

    def _alike(self, wanted: NDArray[np.float64], name: str) -> float:
        """Share of rows in which a column is this amount, to a hundredth or half a per cent of it;
        only those count in which it is more than nothing."""
        have = self.values(name)
        there = np.isfinite(wanted) & np.isfinite(have) & (wanted != 0)
        if there.sum() < 10:
            return 0.0
        near = np.abs(np.abs(wanted) - np.abs(have)) <= 0.0101 + 1e-9 * np.abs(wanted)
        return float(near[there].mean())

    def sums_over(self, name: str, receipts: Receipts) -> str:
        """The column whose sum over each receipt this one repeats on its lines, or nothing."""
        have, numbers = self.values(name), receipts.numbers
        several = (np.bincount(numbers) > 1)[numbers]
        if several.sum() < 10:
            return ""
        for other in self.amounts:
            if other == name:
                continue
            sums = np.bincount(numbers, np.nan_to_num(self.values(other)))[numbers]
            near = np.abs(sums - have) <= 0.0101
            if near[several].mean() > 0.8 and np.abs(sums[several]).max() > 0:
                return other
        return ""


def _together(one: NDArray[np.int64], other: NDArray[Any]) -> NDArray[np.int64]:
    """A number for each pair of numbers."""
    shifted = other.astype(np.int64) - other.min(initial=0)
    return np.unique(one * (shifted.max(initial=0) + 1) + shifted, return_inverse=True)[1]
