"""JSON Lines: one record per line, as batches of text cells."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

import pyarrow as pa

from sortija.core.formats.packed import open_bytes
from sortija.core.formats.rows import ReadRows, UnreadableFile, cell_text, checked_names, kept_text

__all__ = ["JsonRows"]

BATCH_ROWS = 20_000
#: Names are gathered from so many records; a field first seen later is left out, and noted.
LOOKED_AT = 1000
LONGEST_LINE = 16 << 20


def _record(line: bytes) -> dict[str, Any] | None:
    """The record on a line; None where there is none that can be written down again."""
    try:
        record = json.loads(line, parse_float=str, parse_constant=lambda _: None)
        if isinstance(record, dict) and b"\\u" in line:
            json.dumps(record, ensure_ascii=False).encode()  # half a surrogate pair is no text
    except (ValueError, RecursionError):
        return None
    return record if isinstance(record, dict) else None


@dataclass
class JsonRows(ReadRows):
    """One JSON record per line; lists and records within a record are left out."""

    _keys: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        names: dict[str, None] = {}
        nested: dict[str, None] = {}
        for record in islice(self._records(), LOOKED_AT):
            for key, value in record.items():
                (nested if isinstance(value, list | dict) else names)[key] = None
        names = {key: None for key in names if key not in nested}
        if not names:
            raise UnreadableFile("No line holds a JSON record with values. Write one per line.")
        if nested:
            self.notes.append(f"{', '.join(nested)}: lists or records, which were left out.")
        self._keys = list(names)
        self.names = checked_names(self._keys)
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
                        "record per line."
                    )
                if not line.strip():
                    continue
                record = _record(line)
                if record is not None:
                    yield record
                else:
                    self.set_aside(line[:200].decode("utf-8", "replace").strip())

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every record in file order, as string columns: ``columns``, or all."""
        self.begin()
        chosen = [
            (name, key) for name, key in zip(self.names, self._keys, strict=True)
            if columns is None or name in columns
        ]  # fmt: skip
        records = self._records()
        while part := list(islice(records, BATCH_ROWS)):
            cells = [
                pa.array([cell_text(record.get(key)) for record in part], pa.string())
                for _, key in chosen
            ]
            names = [name for name, _ in chosen]
            yield kept_text(pa.RecordBatch.from_arrays(cells, names=names), self.notes)
