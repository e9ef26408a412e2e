"""Columns: written to PostgreSQL in chunks, read back through memory-mapped files."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Sequence
from contextlib import suppress
from functools import lru_cache, partial
from pathlib import Path
from typing import Any, cast

import numpy as np
from django.conf import settings
from django.db import IntegrityError, transaction
from numpy.typing import NDArray

from sortija.core import table
from sortija.core.engine import CHUNK, chunk_bounds
from sortija.server.bulk.copy import copy_bytes_in
from sortija.server.studies.column_details import Details, details_of
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Column, ColumnChunk, Population
from sortija.server.studies.problems import ChangedMeanwhile
from sortija.server.studies.tokens import new_token

__all__ = [
    "blank",
    "drop_column",
    "fresh_column",
    "put_aside",
    "read_column",
    "verifies",
    "whole_folder",
    "write_column",
    "write_columns",
]

_KEEP_SECONDS = 3600
#: Seconds between two looks at how much room the files take: a look asks for every file's size.
_LOOK_SECONDS = 20
_looked: dict[Path, float] = {}


def write_column(
    population: Population, column: table.Column, window: str, fingerprint: str,
    details: Details | None = None,
) -> Column:  # fmt: skip
    """Keep a column, whole or not at all; an equal one that is there already is returned."""
    return write_columns(population, [(column, details)], window, fingerprint)[0]


def write_columns(
    population: Population,
    columns: Sequence[tuple[table.Column, Details | None]],
    window: str,
    fingerprint: str,
) -> list[Column]:
    """Keep several columns of one making in one transaction; those that are there already stay."""
    names = [column.name for column, _ in columns]
    with transaction.atomic():
        there = _named(population, window, fingerprint, names)
        missing = [(c, d) for c, d in columns if c.name not in there]
        made = [
            Column(
                population=population, window=window, name=column.name, fingerprint=fingerprint,
                version=population.version, kind=column.kind, unit=column.unit, size=len(column),
                details=(details or Details()).model_dump() | {"levels": list(column.levels)},
            )
            for column, details in missing
        ]  # fmt: skip
        try:
            with transaction.atomic():
                Column.objects.bulk_create(made)
        except IntegrityError:  # somebody else made some of them meanwhile: they are the same
            return write_columns(population, columns, window, fingerprint)
        for row, (column, _) in zip(made, missing, strict=True):
            _fill(row, column)
            there[row.name] = row
    return [there[name] for name in names]


def _named(
    population: Population, window: str, fingerprint: str, names: list[str]
) -> dict[str, Column]:
    rows = Column.objects.filter(
        population=population, window=window, fingerprint=fingerprint, name__in=names
    )
    return {row.name: row for row in rows}


def _fill(row: Column, column: table.Column) -> None:
    """The values of a new column, and its file; should the transaction be undone, nothing names
    the file, and it makes room when room is needed."""
    little = column.values.astype(column.values.dtype.newbyteorder("<"))
    arrays: dict[str, NDArray[Any]] = {"values": little}
    if column.reasons is not None:
        arrays["reasons"] = np.asarray(column.reasons)
    chunks = (
        (
            row.pk,
            number,
            little[start:stop].tobytes(),
            arrays["reasons"][start:stop].tobytes() if "reasons" in arrays else b"",
        )
        for number, (start, stop) in enumerate(chunk_bounds(len(column)))
    )
    copy_bytes_in(ColumnChunk, ("column", "number", "data", "reasons"), chunks)
    put_aside(_folder(row), arrays)


def blank(row: Column, numbers: list[int]) -> None:
    """Forget the values of some rows, here and in the column's file.

    It is the same column to whoever names it, and another by its stamp and its file, so that
    nobody goes on with what they remember of it. No more is written than what changes.
    """
    there = [number for number in numbers if number < row.size]
    if not there:
        return
    column, old = read_column(row), _folder(row)
    values = np.array(column.values, _type_of(row))
    values[there] = np.nan if column.kind == "number" else 0
    arrays: dict[str, NDArray[Any]] = {"values": values}
    if column.reasons is not None:
        arrays["reasons"] = np.array(column.reasons)
        arrays["reasons"][there] = 0
    with transaction.atomic():
        for number in {place // CHUNK for place in there}:
            part = slice(number * CHUNK, (number + 1) * CHUNK)
            row.chunks.filter(number=number).update(
                data=values[part].tobytes(),
                reasons=arrays["reasons"][part].tobytes() if "reasons" in arrays else b"",
            )
        row.fingerprint = fingerprint(row.fingerprint, "without", numbers)
        row.token = new_token()
        row.save(update_fields=["fingerprint", "token"])
        put_aside(_folder(row), arrays)
        transaction.on_commit(partial(_remove, old))


def _remove(folder: Path) -> None:
    shutil.rmtree(folder, ignore_errors=True)
    _opened.cache_clear()


def drop_column(row: Column) -> None:
    """Remove a column, and its file on this machine."""
    _remove(_folder(row))
    row.delete()


def fresh_column(population: Population, name: str, window: str, fingerprint: str) -> Column | None:
    """The column made from just this, if there is one."""
    return Column.objects.filter(
        population=population, name=name, window=window, fingerprint=fingerprint
    ).first()


def read_column(row: Column) -> table.Column:
    """A column from its file on this machine, which is rebuilt from PostgreSQL when missing.

    The arrays are memory-mapped and read-only: one copy serves all processes. Where the column
    was dropped and made anew since ``row`` was looked up, the new one is read: columns made from
    the same are the same.

    Raises
    ------
    ChangedMeanwhile
        The column was dropped, or PostgreSQL does not have all of it.
    """
    try:
        return _read(row)
    except ChangedMeanwhile:
        again = fresh_column(row.population, row.name, row.window, row.fingerprint)
        if again is None or again.pk == row.pk:
            raise
        return _read(again)


def _read(row: Column) -> table.Column:
    kind = cast(table.Kind, row.kind)
    folder = _folder(row)
    if not (folder / "values.npy").exists():
        _rebuild(row, folder)
    try:
        values, reasons = _opened(folder, _type_of(row), row.size)
    except _NotWhole:
        shutil.rmtree(folder, ignore_errors=True)
        _rebuild(row, folder)
        values, reasons = _opened(folder, _type_of(row), row.size)
    return table.Column(
        row.name, kind, values, row.unit, tuple(details_of(row, Details).levels), reasons
    )


class _NotWhole(Exception):
    """Files of a column that cannot be gone by."""


@lru_cache(maxsize=256)
def _opened(folder: Path, kind: str, rows: int) -> tuple[NDArray[Any], NDArray[np.uint8] | None]:
    """A column's files, mapped once: every page that is mapped anew costs as much as reading it.

    A folder's files never change; one that was removed and made anew holds the same.

    Raises
    ------
    _NotWhole
        They are missing or damaged.
    """
    given = (folder / "reasons.npy").exists()
    if not verifies(folder / "values.npy", kind, rows) or (
        given and not verifies(folder / "reasons.npy", "u1", rows)
    ):
        raise _NotWhole
    values = np.load(folder / "values.npy", mmap_mode="r").view(np.ndarray)
    if not given:
        return values, None
    return values, np.load(folder / "reasons.npy", mmap_mode="r").view(np.ndarray)


def _folder(row: Column) -> Path:
    folder: Path = settings.COLUMN_FILES / f"column-{row.token}"
    return folder


def _type_of(row: Column) -> str:
    return np.dtype(table.DTYPES[row.kind]).newbyteorder("<").str


def verifies(path: Path, kind: str, rows: int) -> bool:
    """Whether a file is a whole array of ``rows`` values of this type."""
    try:
        with path.open("rb") as file:
            np.lib.format.read_magic(file)
            shape, _, found = np.lib.format.read_array_header_1_0(file)
            begin = file.tell()
            size = file.seek(0, 2) - begin
    except (OSError, ValueError):
        return False
    wanted = np.dtype(kind)
    return shape == (rows,) and found == wanted and size == rows * wanted.itemsize


def _rebuild(row: Column, folder: Path) -> None:
    """Write a column's file from PostgreSQL, all of it or nothing."""
    values = np.zeros(row.size, _type_of(row))
    reasons = np.zeros(row.size, np.uint8)
    given, filled = False, 0
    for chunk in row.chunks.order_by("number").iterator():
        part = np.frombuffer(chunk.data, values.dtype)
        if chunk.number * CHUNK != filled or filled + len(part) > row.size:
            raise ChangedMeanwhile
        there = slice(filled, filled + len(part))
        values[there] = part
        if chunk.reasons:
            given = True
            reasons[there] = np.frombuffer(chunk.reasons, np.uint8)
        filled += len(part)
    if filled != row.size or not Column.objects.filter(pk=row.pk, token=row.token).exists():
        raise ChangedMeanwhile  # also where some of its values were forgotten since
    arrays = {"values": values, "reasons": reasons} if given else {"values": values}
    put_aside(folder, arrays)


