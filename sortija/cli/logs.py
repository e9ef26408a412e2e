"""Logs and customer tables read from files, as the server reads them from uploads."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.cli.files import local_copy
from sortija.cli.terminal import Trouble, Watch
from sortija.core.calendar import day_number
from sortija.core.formats.joined import JoinedRows, find_join
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.currencies import currency_in
from sortija.core.ledger.flags import STAFF_PATTERNS, meant_by
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import FinerMoney, LineBatch, LineReader, Unread, money_scale
from sortija.core.ledger.log import Log
from sortija.core.ledger.mapping import LogMapping, MappingError
from sortija.core.ledger.members import guess_members
from sortija.core.ledger.traits import TraitReader
from sortija.core.ledger.zones import zone_of
from sortija.core.table import Column

__all__ = ["Ledger", "Members", "read_logs", "read_members"]

_LOOKED_AT = 2000
_UNREAD = 1000
#: Types of a customer table's columns that hold no value to group by.
_NO_TRAIT = ("key", "address", "out", "id", "person")
_CODES = ("cards", "sites", "channels", "items", "departments")


@dataclass(frozen=True)
class Ledger:
    """Every line of the logs, and what was read from which file; codes as in the reader."""

    log: Log
    reader: LineReader
    scale: int
    files: tuple[dict[str, Any], ...]


@dataclass(frozen=True)
class Members:
    """Traits under the customers' numbers; ``joined``: dates of joining, where they are known."""

    traits: tuple[Column, ...]
    joined: NDArray[np.float64] | None
    file: dict[str, Any]


def _open(path: Path, heads: Path | None = None) -> tuple[RowsFile, pa.RecordBatch]:
    """A file and its first rows; lines with the heads of their receipts where those are given."""
    if path.is_dir():
        raise Trouble(f"{path}: it is a folder. Name the file in it.")
    try:
        here, _ = local_copy(path)
        file = open_rows(here, path.name)
        if heads is not None:
            _open(heads)
            theirs = open_rows(heads)
            by = find_join(file, theirs)
            if by is None:
                raise Trouble(
                    f"{heads}: no column of it names the receipts of {path.name}, each once."
                )
            file = JoinedRows(file, theirs, by)
        return file, file.first_rows(_LOOKED_AT)
    except FileNotFoundError as problem:
        raise Trouble(f"{path}: there is no such file.") from problem
    except (UnreadableFile, OSError) as problem:
        raise Trouble(f"{path}: {problem}") from problem


def _batches(
    path: Path, file: RowsFile, columns: list[str] | None = None
) -> Iterator[pa.RecordBatch]:
    try:
        yield from file.batches(columns)
    except UnreadableFile as problem:
        raise Trouble(f"{path}: {problem}") from problem


def _mapping(
    path: Path, rows: pa.RecordBatch, chosen: dict[str, str], month_first: bool | None
) -> LogMapping:
    """The guess, with what was said on the command line in place of it."""
    guess, _ = guess_log(rows)
    taken = set(chosen.values())
    roles = {r: c for r, c in guess.roles.items() if c not in taken and r not in chosen}
    mapping = replace(guess, roles={**roles, **chosen})
    names = tuple(rows.schema.names)
    try:
        mapping.check(names)
        mapping = mapping.read_anew(rows, guess)
        if month_first is not None:
            mapping = replace(mapping, month_first=month_first)
        mapping.ready(names)
    except MappingError as problem:
        hint = " Use --day-first or --month-first." if mapping.month_first is None else ""
        raise Trouble(f"{path}: {problem}{hint} Its columns are {', '.join(names)}.") from problem
    return mapping


