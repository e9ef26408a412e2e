"""Files that commands write, whole or not at all, and tables of measures that they read."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from typing import Any

import pyarrow as pa

from sortija.cli.terminal import Trouble
from sortija.core.formats.measures import (
    MeasureFile,
    MeasureFileError,
    as_bytes,
    read_list,
    read_measures,
)

__all__ = ["check_out", "open_list", "open_measures", "read_text", "write_table", "write_whole"]


def open_measures(path: Path) -> MeasureFile:
    """A table of measures, or a sentence what is wrong with the file."""
    try:
        return read_measures(path)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem


def open_list(path: Path) -> MeasureFile:
    """A table whose rows need no name, or a sentence what is wrong with the file."""
    try:
        return read_list(path)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem


def read_text(path: Path) -> str:
    """A text file, or a sentence why it cannot be read."""
    try:
        return path.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as problem:
        words = problem.strerror if isinstance(problem, OSError) else "it is no text"
        raise Trouble(f"{path}: cannot be read: {words}.") from problem


def check_out(path: Path | None) -> None:
    """Refuse early what could not be written at the end."""
    if path is not None and path.suffix not in (".csv", ".parquet"):
        raise Trouble(f"{path}: call it .csv or .parquet, so that its kind is plain.")


def write_table(table: pa.Table, path: Path | None) -> None:
    """Into a file by its ending, or as CSV to standard output."""
    data = as_bytes(table, path is not None and path.suffix == ".parquet")
    if path is not None:
        write_whole(path, data)
        return
    sys.stdout.buffer.write(data)
    sys.stdout.buffer.flush()


def write_whole(path: Path, data: Any) -> None:
    """Write a file aside and rename it: it is there whole, or not at all."""
    try:
        number, aside = tempfile.mkstemp(prefix=".sortija-", dir=path.parent or ".")
        with os.fdopen(number, "wb") as file:
            file.write(data)
        Path(aside).replace(path)
    except OSError as problem:
        raise Trouble(f"{path}: cannot be written: {problem.strerror}.") from problem
