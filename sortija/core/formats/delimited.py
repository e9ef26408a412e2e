"""Read delimited text in batches: what divides the cells, how it is encoded, row by row.

A file is never held whole. Every cell stays text here; ``core.ledger.cells`` reads it.
"""

from __future__ import annotations

import codecs
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pacsv

__all__ = ["DelimitedFile", "Dialect", "UnreadableFile", "sniff"]

HEAD_BYTES = 1 << 18
BATCH_BYTES = 4 << 20
DELIMITERS = ",;\t|"
KEPT_RAGGED = 1000


class UnreadableFile(ValueError):
    """The file is no table of text; the message says what is wrong and what to do."""


@dataclass(frozen=True)
class Dialect:
    """How a file is written."""

    delimiter: str
    encoding: str
    names: tuple[str, ...]


def _decode(head: bytes, whole: bool) -> tuple[str, str]:
    for mark, name in ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"),
                       (codecs.BOM_UTF16_BE, "utf-16")):  # fmt: skip
        if head.startswith(mark):
            return head.decode(name, errors="ignore"), "utf-8" if "8" in name else name
    if b"\0" in head:
        raise UnreadableFile(
            "This file is not text. Export it as CSV (comma, semicolon or tab) and bring that in."
        )
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head, final=whole)
        return head.decode("utf-8", errors="ignore"), "utf-8"
    except UnicodeDecodeError:
        return head.decode("cp1252", errors="replace"), "cp1252"


def _cells(line: str, delimiter: str) -> int:
    """How many cells a line has, delimiters within quotes not counted."""
    count, quoted = 1, False
    for letter in line:
        if letter == '"':
            quoted = not quoted
        elif letter == delimiter and not quoted:
            count += 1
    return count


def sniff(path: Path) -> Dialect:
    """Find delimiter, encoding and column names from the first 256 KiB.

    Raises
    ------
    UnreadableFile
        Empty, binary, a single column, or a head with empty or repeated names.
    """
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
        whole = not file.read(1)
    text, encoding = _decode(head, whole)
    lines = text.splitlines()
    lines = lines if whole else lines[:-1]
    lines = [line for line in lines if line.strip()][:200]
    if not lines:
        raise UnreadableFile("This file is empty. Export it again and bring in the new one.")

    def agreement(delimiter: str) -> tuple[float, int]:
        first = _cells(lines[0], delimiter)
        same = sum(_cells(line, delimiter) == first for line in lines)
        return (same / len(lines) if first > 1 else 0.0, first)

    delimiter = max(DELIMITERS, key=agreement)
    if agreement(delimiter)[0] == 0.0:
        raise UnreadableFile(
            "No comma, semicolon, tab or bar divides the first row into columns. "
            "Export the file with one of them between the columns."
        )
    names = pacsv.read_csv(
        pa.py_buffer((lines[0] + "\n").encode()),
        read_options=pacsv.ReadOptions(),
        parse_options=pacsv.ParseOptions(delimiter=delimiter),
    ).column_names
    names = tuple(name.strip().lstrip("\ufeff") for name in names)
    if "" in names:
        place = names.index("") + 1
        raise UnreadableFile(f"Column {place} has no name in the first row. Name it and try again.")
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise UnreadableFile(
            f"Two columns are called {twice[0]}. Give each its own name in the first row."
        )
    return Dialect(delimiter, encoding, names)


@dataclass
class DelimitedFile:
    """Batches of text cells of one file.

    ``ragged`` holds the text of rows whose number of cells differs from the head's (up to 1,000
    of them; ``ragged_count`` counts all); they are set aside, never guessed at.
    """

    path: Path
    dialect: Dialect
    ragged: list[str] = field(default_factory=list)
    ragged_count: int = 0

    def _set_aside(self, row: pacsv.InvalidRow) -> str:
        self.ragged_count += 1
        if len(self.ragged) < KEPT_RAGGED:
            self.ragged.append(str(row.text))
        return "skip"

    def batches(self) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns under the names of the dialect."""
        names = list(self.dialect.names)
        reader = pacsv.open_csv(
            self.path,
            read_options=pacsv.ReadOptions(
                block_size=BATCH_BYTES,
                column_names=names,
                skip_rows=1,
                encoding=self.dialect.encoding,
            ),
            parse_options=pacsv.ParseOptions(
                delimiter=self.dialect.delimiter,
                newlines_in_values=True,
                invalid_row_handler=self._set_aside,
            ),
            convert_options=pacsv.ConvertOptions(
                column_types={name: pa.string() for name in names},
                strings_can_be_null=False,
                check_utf8=True,
            ),
        )
        try:
            yield from reader
        except pa.ArrowInvalid as problem:
            raise UnreadableFile(f"{self.path.name} stops being readable: {problem}") from problem

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` rows."""
        for batch in self.batches():
            return batch.slice(0, count)
        return pa.RecordBatch.from_arrays(
            [pa.array([], pa.string()) for _ in self.dialect.names], names=list(self.dialect.names)
        )
