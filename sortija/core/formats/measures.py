"""Tables of measures as files, one row per customer: read as logs are, written as asked for."""

from __future__ import annotations

import io
import json
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq
from openpyxl import Workbook

from sortija.core.formats.exports import XLSX_ROWS, in_sheet
from sortija.core.formats.lists import safe_cell
from sortija.core.formats.opening import open_rows
from sortija.core.formats.packed import magic_of
from sortija.core.formats.rows import UnreadableFile
from sortija.core.table import Column, Table

__all__ = [
    "KEY",
    "MeasureFile",
    "MeasureFileError",
    "TableKind",
    "as_bytes",
    "measures_of",
    "read_list",
    "read_measures",
    "whole_ids",
]

#: How a table is written.
TableKind = Literal["csv", "parquet", "xlsx", "jsonl"]
KEY = "customer"
#: A number as files have it; a code such as 0012 is none.
_WHOLE = r"^(0|[1-9][0-9]{0,17})$"
_NUMBER = r"^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?$"


class MeasureFileError(ValueError):
    """A file that cannot be read as measures; the message names file, column and row."""


@dataclass(frozen=True)
class MeasureFile:
    """``customers``: the key of every row, in the file's order; ``cells``: the file as it is."""

    path: Path
    customers: pa.Array
    cells: pa.Table

    def __len__(self) -> int:
        return len(self.customers)

    def table(self, numeric: Sequence[str], categories: Sequence[str] = ()) -> Table:
        """Some of the columns, read as numbers or as categories (empty cells are missing).

        Raises
        ------
        MeasureFileError
            A column is not there, or a cell of a numeric one is no number.
        """
        columns = [self._number(name) for name in numeric]
        columns += [self._category(name) for name in categories]
        return Table(tuple(columns))

    def typed(self) -> pa.Table:
        """The whole file, text columns that hold nothing but numbers as numbers."""
        kept = [
            column if name == KEY or not pa.types.is_string(column.type) else _plain(column)
            for name, column in zip(self.cells.column_names, self.cells.columns, strict=True)
        ]
        return pa.table(kept, names=self.cells.column_names)

    def _cells(self, name: str) -> pa.Array:
        if name not in self.cells.column_names:
            there = ", ".join(self.cells.column_names)
            raise MeasureFileError(
                f"{self.path}: there is no column called {name}. Its columns are {there}."
            )
        found = self.cells[name].combine_chunks()
        return found.chunk(0) if isinstance(found, pa.ChunkedArray) else found

    def _number(self, name: str) -> Column:
        cells = self._cells(name)
        if pa.types.is_boolean(cells.type):
            cells = cells.cast(pa.int8())
        if pa.types.is_string(cells.type) or pa.types.is_large_string(cells.type):
            cells = self._parsed(name, cells)
        try:
            values = cells.cast(pa.float64())
        except pa.ArrowInvalid as problem:
            raise MeasureFileError(f"{self.path}: column {name} holds no numbers.") from problem
        return Column(name, "number", values.fill_null(np.nan).to_numpy(zero_copy_only=False))

    def _parsed(self, name: str, cells: pa.Array) -> pa.Array:
        text = pc.if_else(pc.equal(pc.utf8_trim_whitespace(cells), ""), None, cells)
        try:
            return pc.cast(pc.utf8_trim_whitespace(text), pa.float64())
        except pa.ArrowInvalid:
            pass
        for row, cell in enumerate(text.to_pylist()):
            try:
                float(cell or 0)
            except ValueError:
                raise MeasureFileError(
                    f"{self.path}, row {row + 2}: column {name} has “{cell}”, which is no number."
                ) from None
        raise MeasureFileError(f"{self.path}: column {name} holds no numbers.")

    def _category(self, name: str) -> Column:
        cells = self._cells(name)
        if not pa.types.is_string(cells.type):
            cells = cells.cast(pa.string())
        cells = pc.if_else(pc.equal(cells, ""), None, cells)
        coded = cells.dictionary_encode()
        levels = coded.dictionary.to_pylist()
        order = sorted(range(len(levels)), key=levels.__getitem__)
        place = np.empty(len(levels) + 1, np.int32)
        place[order] = np.arange(1, len(levels) + 1)
        place[-1] = 0
        codes = coded.indices.fill_null(len(levels)).to_numpy(zero_copy_only=False)
        return Column(name, "category", place[codes], "", tuple(levels[i] for i in order))


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    text = pc.if_else(pc.equal(column, ""), None, column)
    there = text.drop_null()
    if not len(there) or not pc.all(pc.match_substring_regex(there, _NUMBER)).as_py():
        return column
    if not pc.any(pc.match_substring_regex(there, "[.eE]")).as_py():
        try:
            return text.cast(pa.int64())
        except pa.ArrowInvalid:
            return column  # longer than a number can be: a code after all
    return text.cast(pa.float64())


def whole_ids(names: pa.Array) -> pa.Array:
    """Names of customers as whole numbers, where all of them are; one with a leading zero or with
    more digits than a number has is a code, and then all stay text.

    >>> whole_ids(pa.array(["7", "12"])).to_pylist(), whole_ids(pa.array(["07"])).to_pylist()
    ([7, 12], ['07'])
    """
    if not len(names) or not pc.all(pc.match_substring_regex(names, _WHOLE)).as_py():
        return names
    return names.cast(pa.int64())


