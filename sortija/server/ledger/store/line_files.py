"""Lines as immutable column files: each intake's in file order, the ledger's by customer.

Files are written from front to back and read in pieces, never mapped while they are made, so
that the memory of an intake does not grow with the log.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray
from psycopg import sql

from sortija.core.engine import CHUNK
from sortija.server.bulk.copy import copy_out
from sortija.server.hooks import Hook
from sortija.server.ledger.models import Intake, ReceiptChunk
from sortija.server.ledger.store.money import widened
from sortija.server.studies.columns import verifies, whole_folder
from sortija.server.studies.problems import ChangedMeanwhile

__all__ = [
    "LINE_TYPES",
    "READ_AGAIN",
    "RUN_TYPES",
    "LineWriter",
    "lines_folder",
    "pieces_of",
    "runs_of",
    "write_runs",
]

#: Column of ``ledger_line`` → (COPY type, type in files).
_COLUMNS = {
    "card": ("i4", "<i4"), "day": ("date", "<i4"), "receipt": ("i8", "<u8"),
    "quantity": ("i8", "<i8"), "money": ("i8", "<i8"), "kind": ("i2", "i1"),
    "department": ("i2", "<i2"), "site": ("i2", "<i2"), "channel": ("i2", "<i2"),
    "bits": ("i4", "<i4"), "number": ("i4", "<i4"), "run": ("i4", "<i4"),
    "item": ("i4", "<i4"), "second": ("i4", "<i4"), "cost": ("i8", "<i8"),
}  # fmt: skip
LINE_TYPES = {name: kind for name, (_, kind) in _COLUMNS.items()}
RUN_TYPES = {"run-key": "<u8", "run-content": "<u8", "run-lines": "<i4"}
PIECE = 1 << 19
#: Makes the files of an attached log's lines anew, in a folder.
READ_AGAIN: Hook[Callable[[Intake, Path], None]] = Hook("how attached files are read again")


class LineWriter:
    """Appends equally long arrays to one ``.npy`` file per column; ``count``: rows, if known."""

    def __init__(self, folder: Path, types: dict[str, str]) -> None:
        self.types, self.rows = types, 0
        self.files: dict[str, IO[bytes]] = {
            name: (folder / f"{name}.npy").open("w+b") for name in types
        }
        for name in types:
            self._head(name)

    def _head(self, name: str) -> None:
        head = {
            "descr": np.dtype(self.types[name]).str, "fortran_order": False, "shape": (self.rows,)
        }  # fmt: skip
        self.files[name].seek(0)
        np.lib.format.write_array_header_1_0(self.files[name], head)

    def add(self, columns: dict[str, Any]) -> None:
        """Append a batch; integers of the same width are taken as they are."""
        for name, kind in self.types.items():
            values = np.ascontiguousarray(columns[name])
            wanted = np.dtype(kind)
            same = values.dtype.itemsize == wanted.itemsize
            values = values.view(wanted) if same else values.astype(wanted)
            self.files[name].write(values.data)
        self.rows += len(columns[next(iter(self.types))])

    def close(self) -> None:
        """Write how many rows there are into the heads, which are padded for it."""
        for name, file in self.files.items():
            self._head(name)
            file.close()


def lines_folder(intake: Intake) -> Path:
    """Where an intake's lines lie; another reading of it is another folder."""
    folder: Path = settings.COLUMN_FILES / f"lines-{intake.token}"
    return folder


def _rebuild(intake: Intake) -> None:
    """Make the files of an intake's lines and runs anew, all of them or nothing: out of PostgreSQL,
    or of the attached file."""
    if intake.original.attachment_id is not None:
        with whole_folder(lines_folder(intake)) as aside:
            READ_AGAIN.function(intake, aside)
        return
    query = sql.SQL("SELECT {} FROM ledger_line WHERE intake_id = {} ORDER BY number").format(
        sql.SQL(", ").join([sql.Identifier(name) for name in _COLUMNS]), sql.Literal(intake.pk)
    )
    with whole_folder(lines_folder(intake)) as aside:
        writer = LineWriter(aside, LINE_TYPES)
        for part in copy_out(query, [kind for kind, _ in _COLUMNS.values()]):
            writer.add(dict(zip(_COLUMNS, part, strict=True)))
        writer.close()
        runs = LineWriter(aside, RUN_TYPES)
        for chunk in intake.receipt_chunks.order_by("number").iterator():
            runs.add({
                name: np.frombuffer(getattr(chunk, name.removeprefix("run-")), kind)
                for name, kind in RUN_TYPES.items()
            })  # fmt: skip
        runs.close()
        if (writer.rows, runs.rows) != (intake.came.lines, intake.came.receipts):
            raise ChangedMeanwhile


def write_runs(intake: Intake, folder: Path) -> int:
    """Keep the runs that lie in ``folder`` in PostgreSQL too; returns how many lines they have."""
    lines = 0
    for number, piece in enumerate(read_pieces(folder, RUN_TYPES, CHUNK)):
        lines += int(piece["run-lines"].sum())
        ReceiptChunk.objects.create(
            intake=intake, number=number,
            **{name.removeprefix("run-"): values.tobytes() for name, values in piece.items()},
        )  # fmt: skip
    return lines


def _folder_of(intake: Intake) -> Path:
    folder = lines_folder(intake)
    if not _whole(folder, intake.came.lines, intake.came.receipts):
        shutil.rmtree(folder, ignore_errors=True)
        _rebuild(intake)
    return folder


def _whole(folder: Path, lines: int, runs: int) -> bool:
    """Whether every file is there, of its type and as long as it should be."""
    wanted = {**dict.fromkeys(LINE_TYPES, lines), **dict.fromkeys(RUN_TYPES, runs)}
    types = {**LINE_TYPES, **RUN_TYPES}
    return all(verifies(folder / f"{n}.npy", types[n], rows) for n, rows in wanted.items())


def runs_of(intake: Intake) -> Iterator[tuple[NDArray[np.uint64], NDArray[np.uint64]]]:
    """Receipt key and digest of an intake's runs, in file order and in pieces."""
    names = ("run-key", "run-content")
    for piece in read_pieces(_folder_of(intake), {name: RUN_TYPES[name] for name in names}):
        yield piece["run-key"], piece["run-content"]


def pieces_of(
    intake: Intake, columns: tuple[str, ...], scale: int
) -> Iterator[dict[str, NDArray[Any]]]:
    """An intake's lines in file order, some columns of half a million at a time.

    ``scale``: decimals of the study's money, in which amounts are told.
    """
    types = {name: LINE_TYPES[name] for name in columns}
    for piece in read_pieces(_folder_of(intake), types):
        yield widened(piece, scale - intake.scale)


def read_pieces(
    folder: Path, types: dict[str, str], size: int = 0
) -> Iterator[dict[str, NDArray[Any]]]:
    """Equally long column files of a folder, ``size`` (else ``PIECE``) rows at a time."""
    files = {name: (folder / f"{name}.npy").open("rb") for name in types}
    try:
        left = 0
        for file in files.values():
            np.lib.format.read_magic(file)
            left = np.lib.format.read_array_header_1_0(file)[0][0]
        while left > 0:
            rows = min(size or PIECE, left)
            yield {name: np.fromfile(f, types[name], rows) for name, f in files.items()}
            left -= rows
    finally:
        for file in files.values():
            file.close()
