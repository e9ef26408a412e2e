"""XLSX workbooks: the first sheet that holds a table, as batches of text cells."""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import islice
from typing import Any

import pyarrow as pa
from openpyxl import load_workbook

from sortija.core.formats.packed import check_archive
from sortija.core.formats.rows import (
    ReadRows,
    UnreadableFile,
    broken_tells,
    cell_text,
    checked_names,
    kept_text,
)

__all__ = ["WorkbookRows"]

BATCH_ROWS = 20_000
#: Titles above a table end within so many rows.
LOOKED_AT = 50


@dataclass
class WorkbookRows(ReadRows):
    """A sheet of a workbook; titles above the table are passed over, a total below set aside."""

    _sheet: str = ""
    _head: int = 0
    _first: int = 0

    def __post_init__(self) -> None:
        check_archive(self.path, self.name or self.path.name)
        found = []
        with self._book() as book:
            for sheet in book.worksheets:
                top = [list(row) for row in islice(sheet.iter_rows(values_only=True), LOOKED_AT)]
                place = _head_of(top)
                if place is not None:
                    found.append((sheet.title, place, top[place]))
        if not found:
            raise UnreadableFile(
                "No sheet holds a table: a first row of names with rows below it. Put it on "
                "the first sheet and import the workbook again."
            )
        self._sheet, self._head, head = found[0]
        filled = [n for n, cell in enumerate(head) if cell is not None]
        self._first, last = filled[0], filled[-1]
        self.names = checked_names([cell_text(cell) for cell in head[self._first : last + 1]])
        if len(found) > 1:
            others = ", ".join(title for title, _, _ in found[1:])
            self.notes.append(f"The sheet {self._sheet} was read; {others} hold tables, too.")
        self._note_formulas()

    @contextmanager
    def _book(self, values: bool = True) -> Iterator[Any]:
        """The workbook, opened by its bytes: on disk it may be called anything."""
        with (
            self.path.open("rb") as file,
            warnings.catch_warnings(),
            broken_tells("This workbook cannot be opened. Save it as XLSX again, or as CSV."),
        ):
            warnings.simplefilter("ignore")  # styles and drawings that do not matter here
            book = load_workbook(file, read_only=True, data_only=values)
            try:
                yield book
            finally:
                book.close()

    def _note_formulas(self) -> None:
        """Formulas whose results were never kept read as nothing: say so before they do."""
        with self._book(values=False) as written, self._book() as kept:
            sheets = (written[self._sheet], kept[self._sheet])
            rows = zip(*(self._below(s, LOOKED_AT) for s in sheets), strict=False)
            lost = {
                self.names[n]
                for formulas, values in rows
                for n, (formula, value) in enumerate(zip(formulas, values, strict=False))
                if isinstance(formula, str) and formula.startswith("=") and value is None
                and n < len(self.names)
            }  # fmt: skip
        if lost:
            self.notes.append(
                f"{', '.join(sorted(lost))}: formulas without a kept result, which read as empty. "
                "Open the workbook, save it, and import it again."
            )

    def _below(self, sheet: Any, count: int | None = None) -> Iterator[tuple[Any, ...]]:
        first, width = self._first, len(self.names)
        rows = sheet.iter_rows(
            min_row=self._head + 2, min_col=first + 1, max_col=first + width, values_only=True
        )
        return islice(rows, count) if count else rows

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all; no empty rows."""
        self.begin()
        width = len(self.names)
        chosen = [n for n in range(width) if columns is None or self.names[n] in columns]
        with self._book() as book:
            rows = self._below(book[self._sheet])
            while part := list(islice(rows, BATCH_ROWS)):
                kept = [row for row in part if self._fits(row, width)]
                cells = [pa.array([cell_text(row[n]) for row in kept], pa.string()) for n in chosen]
                names = [self.names[n] for n in chosen]
                yield kept_text(pa.RecordBatch.from_arrays(cells, names=names), self.notes)

    def _fits(self, row: tuple[Any, ...], width: int) -> bool:
        filled = sum(cell is not None for cell in row)
        if filled == 0:
            return False
        if len(row) < width or (filled == 1 and width > 2):  # a remark or total below the table
            self.set_aside("; ".join(cell_text(cell) for cell in row))
            return False
        return True


def _head_of(rows: list[list[Any]]) -> int | None:
    """Place of the row of names: the first as wide as the table that follows it."""
    filled = [sum(cell is not None for cell in row) for row in rows]
    widest = max(filled, default=0)
    if widest < 2:
        return None
    for place, row in enumerate(rows[:-1]):
        cells = [cell for cell in row if cell is not None]
        if filled[place] >= max(2, 0.6 * widest) and all(isinstance(c, str) for c in cells):
            return place if any(filled[place + 1 :]) else None
    return None
