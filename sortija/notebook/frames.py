"""Frames of any library in and out, by Arrow's interface for columns."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import Any

import pyarrow as pa

from sortija.cli.files import open_measures
from sortija.cli.terminal import Trouble
from sortija.core.formats.measures import MeasureFile, MeasureFileError, measures_of

__all__ = ["measures_in", "of_the_kind", "table_of"]

_CALLED = Path("the table")


def table_of(frame: Any) -> pa.Table:
    """A frame as Arrow has it, its texts as plain texts.

    Raises
    ------
    Trouble
        It is no frame.

    >>> table_of({"customer": ["A"], "visits": [3]}).column_names
    ['customer', 'visits']
    """
    if isinstance(frame, pa.Table):
        table = frame
    elif isinstance(frame, dict) or hasattr(frame, "__arrow_c_stream__"):
        table = pa.table(frame)
    else:
        raise Trouble(
            f"{type(frame).__name__} is no table: give a frame of pandas, Polars or Arrow, a dict "
            "of lists, or the path of a file."
        )
    columns = [_plain(column) for column in table.columns]
    return pa.table(columns, names=table.column_names)


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    texts = pa.types.is_large_string(kind) or str(kind) == "string_view"
    return column.cast(pa.string()) if texts or pa.types.is_null(kind) else column


def measures_in(frame: Any) -> MeasureFile:
    """A table of measures: a frame whose column ``customer`` names each row once, or a file."""
    if isinstance(frame, str | Path):
        return open_measures(Path(frame))
    try:
        return measures_of(table_of(frame), _CALLED)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem


def of_the_kind(frame: Any, table: pa.Table) -> Any:
    """A table as a frame of the library that ``frame`` is of; Arrow's for files and dicts."""
    library = type(frame).__module__.split(".")[0]
    if library == "pandas":
        return table.to_pandas()
    if library == "polars":
        return import_module("polars").from_arrow(table)
    return table
