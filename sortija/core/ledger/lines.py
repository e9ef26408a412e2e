"""Typed lines from text cells: keys, dates, money, kinds, and the bits each line earns alone."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.counting import KINDS, Kind
from sortija.core.ledger.currencies import currency_of
from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import (
    BAD,
    GOOD,
    decimals_in,
    empty_digest,
    hash_cells,
    read_decimals,
)
from sortija.core.ledger.parse_times import read_times
from sortija.core.ledger.role_words import kind_of
from sortija.core.ledger.rules import BIT, ON_OFFER
from sortija.core.ledger.zones import Zone

__all__ = [
    "MOST_DECIMALS",
    "NO_CARD",
    "NO_COST",
    "NO_DAY",
    "QUANTITY_SCALE",
    "FinerMoney",
    "LineBatch",
    "LineReader",
    "Unread",
    "money_scale",
]

NO_CARD = -1
NO_DAY = -1
#: Cost of a line whose file tells none.
NO_COST = -(1 << 63)
QUANTITY_SCALE = 3
#: Decimals of money that are kept; a price of fuel has three, few have four.
MOST_DECIMALS = 4
#: Batches that are read at a time; more than cores would only hold more in memory.
THREADS = min(4, os.cpu_count() or 1)
#: Field of a line → role whose cells get codes.
_CODED = {
    "card": "customer", "site": "site", "channel": "channel", "item": "item",
    "department": "department",
}  # fmt: skip
#: Roles whose cells say whether two lines are the same.
_CONTENT = (
    "item", "department", "quantity", "money", "price", "kind", "customer", "moment", "currency",
    "time",
)  # fmt: skip


class FinerMoney(Exception):
    """A file writes money with more ``decimals`` than it is read with: it is to be read again."""

    def __init__(self, decimals: int) -> None:
        super().__init__(f"money has {decimals} decimals")
        self.decimals = decimals


@dataclass(frozen=True)
class Unread:
    """A cell that could not be read: kept word for word beside its line."""

    line: int
    role: str
    text: str


@dataclass(frozen=True)
class LineBatch:
    """Typed lines of one batch, in file order. All arrays have length n.

    ``card``, ``site``, ``channel``, ``item``, ``department``: numbers in the reader's codebooks,
    −1 where empty; ``receipt``, ``content``: 64-bit keys; ``day``: since 1970-01-01, −1 without;
    ``second``: of the day; ``quantity``: thousandths; ``money``: at the reader's scale; ``cost``:
    likewise, ``NO_COST`` without, nothing at all where the file has no such column; ``kind``:
    place in :class:`counting.Kind`; ``bits``: rules met, as far as a line alone can tell.
    """

    first_line: int
    card: NDArray[np.int32]
    receipt: NDArray[np.uint64]
    content: NDArray[np.uint64]
    day: NDArray[np.int32]
    second: NDArray[np.int32]
    site: NDArray[np.int32]
    channel: NDArray[np.int32]
    item: NDArray[np.int32]
    department: NDArray[np.int32]
    quantity: NDArray[np.int64]
    money: NDArray[np.int64]
    cost: NDArray[np.int64] | None
    kind: NDArray[np.int8]
    bits: NDArray[np.int32]
    unread: tuple[Unread, ...]

    def __len__(self) -> int:
        return len(self.card)


@dataclass(frozen=True)
class _Read:
    """A batch read but not yet coded: fields of :class:`LineBatch`, and cells that get codes."""

    typed: dict[str, Any]
    cells: dict[str, pa.Array]
    digests: dict[str, NDArray[np.uint64]]
    decimals: int


def _half_away(product: NDArray[np.int64], by: int) -> NDArray[np.int64]:
    size = (np.abs(product) + by // 2) // by
    return np.where(product < 0, -size, size)


@dataclass
class LineReader:
    """Reads a log batch by batch under one mapping.

    Parameters
    ----------
    mapping : LogMapping, already checked
    scale : int
        Decimals of the study's money.
    today : int
        Days since 1970-01-01 of the day the file came in; later dates lie in the future.
    zone : Zone, optional
        Stamps with an offset are told in this zone.
    currency : str
        The study's, by code or sign; lines that name another one are set aside.
    """

    mapping: LogMapping
    scale: int
    today: int
    zone: Zone | None = None
    currency: str = ""
    cards: Codebook = field(default_factory=Codebook)
    sites: Codebook = field(default_factory=Codebook)
    channels: Codebook = field(default_factory=Codebook)
    items: Codebook = field(default_factory=Codebook)
    departments: Codebook = field(default_factory=Codebook)
    lines_read: int = 0

    def read(self, batches: Iterator[pa.RecordBatch]) -> Iterator[LineBatch]:
        """Typed lines of every batch, in file order. Line numbers count data rows from 1.

        Batches are read ahead on threads; only their codes are given one after the other, so
        that numbers do not depend on which thread was quicker.

        Raises
        ------
        FinerMoney
            An amount has more decimals than the reader keeps; it would have to be rounded.
        """
        ahead: deque[Future[_Read]] = deque()
        with ThreadPoolExecutor(THREADS) as pool:
            first = self.lines_read + 1
            for batch in batches:
                if batch.num_rows:
                    ahead.append(pool.submit(self._read, batch, first))
                    first += batch.num_rows
                if len(ahead) > THREADS:
                    yield self._coded(ahead.popleft().result())
            while ahead:
                yield self._coded(ahead.popleft().result())

    def _coded(self, read: _Read) -> LineBatch:
        """Give what was read the numbers of its codes."""
        if read.decimals > self.scale:
            raise FinerMoney(read.decimals)
        codes: dict[str, Any] = {
            name: book.encode(read.cells[name], read.digests[name])
            if name in read.cells
            else np.full(len(read.typed["day"]), -1, np.int32)
            for name, book in (
                ("card", self.cards), ("site", self.sites), ("channel", self.channels),
                ("item", self.items), ("department", self.departments),
            )
        }  # fmt: skip
        self.lines_read += len(read.typed["day"])
        return LineBatch(**read.typed, **codes)

    def _cells(self, batch: pa.RecordBatch, role: str) -> pa.Array | None:
        name = self.mapping.roles.get(role)
        return None if name is None else batch.column(name)

    def _seconds(
        self, batch: pa.RecordBatch, second: NDArray[np.int32]
    ) -> tuple[NDArray[np.int32], NDArray[np.uint8]]:
        """(seconds of the day, state of the cells with times); a line without a readable time
        keeps the one of its date."""
        cells = self._cells(batch, "time")
        if cells is None:
            return second, np.zeros(len(second), np.uint8)
        times, state = read_times(cells)
        return np.where(state == GOOD, times, second).astype(np.int32), state

    def _amounts(
        self, batch: pa.RecordBatch
    ) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.uint8], NDArray[np.uint8]]:
        """(quantity, money, quantity's state, money's state); the line total wins."""
        rows, comma = batch.num_rows, self.mapping.decimal_comma
        quantity = np.full(rows, 10**QUANTITY_SCALE, np.int64)
        quantity_state = np.zeros(rows, np.uint8)
        cells = self._cells(batch, "quantity")
        if cells is not None:
            quantity, quantity_state = read_decimals(cells, QUANTITY_SCALE, comma)
            quantity = np.where(quantity_state == GOOD, quantity, 10**QUANTITY_SCALE)
        money = np.zeros(rows, np.int64)
        state = np.full(rows, BAD, np.uint8)
        cells = self._cells(batch, "money")
        if cells is not None:
            money, state = read_decimals(cells, self.scale, comma)
        price_cells = self._cells(batch, "price")
        if price_cells is not None and (state != GOOD).any():
            price, price_state = read_decimals(price_cells, self.scale, comma)
            product = _half_away(quantity * price, 10**QUANTITY_SCALE)
            use = (state != GOOD) & (price_state == GOOD) & (quantity_state != BAD)
            # A total that is there but unreadable stays so: only an empty one is worked out.
            use &= np.full(rows, True) if cells is None else state != BAD
            money, state = np.where(use, product, money), np.where(use, GOOD, state)
        return quantity, money, quantity_state, state.astype(np.uint8)

    def _kinds(
        self, batch: pa.RecordBatch, quantity: NDArray[np.int64], money: NDArray[np.int64]
    ) -> tuple[NDArray[np.int8], NDArray[np.bool_]]:
        """What each line is; and whether it only takes money back, without goods."""
        negative = (quantity < 0) | (money < 0)
        pieces = quantity > 0 if "quantity" in self.mapping.roles else np.False_
        bare = (money < 0) & pieces
        kind = np.where(negative, 1, 0).astype(np.int8)
        cells = self._cells(batch, "kind")
        if cells is None:
            return kind, bare
        coded = pc.dictionary_encode(pc.utf8_trim_whitespace(cells))
        given = self.mapping.kinds
        words = coded.dictionary.to_pylist()
        table = [KINDS.index(given.get(w) or kind_of(w)) if w else -1 for w in words]
        said = np.array([*table, -1], np.int8)[coded.indices.to_numpy(zero_copy_only=False)]
        # What the file does not call a return but takes money back is one all the same.
        unsaid = (said == -1) | ((said == 0) & negative)
        return np.where(unsaid, kind, said).astype(np.int8), bare & unsaid

    def _foreign(self, batch: pa.RecordBatch) -> NDArray[np.bool_]:
        """Lines that name a currency which is not the study's."""
        cells = self._cells(batch, "currency")
        if cells is None or not self.currency:
            return np.zeros(batch.num_rows, np.bool_)
        coded = pc.dictionary_encode(cells)
        own = currency_of(self.currency)
        names = [currency_of(text or "") for text in coded.dictionary.to_pylist()]
        table = np.array([*(bool(name) and name != own for name in names), False])
        codes = coded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
        return np.asarray(table[codes], np.bool_)

    def _offered(self, batch: pa.RecordBatch) -> NDArray[np.bool_]:
        """Lines sold on offer: their cell names an offer or a discount that is not nothing."""
        cells = self._cells(batch, "offer")
        if cells is None:
            return np.zeros(batch.num_rows, np.bool_)
        coded = pc.dictionary_encode(cells)
        table = np.array(
            [*(_names_offer(text or "") for text in coded.dictionary.to_pylist()), False]
        )
        return np.asarray(
            table[coded.indices.fill_null(-1).to_numpy(zero_copy_only=False)], np.bool_
        )

    def _costs(self, batch: pa.RecordBatch, kind: NDArray[np.int8]) -> NDArray[np.int64] | None:
        """What the goods of each line cost the shop; those brought back cost it less."""
        cells = self._cells(batch, "cost")
        if cells is None:
            return None
        cost, state = read_decimals(cells, self.scale, self.mapping.decimal_comma)
        cost = np.where(kind == Kind.RETURN, -np.abs(cost), cost)
        return np.where(state == GOOD, cost, NO_COST)

    def _receipt_keys(
        self, batch: pa.RecordBatch, day: NDArray[np.int32], lone: NDArray[np.bool_], first: int
    ) -> NDArray[np.uint64]:
        """Receipt = (site, channel, local date, number); without a number customer, site, day."""
        keys = hash_cells(pa.array(day).cast(pa.string()))
        for role in ("site", "channel"):
            cells = self._cells(batch, role)
            if cells is not None:
                keys = hash_cells(cells, keys)
        number = self._cells(batch, "receipt")
        if number is None:
            number = self._cells(batch, "customer")
            # Without a card each line is a visit of its own.
            keys = np.where(lone, keys + np.arange(first, first + len(keys), dtype=np.uint64), keys)
        return hash_cells(number, keys)

    def _read(self, batch: pa.RecordBatch, first: int) -> _Read:
        """Everything about a batch that does not hang on the batches before it."""
        columns = {name: self._cells(batch, role) for name, role in _CODED.items()}
        cells = {name: column for name, column in columns.items() if column is not None}
        digests = {name: hash_cells(column) for name, column in cells.items()}
        day, second, day_state = read_moments(
            batch.column(self.mapping.roles["moment"]), bool(self.mapping.month_first), self.zone
        )
        day = np.where(day_state == GOOD, day, NO_DAY).astype(np.int32)
        second, time_state = self._seconds(batch, second)
        quantity, money, quantity_state, money_state = self._amounts(batch)
        money = np.where(money_state == GOOD, money, 0)
        kind, bare = self._kinds(batch, quantity, money)
        content = np.zeros(batch.num_rows, np.uint64)
        for role in _CONTENT:
            column = self._cells(batch, role)
            if column is not None:
                content = hash_cells(column, content)
        lone = digests["card"] == empty_digest()
        bits = np.zeros(batch.num_rows, np.int32)
        for rule, meets in (
            ("no_date", day_state != GOOD),
            ("no_amount", (money_state != GOOD) | (quantity_state == BAD)),
            ("future", day > self.today),
            ("void", kind == Kind.VOID),
            ("not_sale", kind == Kind.OTHER),
            ("no_customer", lone),
            ("returns", kind == Kind.RETURN),
            ("negative", bare),
            ("currency", self._foreign(batch)),
        ):
            bits |= np.where(meets, np.int32(BIT[rule]), np.int32(0))
        bits |= np.where(self._offered(batch), np.int32(ON_OFFER), np.int32(0))
        typed = {
            "first_line": first,
            "receipt": self._receipt_keys(batch, day, lone, first),
            "content": content,
            "day": day,
            "second": second,
            "quantity": quantity,
            "money": money,
            "cost": self._costs(batch, kind),
            "kind": kind,
            "bits": bits,
            "unread": tuple(
                self._unread(
                    batch,
                    first,
                    {
                        "moment": day_state,
                        "time": time_state,
                        "money": money_state,
                        "quantity": quantity_state,
                    },
                )
            ),
        }
        return _Read(typed, cells, digests, self._decimals(batch))

    def _decimals(self, batch: pa.RecordBatch) -> int:
        """Decimals that the batch's money is written with, as far as they are kept."""
        return money_scale(batch, self.mapping) if self.scale < MOST_DECIMALS else 0

    def _unread(
        self,
        batch: pa.RecordBatch,
        first: int,
        states: dict[str, NDArray[np.uint8]],
    ) -> Iterator[Unread]:
        for role, state in states.items():
            cells = self._cells(batch, role)
            if cells is None:
                continue
            for row in np.flatnonzero(state == BAD):
                yield Unread(first + int(row), role, str(cells[int(row)].as_py())[:200])


_NO_OFFER = {"no", "n", "false", "f", "none", "-", "–", "regular", "normal", "full price"}


def _names_offer(text: str) -> bool:
    """Whether a cell says that the line was on offer; a discount of nothing does not."""
    plain = text.strip().lower()
    return plain not in _NO_OFFER and bool(plain.strip("0.,% -£€$"))


def money_scale(rows: pa.RecordBatch, mapping: LogMapping) -> int:
    """Decimals of the money columns among these rows, at most 4."""
    names = [mapping.roles[r] for r in ("money", "price", "cost") if r in mapping.roles]
    most = max((decimals_in(rows.column(n), mapping.decimal_comma) for n in names), default=0)
    return min(most, MOST_DECIMALS)