def put_aside(folder: Path, arrays: dict[str, NDArray[Any]]) -> None:
    """Write arrays beside their place and rename, so that a reader sees all of them or none."""
    with whole_folder(folder) as aside:
        for name, values in arrays.items():
            np.save(aside / f"{name}.npy", values)


class whole_folder:  # noqa: N801 - reads as a statement: ``with whole_folder(place) as aside``
    """A folder to fill; on success it takes the place of ``folder``, on failure it vanishes."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __enter__(self) -> Path:
        self.folder.parent.mkdir(parents=True, exist_ok=True)
        _make_room(self.folder.parent)
        self.aside = Path(tempfile.mkdtemp(prefix=".aside-", dir=self.folder.parent))
        return self.aside

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        if kind is None:
            try:
                self.aside.rename(self.folder)
                return
            except OSError:
                pass  # another process was quicker; its copy is the same
        shutil.rmtree(self.aside, ignore_errors=True)


def _make_room(parent: Path) -> None:
    """Drop the files unused for longest while the whole is over its limit; they can be rebuilt."""
    now = time.monotonic()
    if now - _looked.get(parent, -_LOOK_SECONDS) < _LOOK_SECONDS:
        return
    _looked[parent] = now
    folders = []
    for folder in parent.iterdir():
        with suppress(FileNotFoundError):  # another process renamed or dropped it meanwhile
            if folder.is_dir():
                size = sum(f.stat().st_size for f in folder.iterdir())
                folders.append((folder.stat().st_mtime, size, folder))
    total = sum(size for _, size, _ in folders)
    for used, size, folder in sorted(folders, key=lambda f: f[:2]):
        if total <= settings.COLUMN_FILES_LIMIT or used > time.time() - _KEEP_SECONDS:
            break
        shutil.rmtree(folder, ignore_errors=True)
        total -= size