def read_logs(
    paths: list[Path], chosen: dict[str, str], month_first: bool | None, zone: str, today: date,
    watch: Watch, heads: Path | None = None,
) -> Ledger:  # fmt: skip
    """Read logs one after the other into memory; lines of one receipt find each other."""
    opened = [(path, *_open(path, heads)) for path in paths]
    for path, _, rows in opened:
        if rows.num_rows == 0:
            raise Trouble(f"{path}: it has a head but no lines. Export it again.")
    mappings = [_mapping(path, rows, chosen, month_first) for path, _, rows in opened]
    scale = max(money_scale(rows, m) for (_, _, rows), m in zip(opened, mappings, strict=True))
    while True:
        try:
            return _read(opened, mappings, scale, today, zone, watch)
        except FinerMoney as finer:  # seen behind the first rows: every file is read with it
            scale = finer.decimals


def _read(
    opened: list[tuple[Path, RowsFile, pa.RecordBatch]], mappings: list[LogMapping], scale: int,
    today: date, zone: str, watch: Watch,
) -> Ledger:  # fmt: skip
    """The logs with money of so many decimals."""
    currency = currency_in(opened[0][2], mappings[0])
    batches: list[LineBatch] = []
    files = []
    reader: LineReader | None = None
    for (path, file, _), mapping in zip(opened, mappings, strict=True):
        following = LineReader(mapping, scale, day_number(today), zone_of(zone), currency)
        for name in _CODES if reader else ():
            setattr(following, name, getattr(reader, name))
        reader = following
        unread: list[Unread] = []
        for batch in reader.read(_batches(path, file, list(mapping.roles.values()))):
            watch(f"reading {path.name}, lines", batch.first_line, 0)
            unread += batch.unread[: max(0, _UNREAD - len(unread))]
            batches.append(replace(batch, unread=()))
        files.append(_about(path, file, reader, mapping, unread))
    assert reader is not None
    staff = meant_by(reader.cards.texts, STAFF_PATTERNS)
    watch("ordering lines", sum(map(len, batches)), 0)
    return Ledger(assemble(batches, len(reader.cards), staff=staff), reader, scale, tuple(files))


def _about(
    path: Path, file: RowsFile, reader: LineReader, mapping: LogMapping, unread: list[Unread]
) -> dict[str, Any]:
    return {
        "file": str(path),
        "lines": reader.lines_read,
        "columns": mapping.roles,
        "dates": "month first" if mapping.month_first else "day first",
        "notes": file.notes,
        "ragged": file.ragged_count,
        "ragged_examples": [text[:200] for text in file.ragged[:5]],
        "unread": [
            {"row": cell.line, "column": mapping.roles.get(cell.role, ""), "text": cell.text}
            for cell in unread
        ],
    }


def read_members(path: Path, reader: LineReader, watch: Watch) -> Members:
    """Read a customer table; customers who are in no log get numbers behind the others."""
    file, rows = _open(path)
    mapping, _ = guess_members(rows)
    try:
        mapping.ready(file.names)
    except MappingError as problem:
        raise Trouble(f"{path}: {problem}") from problem
    kept = {
        n: k for n, k in mapping.types.items() if k not in ("key", "address", "out", "id", "person")
    }
    traits = {name: TraitReader(name, kind, mapping) for name, kind in kept.items()}
    numbers: list[NDArray[np.int32]] = []
    done = 0
    for batch in _batches(path, file):
        watch(f"reading {path.name}, customers", done, 0)
        done += batch.num_rows
        number = reader.cards.encode(batch.column(mapping.key))
        named = pa.array(number >= 0)
        numbers.append(number[number >= 0])
        for name, trait in traits.items():
            try:
                trait.add(pc.filter(batch.column(name), named))
            except MappingError as problem:
                raise Trouble(f"{path}: {problem}") from problem
    if done == 0:
        raise Trouble(f"{path}: it has a head but no rows.")
    customer = np.concatenate(numbers)
    columns = tuple(t.column(customer, len(reader.cards)) for t in traits.values())
    joined = next((n for n, k in kept.items() if k == "joined"), None)
    dates = next((c.values for c in columns if c.name == f"trait:{joined}"), None)
    about = {
        "file": str(path), "rows": done, "key": mapping.key, "types": mapping.types,
        "notes": file.notes, "ragged": file.ragged_count,
        "unread": {t.name: t.unread for t in traits.values() if t.unread},
    }  # fmt: skip
    return Members(columns, dates, about)
