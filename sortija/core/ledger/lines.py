"""Typed lines from text cells: keys, dates, money, kinds, and the bits each line earns alone."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.cells import (
    BAD,
    GOOD,
    decimals_in,
    hash_cells,
    read_decimals,
    read_moments,
)
from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.rules import RULES
from sortija.core.ledger.zones import Zone

__all__ = [
    "KINDS",
    "NO_CARD",
    "NO_DAY",
    "QUANTITY_SCALE",
    "LineBatch",
    "LineReader",
    "Unread",
    "money_scale",
    "month_of",
]

KINDS = ("sale", "return", "void")
NO_CARD = -1
NO_DAY = -1
QUANTITY_SCALE = 3
_BIT = {rule.key: rule.bit for rule in RULES}


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
    ``second``: of the day; ``quantity``: thousandths; ``money``: at the reader's scale;
    ``kind``: place in :data:`KINDS`; ``bits``: rules met, as far as a line alone can tell.
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
    kind: NDArray[np.int8]
    bits: NDArray[np.int32]
    unread: tuple[Unread, ...]

    def __len__(self) -> int:
        return len(self.card)


def month_of(day: NDArray[np.int32]) -> NDArray[np.int32]:
    """Months since 1970-01 of days since 1970-01-01; −1 stays −1."""
    months = day.astype("M8[D]").astype("M8[M]").astype(np.int32)
    return np.where(day < 0, np.int32(-1), months)


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
    """

    mapping: LogMapping
    scale: int
    today: int
    zone: Zone | None = None
    cards: Codebook = field(default_factory=Codebook)
    sites: Codebook = field(default_factory=Codebook)
    channels: Codebook = field(default_factory=Codebook)
    items: Codebook = field(default_factory=Codebook)
    departments: Codebook = field(default_factory=Codebook)
    lines_read: int = 0

    def read(self, batches: Iterator[pa.RecordBatch]) -> Iterator[LineBatch]:
        """Typed lines of every batch. Line numbers count data rows from 1."""
        for batch in batches:
            if batch.num_rows:
                yield self._typed(batch)
                self.lines_read += batch.num_rows

    def _cells(self, batch: pa.RecordBatch, role: str) -> pa.Array | None:
        name = self.mapping.roles.get(role)
        return None if name is None else batch.column(name)

    def _codes(self, batch: pa.RecordBatch, role: str, book: Codebook) -> NDArray[np.int32]:
        cells = self._cells(batch, role)
        if cells is None:
            return np.full(batch.num_rows, -1, np.int32)
        return book.encode(cells)

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
        cells = self._cells(batch, "total")
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
    ) -> NDArray[np.int8]:
        negative = (quantity < 0) | (money < 0)
        kind = np.where(negative, 1, 0).astype(np.int8)
        cells = self._cells(batch, "kind")
        if cells is None:
            return kind
        coded = pc.dictionary_encode(pc.utf8_trim_whitespace(cells))
        given = self.mapping.kinds
        table = [KINDS.index(given[t]) if t in given else -1 for t in coded.dictionary.to_pylist()]
        said = np.array([*table, -1], np.int8)[coded.indices.to_numpy(zero_copy_only=False)]
        # What the file does not call a return but takes money back is one all the same.
        return np.where((said == -1) | ((said == 0) & negative), kind, said).astype(np.int8)

    def _receipt_keys(
        self, batch: pa.RecordBatch, day: NDArray[np.int32], card: NDArray[np.int32]
    ) -> NDArray[np.uint64]:
        """Receipt = (site, channel, local date, number); without a number customer, site, day."""
        days = pa.array(day).cast(pa.string())
        keys = hash_cells(days)
        for role in ("site", "channel"):
            cells = self._cells(batch, role)
            if cells is not None:
                keys = hash_cells(cells, keys)
        number = self._cells(batch, "receipt")
        if number is None:
            number = self._cells(batch, "customer")
            lone = card < 0  # without a card each line is a visit of its own
            keys = np.where(lone, keys + np.arange(len(keys), dtype=np.uint64) + 1, keys)
        return hash_cells(number, keys)

    def _typed(self, batch: pa.RecordBatch) -> LineBatch:
        roles = self.mapping.roles
        first = self.lines_read + 1
        card = self._codes(batch, "customer", self.cards)
        moment_cells = batch.column(roles["moment"])
        day, second, day_state = read_moments(
            moment_cells, bool(self.mapping.month_first), self.zone
        )
        day = np.where(day_state == GOOD, day, NO_DAY).astype(np.int32)
        quantity, money, quantity_state, money_state = self._amounts(batch)
        money = np.where(money_state == GOOD, money, 0)
        kind = self._kinds(batch, quantity, money)
        content = np.zeros(batch.num_rows, np.uint64)
        for role in (
            "item",
            "department",
            "quantity",
            "total",
            "price",
            "kind",
            "customer",
            "moment",
        ):
            cells = self._cells(batch, role)
            if cells is not None:
                content = hash_cells(cells, content)

        bits = np.zeros(batch.num_rows, np.int32)
        bad_amount = (money_state != GOOD) | (quantity_state == BAD)
        bits |= np.where(day_state != GOOD, _BIT["no_date"], 0)
        bits |= np.where(bad_amount, _BIT["no_amount"], 0)
        bits |= np.where(day > self.today, _BIT["future"], 0)
        bits |= np.where(kind == KINDS.index("void"), _BIT["void"], 0)
        bits |= np.where(card < 0, _BIT["no_customer"], 0)
        bits |= np.where(kind == KINDS.index("return"), _BIT["returns"], 0)
        return LineBatch(
            first_line=first,
            card=card,
            receipt=self._receipt_keys(batch, day, card),
            content=content,
            day=day,
            second=second,
            site=self._codes(batch, "site", self.sites),
            channel=self._codes(batch, "channel", self.channels),
            item=self._codes(batch, "item", self.items),
            department=self._codes(batch, "department", self.departments),
            quantity=quantity,
            money=money,
            kind=kind,
            bits=bits.astype(np.int32),
            unread=tuple(self._unread(batch, first, day_state, money_state, quantity_state)),
        )

    def _unread(
        self,
        batch: pa.RecordBatch,
        first: int,
        day_state: NDArray[np.uint8],
        money_state: NDArray[np.uint8],
        quantity_state: NDArray[np.uint8],
    ) -> Iterator[Unread]:
        states = (("moment", day_state), ("total", money_state), ("quantity", quantity_state))
        for role, state in states:
            cells = self._cells(batch, role)
            if cells is None:
                continue
            for row in np.flatnonzero(state == BAD):
                yield Unread(first + int(row), role, str(cells[int(row)].as_py())[:200])


def money_scale(rows: pa.RecordBatch, mapping: LogMapping) -> int:
    """Decimals of the money columns among these rows, at most 4."""
    names = [mapping.roles[r] for r in ("total", "price") if r in mapping.roles]
    most = max((decimals_in(rows.column(n), mapping.decimal_comma) for n in names), default=0)
    return min(most, 4)
