"""Files that commands write, whole or not at all, and tables of measures that they read."""

from __future__ import annotations

import atexit
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO

import pyarrow as pa

from sortija.cli.terminal import Trouble
from sortija.core.formats.measures import (
    MeasureFile,
    MeasureFileError,
    TableKind,
    as_bytes,
    read_list,
    read_measures,
)

__all__ = [
    "ENDINGS",
    "check_out",
    "local_copy",
    "open_list",
    "open_measures",
    "read_text",
    "write_table",
    "write_whole",
]

#: What tables are written as, by the file's ending.
KINDS: dict[str, TableKind] = {
    ".csv": "csv", ".parquet": "parquet", ".xlsx": "xlsx", ".jsonl": "jsonl",
}  # fmt: skip
ENDINGS = ".csv, .parquet, .xlsx or .jsonl"


def open_measures(path: Path) -> MeasureFile:
    """A table of measures, or a sentence what is wrong with the file."""
    return _opened(path, read_measures)


def open_list(path: Path) -> MeasureFile:
    """A table whose rows need no name, or a sentence what is wrong with the file."""
    return _opened(path, read_list)


def _opened(path: Path, read: Callable[[Path], MeasureFile]) -> MeasureFile:
    here, called = local_copy(path)
    try:
        return replace(read(here), path=called)
    except MeasureFileError as problem:
        raise Trouble(str(problem).replace(str(here), str(called))) from problem


def local_copy(path: Path) -> tuple[Path, Path]:
    """A file that can be read more than once, and what it is called: what comes through a pipe,
    or from standard input as ``-``, is kept aside until the command ends."""
    if str(path) == "-":
        return _aside(sys.stdin.buffer), Path("standard input")
    if path.is_fifo() or path.is_char_device():
        with path.open("rb") as file:
            return _aside(file), path
    return path, path


def _aside(source: BinaryIO) -> Path:
    number, name = tempfile.mkstemp(prefix="sortija-")
    atexit.register(Path(name).unlink, missing_ok=True)
    with os.fdopen(number, "wb") as file:
        shutil.copyfileobj(source, file)
    return Path(name)


def read_text(path: Path) -> str:
    """A text file, or a sentence why it cannot be read."""
    try:
        return path.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as problem:
        words = problem.strerror if isinstance(problem, OSError) else "it is no text"
        raise Trouble(f"{path}: cannot be read: {words}.") from problem


def check_out(path: Path | None) -> None:
    """Refuse early what could not be written at the end."""
    if path is not None and path.suffix not in KINDS:
        raise Trouble(f"{path}: call it {ENDINGS}, so that its kind is plain.")


def write_table(table: pa.Table, path: Path | None) -> None:
    """Into a file by its ending, or as CSV to standard output."""
    try:
        data = as_bytes(table, KINDS[path.suffix] if path is not None else "csv")
    except MeasureFileError as problem:
        raise Trouble(f"{path}: {problem}") from problem
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
