"""Open any table: delimited text, JSON Lines, GeoJSON, Parquet, XLSX; plain, gzip, or zip."""

from __future__ import annotations

from pathlib import Path

from sortija.core.formats.delimited import DelimitedFile, sniff
from sortija.core.formats.geojson import AreaRows, looks_like_areas
from sortija.core.formats.jsonlines import JsonRows
from sortija.core.formats.packed import check_archive, magic_of, open_bytes
from sortija.core.formats.parquet import ParquetRows
from sortija.core.formats.rows import RowsFile
from sortija.core.formats.workbook import WorkbookRows

__all__ = ["open_rows"]


def open_rows(path: Path, name: str = "", encoding: str = "") -> RowsFile:
    """A reader for a table, chosen by what the file holds, never by what it is called.

    Parameters
    ----------
    path : Path
    name : str, optional
        What people call the file, where that is not what it is called on disk.
    encoding : str, optional
        How its text is written (``core.formats.encodings``), where that is not to be found out.

    Raises
    ------
    UnreadableFile
        It is no table; the message says why and what to do.
    """
    name = name or path.name
    kind = magic_of(path)
    if kind == "parquet":
        return ParquetRows(path)
    if kind == "zip" and "xl/workbook.xml" in check_archive(path, name):
        return WorkbookRows(path, name)
    with open_bytes(path, name) as file:
        begins = file.read(1 << 12).lstrip(b"\xef\xbb\xbf \t\r\n")
    if begins.startswith(b"{") and looks_like_areas(begins):
        return AreaRows(path, name)
    if begins.startswith(b"{"):
        return JsonRows(path, name)
    return DelimitedFile(path, sniff(path, name, encoding), name)
