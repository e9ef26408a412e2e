"""A list of customers as CSV, XLSX or Parquet, with a dictionary of its columns."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
from numpy.typing import NDArray

from sortija.core.calendar import date_of
from sortija.core.formats.lists import csv_lines, safe_cell

__all__ = ["DICTIONARY", "Cells", "ExportError", "FileKind", "Told", "cells_of", "in_sheet",
           "write_dictionary", "write_list"]  # fmt: skip

FileKind = Literal["csv", "xlsx", "parquet"]
XLSX_ROWS = 1_048_575
_DECIMALS = 6
#: XML 1.0, of which sheets are made, knows no such characters.
_NOT_IN_SHEETS = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


class ExportError(ValueError):
    """A list that cannot be written in this form; the message says what to do."""


@dataclass(frozen=True)
class Told:
    """One column in the dictionary: ``kind`` is number, date or text."""

    name: str
    label: str
    kind: str
    unit: str
    definition: str
    missing: str = ""
    levels: tuple[str, ...] = ()


#: Heads of the dictionary's columns.
DICTIONARY = ("column", "label", "kind", "unit", "definition", "without a value", "levels")
#: One block of rows: a list of cells for each column, None where there is none.
Cells = Sequence[Sequence[Any]]


def cells_of(
    values: NDArray[Any], missing: NDArray[np.bool_], kind: str, levels: Sequence[str] = ()
) -> list[Any]:
    """Cells of a column: numbers (whole ones as such), dates, or the names of levels."""
    if kind == "text":
        return [levels[int(v) - 1] if v else None for v in values]
    if kind == "date":
        days = zip(values, missing, strict=True)
        return [None if gone else date_of(int(v)) for v, gone in days]
    return [None if gone else _number(float(v)) for v, gone in zip(values, missing, strict=True)]


def _number(value: float) -> float | int:
    return int(value) if value == int(value) else round(value, _DECIMALS)


def write_list(
    path: Path, kind: FileKind, columns: Sequence[Told], rows: int, blocks: Iterable[Cells],
) -> None:  # fmt: skip
    """Write the list; text cells of CSV and XLSX cannot act as formulas.

    Raises
    ------
    ExportError
        More rows than a sheet holds.
    """
    if kind == "xlsx" and rows > XLSX_ROWS:
        raise ExportError(
            f"A sheet holds {XLSX_ROWS:,} rows and this list has {rows:,}. Take CSV or Parquet, "
            "or narrow the lens."
        )
    writer = {"csv": _write_csv, "xlsx": _write_xlsx, "parquet": _write_parquet}[kind]
    writer(path, columns, blocks)


def _by_row(blocks: Iterable[Cells]) -> Iterator[list[Any]]:
    for cells in blocks:
        for row in zip(*cells, strict=True):
            yield list(row)


def _write_csv(path: Path, columns: Sequence[Told], blocks: Iterable[Cells]) -> None:
    def rows() -> Iterator[list[Any]]:
        for row in _by_row(blocks):
            yield ["" if cell is None else cell for cell in row]

    with path.open("w", encoding="utf-8", newline="") as file:
        file.writelines(csv_lines([c.label for c in columns], rows()))


def _write_xlsx(path: Path, columns: Sequence[Told], blocks: Iterable[Cells]) -> None:
    import openpyxl  # here, for it takes long to load and few ask for a sheet

    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("Customers")
    sheet.freeze_panes = "B2"
    sheet.append([in_sheet(c.label) for c in columns])
    for row in _by_row(blocks):
        sheet.append([in_sheet(cell) for cell in row])
    about = book.create_sheet("Dictionary")
    about.append(list(DICTIONARY))
    for told in columns:
        about.append([in_sheet(cell) for cell in _told_row(told)])
    book.save(path)


def in_sheet(value: object) -> object:
    """A cell without the control characters that no sheet can hold."""
    cell = safe_cell(value)
    return _NOT_IN_SHEETS.sub("\N{REPLACEMENT CHARACTER}", cell) if isinstance(cell, str) else cell


_TYPES = {"number": pa.float64(), "date": pa.date32(), "text": pa.string()}


def _write_parquet(path: Path, columns: Sequence[Told], blocks: Iterable[Cells]) -> None:
    schema = pa.schema([
        pa.field(c.name, _TYPES[c.kind], metadata={
            "label": c.label, "unit": c.unit, "definition": c.definition,
        })
        for c in columns
    ])  # fmt: skip
    with pq.ParquetWriter(path, schema) as writer:
        for cells in blocks:
            arrays = [pa.array(mine, t.type) for mine, t in zip(cells, schema, strict=True)]
            writer.write_table(pa.table(arrays, schema=schema))


def _told_row(told: Told) -> list[str]:
    return [told.name, told.label, told.kind, told.unit, told.definition, told.missing,
            "; ".join(told.levels)]  # fmt: skip


def write_dictionary(path: Path, columns: Sequence[Told], notes: Sequence[tuple[str, str]]) -> None:
    """What each column of a list means, as CSV; ``notes``: lines about the list as a whole."""
    with path.open("w", encoding="utf-8", newline="") as file:
        file.writelines(csv_lines(DICTIONARY, [_told_row(told) for told in columns]))
        file.writelines(csv_lines(("", ""), notes))
