"""What every reader of tables gives: names, and batches of text cells in file order."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, datetime, time
from pathlib import Path
from typing import Any, Protocol

import pyarrow as pa
import pyarrow.compute as pc

__all__ = [
    "KEPT_RAGGED",
    "LONGEST_NAME",
    "ReadRows",
    "RowsFile",
    "UnreadableFile",
    "as_text",
    "broken_tells",
    "cell_text",
    "checked_names",
    "first_of",
    "is_text",
    "kept_text",
]

KEPT_RAGGED = 1000
#: Letters of a column's name: no table has longer ones, but what is no table has.
LONGEST_NAME = 200
_NO_TEXT = "characters that are no text (NUL) were left out."


class UnreadableFile(ValueError):
    """The file is no table that can be read; the message says what is wrong and what to do."""


@contextmanager
def broken_tells(words: str | Callable[[], str]) -> Iterator[None]:
    """Whatever a decoder stumbles over in a broken file is told in these words.

    Decoders raise errors of every kind over bytes that nobody wrote on purpose: of zip, XML, time,
    numbers, or their own. Here the file is what is broken, and memory that ran out is not.

    Raises
    ------
    UnreadableFile
        With ``words``, or as it was raised within.
    """
    try:
        yield
    except (UnreadableFile, FileNotFoundError, MemoryError):
        raise
    except Exception as problem:
        raise UnreadableFile(words if isinstance(words, str) else words()) from problem


def is_text(value: str) -> bool:
    """Whether it can be written down: half a surrogate pair cannot.

    Examples
    --------
    >>> is_text("blüh"), is_text("a\\ud800")
    (True, False)
    """
    return not any("\ud800" <= letter <= "\udfff" for letter in value)


def kept_text(batch: pa.RecordBatch, notes: list[str]) -> pa.RecordBatch:
    r"""Cells without the one character that no database keeps, with a note where there was one.

    >>> notes = []
    >>> kept_text(pa.record_batch({"card": ["A\0B"]}), notes).to_pydict(), len(notes)
    ({'card': ['AB']}, 1)
    """
    columns = list(batch.columns)
    changed = False
    for place, cells in enumerate(columns):
        if pc.any(pc.match_substring(cells, "\0")).as_py():
            columns[place] = pc.replace_substring(cells, "\0", "")
            changed = True
            note = f"{batch.schema.names[place]}: {_NO_TEXT}"
            if note not in notes:
                notes.append(note)
    return pa.RecordBatch.from_arrays(columns, batch.schema.names) if changed else batch


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
    """One value of a sheet or record as the text a till would have written.

    >>> cell_text(1e15), cell_text(None), cell_text(True), cell_text(date(2026, 6, 30))
    ('1000000000000000', '', 'yes', '2026-06-30')
    """
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


def _plain(name: str) -> str:
    """A name without what cannot be seen: marks of byte order, control characters."""
    seen = (c if c.isprintable() or c.isspace() else "" for c in name.replace("\ufeff", ""))
    return " ".join("".join(seen).split())


def checked_names(names: Sequence[str]) -> tuple[str, ...]:
    """Names of columns, trimmed.

    Raises
    ------
    UnreadableFile
        A column without a name, or two of the same.

    >>> checked_names([" card ", "total"])
    ('card', 'total')
    """
    trimmed = tuple(_plain(name) for name in names)
    if "" in trimmed:
        place = trimmed.index("") + 1
        raise UnreadableFile(f"Column {place} has no name in the first row. Name it and try again.")
    long = next((n for n, name in enumerate(trimmed, 1) if len(name) > LONGEST_NAME), 0)
    if long:
        raise UnreadableFile(
            f"The name of column {long} has {len(trimmed[long - 1]):,} letters: this is no row of "
            "names. Put one into the first row."
        )
    twice = sorted(name for name, times in Counter(trimmed).items() if times > 1)
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

    >>> as_text(pa.array([1.5, None, 2.0])).to_pylist()
    ['1.5', '', '2']
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
