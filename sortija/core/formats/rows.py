"""What every reader of tables gives: names, and batches of text cells in file order."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time
from pathlib import Path
from typing import Any, Protocol

import pyarrow as pa
import pyarrow.compute as pc

__all__ = [
    "ReadRows",
    "RowsFile",
    "UnreadableFile",
    "as_text",
    "cell_text",
    "checked_names",
    "first_of",
]

KEPT_RAGGED = 1000


class UnreadableFile(ValueError):
    """The file is no table that can be read; the message says what is wrong and what to do."""


class RowsFile(Protocol):
    """A table on disk, read batch by batch, never whole.

    ``ragged``: text of rows that do not fit the head (up to 1,000; ``ragged_count`` counts all),
    set aside and never guessed at; ``notes``: what a person should know about how it was read.
    """

    @property
    def names(self) -> tuple[str, ...]: ...
    @property
    def ragged(self) -> list[str]: ...
    @property
    def ragged_count(self) -> int: ...
    @property
    def notes(self) -> list[str]: ...

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all ``names``."""

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` rows."""


@dataclass
class ReadRows(ABC):
    """What readers of rows have in common: names, notes, and rows that were set aside."""

    path: Path
    name: str = ""
    names: tuple[str, ...] = ()
    notes: list[str] = field(default_factory=list)
    ragged: list[str] = field(default_factory=list)
    ragged_count: int = 0

    def begin(self) -> None:
        """Read from the start: nothing is set aside yet."""
        self.ragged, self.ragged_count = [], 0

    def set_aside(self, text: str) -> None:
        """Keep a row that does not fit the head, in words that a person recognises."""
        self.ragged_count += 1
        if len(self.ragged) < KEPT_RAGGED:
            self.ragged.append(text[:200])

    @abstractmethod
    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all ``names``."""

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` rows."""
        return first_of(self, count)


def cell_text(value: Any) -> str:
    """One value of a sheet or record as the text a till would have written."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat(" ", "seconds")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, float):  # never with an exponent, which is no way to write money
        return f"{value:.9f}".rstrip("0").rstrip(".")
    return str(value)


def checked_names(names: Sequence[str]) -> tuple[str, ...]:
    """Names of columns, trimmed.

    Raises
    ------
    UnreadableFile
        A column without a name, or two of the same.
    """
    trimmed = tuple(name.strip().lstrip("\ufeff") for name in names)
    if "" in trimmed:
        place = trimmed.index("") + 1
        raise UnreadableFile(f"Column {place} has no name in the first row. Name it and try again.")
    twice = sorted({name for name in trimmed if trimmed.count(name) > 1})
    if twice:
        raise UnreadableFile(
            f"Two columns are called {twice[0]}. Give each its own name in the first row."
        )
    return trimmed


def first_of(file: RowsFile, count: int) -> pa.RecordBatch:
    """The first ``count`` rows of a file, from as many batches as it takes."""
    parts: list[pa.RecordBatch] = []
    for batch in file.batches():
        parts.append(batch)
        if sum(part.num_rows for part in parts) >= count:
            break
    schema = pa.schema([(name, pa.string()) for name in file.names])
    table = pa.Table.from_batches(parts, schema).slice(0, count).combine_chunks()
    if table.num_rows:
        return table.to_batches()[0]
    return pa.RecordBatch.from_arrays([pa.array([], pa.string()) for _ in schema], schema=schema)


def as_text(column: pa.Array) -> pa.Array:
    """A typed column as the text a till would have written; nothing where there is no value.

    Stamps keep their offset (``+00:00`` for those in UTC), so that the ledger's zone can be told.
    """
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.dictionary_decode(), kind.value_type
    if pa.types.is_boolean(kind):
        column = pc.if_else(column, "yes", "no")
    elif pa.types.is_timestamp(kind):
        whole = column.cast(pa.timestamp("s", kind.tz), safe=False)
        column = pc.strftime(whole, "%Y-%m-%d %H:%M:%S%z" if kind.tz else "%Y-%m-%d %H:%M:%S")
    elif pa.types.is_floating(kind):
        column = _floats(column)
    return pc.fill_null(column.cast(pa.string()), "")


def _floats(column: pa.Array) -> pa.Array:
    """Floats in full, never with an exponent, which is no way to write money."""
    values = pc.if_else(pc.is_nan(column), None, column).cast(pa.float64())
    text = values.cast(pa.string())
    if not pc.any(pc.match_substring(text, "e")).as_py():
        return text
    plain = [None if v is None else f"{v:.6f}".rstrip("0").rstrip(".") for v in values.to_pylist()]
    return pa.array(plain, pa.string())
