"""A table as it stands on the screen, as an XLSX sheet: numbers stay numbers, shades stay."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import IO, Any

from sortija.core.formats.exports import in_sheet

__all__ = ["NUMBER_FORMATS", "Cell", "Grid", "write_grid"]

#: How a sheet shows each form of number; ``¤`` is where the currency goes.
NUMBER_FORMATS = {
    "text": "General", "number": "#,##0.00", "share": "0.0%", "money": '"¤"#,##0.00',
    "signed": "+#,##0.00;−#,##0.00;0", "year": "0",
}  # fmt: skip
_SHADE = re.compile("[0-9A-Fa-f]{6}")
_WIDEST = 60


@dataclass(frozen=True)
class Cell:
    """``value``: a number, text, or None; ``form``: a key of :data:`NUMBER_FORMATS`; ``shade``:
    six hexadecimal digits, empty for none."""

    value: float | str | None
    form: str = "text"
    shade: str = ""


@dataclass(frozen=True)
class Grid:
    """``heads``: one cell a column; ``note``: what stands below the table, empty for nothing."""

    title: str
    heads: Sequence[str]
    rows: Sequence[Sequence[Cell]]
    note: str = ""


def write_grid(file: IO[bytes], grid: Grid, currency: str = "") -> None:
    """Write one sheet, heads and first column kept in sight; texts cannot act as formulas.

    Raises
    ------
    ValueError
        A form or a shade that there is not, or a row of another length than the heads.
    """
    for row in grid.rows:
        if len(row) != len(grid.heads):
            raise ValueError(f"A row has {len(row)} cells under {len(grid.heads)} heads.")
        for cell in row:
            if cell.form not in NUMBER_FORMATS or (cell.shade and not _SHADE.fullmatch(cell.shade)):
                raise ValueError(f"No such form or shade: {cell.form} {cell.shade}.")
    import openpyxl  # here, for it takes long to load and few ask for a sheet
    from openpyxl.styles import Alignment, Font, PatternFill

    sign = currency.replace('"', "")
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = re.sub(r"[\\/*?:\[\]]", " ", grid.title)[:31] or "Table"
    sheet.freeze_panes = "B2"
    sheet.append([in_sheet(head) for head in grid.heads])
    for head in sheet[1]:
        head.font, head.alignment = Font(bold=True), Alignment(wrap_text=True, vertical="top")
    for row in grid.rows:
        sheet.append([in_sheet(cell.value) for cell in row])
        for there, cell in zip(sheet[sheet.max_row], row, strict=True):
            there.number_format = NUMBER_FORMATS[cell.form].replace("¤", sign)
            if cell.shade:
                there.fill = PatternFill("solid", fgColor=cell.shade.upper())
    _widen(sheet, grid)
    if grid.note:
        sheet.append([])
        sheet.append([in_sheet(grid.note)])
    book.save(file)


def _widen(sheet: Any, grid: Grid) -> None:
    """Columns as wide as their texts, within reason."""
    for place, column in enumerate(sheet.columns):
        texts = [len(str(row[place].value or "")) for row in grid.rows if place < len(row)]
        head = max((len(word) for word in grid.heads[place].split()), default=0)
        wide = min(_WIDEST, max([head, *(min(n, 30) for n in texts)], default=8) + 2)
        sheet.column_dimensions[column[0].column_letter].width = wide
