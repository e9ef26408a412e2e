"""JSON Lines: one record a line, as batches of text cells."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any

import pyarrow as pa

from sortija.core.formats.packed import open_bytes
from sortija.core.formats.rows import ReadRows, UnreadableFile, cell_text, checked_names

__all__ = ["JsonRows"]

BATCH_ROWS = 20_000
#: Names are gathered from so many records; a field first seen later is left out, and noted.
LOOKED_AT = 1000
LONGEST_LINE = 16 << 20


@dataclass
class JsonRows(ReadRows):
    """One JSON record a line; lists and records within a record are left out."""

    def __post_init__(self) -> None:
        names: dict[str, None] = {}
        nested: dict[str, None] = {}
        for record in islice(self._records(), LOOKED_AT):
            for key, value in record.items():
                (nested if isinstance(value, list | dict) else names)[key] = None
        names = {key: None for key in names if key not in nested}
        if not names:
            raise UnreadableFile("No line holds a JSON record with values. Write one a line.")
        if nested:
            self.notes.append(f"{', '.join(nested)}: lists or records, which were left out.")
        self.names = checked_names(list(names))
        self.begin()

    def _records(self) -> Iterator[dict[str, Any]]:
        """Records in file order; lines that are none are set aside."""
        with open_bytes(self.path, self.name) as file:
            place = 0
            while line := file.readline(LONGEST_LINE):
                place += 1
                if len(line) == LONGEST_LINE:
                    raise UnreadableFile(
                        f"Line {place:,} is longer than {LONGEST_LINE >> 20} MiB. Write one "
                        "record a line."
                    )
                if not line.strip():
                    continue
                try:
                    record = json.loads(line, parse_float=str)
                except ValueError:
                    record = None
                if isinstance(record, dict):
                    yield record
                else:
                    self.set_aside(line[:200].decode("utf-8", "replace").strip())

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every record in file order, as string columns: ``columns``, or all."""
        self.begin()
        names = [name for name in self.names if columns is None or name in columns]
        records = self._records()
        while part := list(islice(records, BATCH_ROWS)):
            cells = [
                pa.array([cell_text(record.get(name)) for record in part], pa.string())
                for name in names
            ]
            yield pa.RecordBatch.from_arrays(cells, names=names)
