"""A table written again without some people, as delimited text that reads back the same."""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.progress import Progress, silent

__all__ = ["Forgotten", "without_people"]


@dataclass(frozen=True)
class Forgotten:
    """What was left out: rows that were dropped or blanked, and rows that fitted no head."""

    rows: int
    ragged: int


def without_people(
    file: RowsFile, target: Path, columns: list[str], alias: Callable[[str], str], *,
    drop: bool, keep: frozenset[str] = frozenset(), progress: Progress = silent,
) -> Forgotten:  # fmt: skip
    """Write a table without the people whom ``alias`` knows.

    Parameters
    ----------
    file : RowsFile
    target : Path
        Written as CSV in UTF-8; cells stay the text that they are.
    columns : list of str
        Where a person's code can stand.
    alias : callable
        A code as it is written → what is written instead; empty for everybody else.
    drop : bool
        Leave out the whole row of such a person. Else their codes are written by their alias,
        and every cell of the row that is in none of the columns ``keep`` is emptied.
    keep : frozenset of str
        See ``drop``.

    Returns
    -------
    Forgotten
        Rows that fit no head are left out too: nobody knows whom they name.

    Raises
    ------
    UnreadableFile
        The file cannot be read, or would not read back as it was.
    """
    known: dict[str, str] = {}
    found = 0
    with target.open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(file.names)
        done = 0
        for batch in file.batches():
            progress("leaving people out", done, 0)
            done += batch.num_rows
            who = _aliases(batch, columns, alias, known)
            found += sum(any(names) for names in who) if who else 0
            writer.writerows(_rows(batch, columns, who, drop, keep))
    if open_rows(target).names != file.names:
        raise UnreadableFile("The file does not read back as it was, so it was not written anew.")
    return Forgotten(found, file.ragged_count)


def _aliases(
    batch: pa.RecordBatch, columns: list[str], alias: Callable[[str], str], known: dict[str, str]
) -> list[tuple[str, ...]]:
    """For each row what stands instead of its code, column by column; empty where nobody is."""
    told = []
    for name in columns:
        cells = batch.column(name)
        for text in pc.unique(cells).to_pylist():
            if text not in known:
                known[text] = alias(text)
        told.append([known[text] for text in cells.to_pylist()])
    if not any(any(names) for names in told):
        return []
    return list(zip(*told, strict=True))


def _rows(
    batch: pa.RecordBatch, columns: list[str], who: list[tuple[str, ...]], drop: bool,
    keep: frozenset[str],
) -> list[list[str]]:  # fmt: skip
    rows = [list(row) for row in zip(*(c.to_pylist() for c in batch.columns), strict=True)]
    if not who:
        return rows
    names = batch.schema.names
    place = {name: n for n, name in enumerate(names)}
    out = []
    for row, aliases in zip(rows, who, strict=True):
        if any(aliases):
            if drop:
                continue
            row = [cell if name in keep else "" for name, cell in zip(names, row, strict=True)]
            for column, name in zip(columns, aliases, strict=True):
                row[place[column]] = name
        out.append(row)
    return out
