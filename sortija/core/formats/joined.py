"""Receipts in two files: each line joined to its receipt's head, batch by batch."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.formats.rows import RowsFile, first_of
from sortija.core.ledger.behaviour import stand_together
from sortija.core.ledger.codebook import Codebook

__all__ = ["JoinedRows", "find_join"]

#: Share of the first lines' receipts that a file of heads has to hold.
_ENOUGH = 0.8


@dataclass
class JoinedRows:
    """A file of lines whose rows carry the columns of their receipts' heads as well.

    ``by``: column of the lines, column of the heads. The heads are held in memory, the lines
    are not. A column that both have keeps its name for the lines and is ``head …`` for the heads.
    """

    lines: RowsFile
    heads: RowsFile
    by: tuple[str, str]
    _book: Codebook = field(default_factory=Codebook, init=False)
    _table: pa.Table | None = field(default=None, init=False)
    _twice: int = field(default=0, init=False)
    _alone: int = field(default=0, init=False)

    @property
    def names(self) -> tuple[str, ...]:
        return (*self.lines.names, *self._renamed().values())

    @property
    def ragged(self) -> list[str]:
        return [*self.lines.ragged, *self.heads.ragged]

    @property
    def ragged_count(self) -> int:
        return self.lines.ragged_count + self.heads.ragged_count

    @property
    def notes(self) -> list[str]:
        out = [*self.lines.notes, *self.heads.notes]
        if self._twice:
            out.append(f"{self._twice:,} receipts have two heads; the first holds.")
        if self._alone:
            out.append(f"{self._alone:,} lines have no head, so neither date nor customer.")
        return out

    def _renamed(self) -> dict[str, str]:
        """Column of the heads → what it is called beside the lines' own."""
        own = set(self.lines.names)
        return {
            name: f"head {name}" if name in own else name
            for name in self.heads.names
            if name != self.by[1]
        }

    def _load(self) -> pa.Table:
        """Heads in order of their receipt's number, and a last one of empty cells."""
        if self._table is not None:
            return self._table
        whole = pa.Table.from_batches(list(self.heads.batches()))
        keys = whole.column(self.by[1]).combine_chunks()
        number = self._book.encode(keys)
        _, first = np.unique(number, return_index=True)
        kept = first[number[first] >= 0]
        self._twice = int((number >= 0).sum()) - len(kept)
        renamed = self._renamed()
        rows = whole.select(list(renamed)).rename_columns(list(renamed.values())).take(kept)
        blank = pa.table({name: [""] for name in rows.column_names})
        self._table = pa.concat_tables([rows, blank]).combine_chunks()
        return self._table

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every line in file order, as string columns: ``columns``, or all ``names``."""
        table = self._load()
        known = table.num_rows - 1
        wanted = list(self.names if columns is None else columns)
        own = [name for name in wanted if name in self.lines.names]
        self._alone = 0
        for batch in self.lines.batches(list(dict.fromkeys([*own, self.by[0]]))):
            number = self._book.encode(batch.column(self.by[0]))
            alone = (number < 0) | (number >= known)
            self._alone += int(alone.sum())
            place = pa.array(np.where(alone, known, number))
            arrays = [
                batch.column(name) if name in own else pc.take(_whole(table, name), place)
                for name in wanted
            ]
            yield pa.RecordBatch.from_arrays(arrays, names=wanted)

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` lines with their heads."""
        return first_of(self, count)


def _whole(table: pa.Table, name: str) -> pa.Array:
    column = table.column(name)
    return column.chunk(0) if column.num_chunks == 1 else column.combine_chunks()


def find_join(lines: RowsFile, heads: RowsFile, rows: int = 2000) -> tuple[str, str] | None:
    """By which columns lines find their heads; None where the files do not belong together.

    A receipt's number repeats on lines, stands once among heads, and most of the lines' numbers
    are there. Of several such pairs one of equal names wins, then one whose lines stand together
    by number, then the one of most numbers.
    """
    first_lines, first_heads = lines.first_rows(rows), heads.first_rows(rows)
    if not first_lines.num_rows or not first_heads.num_rows:
        return None
    offers = []
    for theirs in first_heads.schema.names:
        cells = pc.utf8_trim_whitespace(first_heads.column(theirs))
        if pc.count_distinct(cells).as_py() < first_heads.num_rows or "" in cells.to_pylist():
            continue
        parts = [pc.utf8_trim_whitespace(b.column(theirs)) for b in heads.batches([theirs])]
        known = pa.chunked_array(parts)
        for ours in first_lines.schema.names:
            mine = pc.unique(pc.utf8_trim_whitespace(first_lines.column(ours)))
            found = pc.sum(pc.is_in(mine, known)).as_py() or 0
            repeats = len(mine) < first_lines.num_rows or first_lines.num_rows < 20
            if repeats and found >= _ENOUGH * len(mine):
                together = stand_together(first_lines.column(ours)) > 0
                alike = ours.lower() == theirs.lower()
                offers.append((alike, together, len(mine), ours, theirs))
    if not offers:
        return None
    *_, ours, theirs = max(offers)
    return ours, theirs