def read_measures(path: Path) -> MeasureFile:
    """Read a table of measures whose column ``customer`` names each row once.

    Raises
    ------
    MeasureFileError
        No such file, another kind of file, no column ``customer``, or a customer without a name
        or with two rows.
    """
    return measures_of(_read(path), path)


def measures_of(cells: pa.Table, path: Path) -> MeasureFile:
    """A table of measures that is there already; ``path``: what it is called in errors.

    Raises
    ------
    MeasureFileError
        As :func:`read_measures` says.
    """
    if KEY not in cells.column_names:
        there = ", ".join(cells.column_names)
        raise MeasureFileError(
            f"{path}: no column is called {KEY}, by which rows are told apart. "
            f"Its columns are {there}."
        )
    named = cells[KEY]
    if pa.types.is_floating(named.type):  # whole numbers that lay beside an empty cell once
        named = named.cast(pa.int64(), safe=False) if _all_whole(named) else named
    customers = named.cast(pa.string()).combine_chunks()
    _once(path, customers)
    return MeasureFile(path, customers, cells)


def read_list(path: Path) -> MeasureFile:
    """Read a table whose rows need no name: where none is called ``customer``, they are numbered as
    a person who looks at the file would.

    Raises
    ------
    MeasureFileError
        As :func:`read_measures` says.
    """
    cells = _read(path)
    if KEY in cells.column_names:
        return read_measures(path)
    rows = pa.array([f"row {row}" for row in range(2, len(cells) + 2)], pa.string())
    return MeasureFile(path, rows, cells)


def _read(path: Path) -> pa.Table:
    if not path.exists():
        raise MeasureFileError(f"{path}: there is no such file.")
    if path.is_dir():
        raise MeasureFileError(f"{path}: it is a folder. Name the file in it.")
    try:
        cells = pq.read_table(path) if magic_of(path) == "parquet" else _read_cells(path)
    except UnreadableFile as problem:
        raise MeasureFileError(f"{path}: it cannot be read. {problem}") from problem
    except (pa.ArrowInvalid, OSError) as problem:
        words = str(problem).split("\n")[0].rstrip(".")
        raise MeasureFileError(f"{path}: it cannot be read: {words}.") from problem
    if not len(cells):
        raise MeasureFileError(f"{path}: there are no rows in it.")
    return cells


def _read_cells(path: Path) -> pa.Table:
    """Every cell as text: a column's kind is what it is asked for as."""
    file = open_rows(path)
    schema = pa.schema([(name, pa.string()) for name in file.names])
    cells = pa.Table.from_batches(list(file.batches()), schema)
    if count := file.ragged_count:
        some = file.ragged[0].strip()[:60] if file.ragged else ""
        raise MeasureFileError(
            f"{path}: {count:,} {'row has' if count == 1 else 'rows have'} another number of cells "
            f"than the head, such as “{some}”. Mend them and try again."
        )
    return cells


def _all_whole(column: pa.ChunkedArray) -> bool:
    return bool(pc.all(pc.equal(column, pc.round(column))).as_py())


def _once(path: Path, customers: pa.Array) -> None:
    names = customers.to_pylist()
    seen: dict[str, int] = {}
    for row, name in enumerate(names, 2):
        if not name:
            raise MeasureFileError(f"{path}, row {row}: it names no customer.")
        if name in seen:
            raise MeasureFileError(
                f"{path}: customer {name} has two rows, {seen[name]} and {row}. Keep one."
            )
        seen[name] = row


def as_bytes(table: pa.Table, kind: TableKind) -> bytes:
    """A table as a file: in CSV and XLSX no text acts as a formula.

    Raises
    ------
    MeasureFileError
        More rows than a sheet holds.
    """
    if kind == "parquet":
        sink = pa.BufferOutputStream()
        pq.write_table(table, sink)
        return bytes(sink.getvalue())
    if kind == "jsonl":
        lines = (json.dumps(row, ensure_ascii=False) for row in _plain_rows(table))
        return "".join(f"{line}\n" for line in lines).encode()
    return _sheet(table) if kind == "xlsx" else _csv(table)


def _csv(table: pa.Table) -> bytes:
    sink = pa.BufferOutputStream()
    safe = [
        pa.chunked_array([[safe_cell(text) for text in c.to_pylist()]], pa.string())
        if pa.types.is_string(c.type)
        else c
        for c in table.columns
    ]
    options = pacsv.WriteOptions(quoting_style="needed")
    pacsv.write_csv(pa.table(safe, names=table.column_names), sink, options)
    return bytes(sink.getvalue())


def _sheet(table: pa.Table) -> bytes:
    if len(table) > XLSX_ROWS:
        raise MeasureFileError(
            f"{len(table):,} rows are more than a sheet holds. Write .csv or .parquet."
        )
    book = Workbook(write_only=True)
    sheet = book.create_sheet("sortija")
    sheet.append(table.column_names)
    for row in _plain_rows(table):
        sheet.append([in_sheet(cell) for cell in row.values()])
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def _plain_rows(table: pa.Table) -> Iterator[dict[str, Any]]:
    """Rows as JSON has them: what is no number is no value."""
    for batch in table.to_batches(max_chunksize=20_000):
        for row in batch.to_pylist():
            yield {
                name: None if isinstance(v, float) and not math.isfinite(v) else v
                for name, v in row.items()
            }
