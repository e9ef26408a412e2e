"""Parquet tables as batches of text cells."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import pyarrow as pa
import pyarrow.parquet as pq

from sortija.core.formats.rows import (
    ReadRows,
    UnreadableFile,
    as_text,
    broken_tells,
    checked_names,
    kept_text,
)

__all__ = ["ParquetRows"]

BATCH_ROWS = 65_536


@dataclass
class ParquetRows(ReadRows):
    """A Parquet file; columns of lists or records are left out, and a note says so."""

    def __post_init__(self) -> None:
        schema = self._open().schema_arrow
        flat = [f.name for f in schema if not pa.types.is_nested(f.type)]
        nested = [f.name for f in schema if pa.types.is_nested(f.type)]
        if not flat:
            raise UnreadableFile(
                "Every column holds lists or records. Write the table with one value per cell."
            )
        if nested:
            self.notes.append(
                f"{', '.join(nested)}: lists or records in a cell, which were left out."
            )
        self.names = checked_names(flat)

    def _open(self) -> pq.ParquetFile:
        with broken_tells(
            "This Parquet file is broken: it was cut, or not written whole. Write it again."
        ):
            return pq.ParquetFile(self.path, page_checksum_verification=True)

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all."""
        with self._open() as file:
            flat = [f.name for f in file.schema_arrow if not pa.types.is_nested(f.type)]
            chosen = [
                (name, written) for name, written in zip(self.names, flat, strict=True)
                if columns is None or name in columns
            ]  # fmt: skip
            rows = 0
            whole = file.metadata.num_rows
            with broken_tells(
                lambda: f"This Parquet file is damaged after {rows:,} rows. Write it again."
            ):
                for batch in file.iter_batches(BATCH_ROWS, columns=[w for _, w in chosen]):
                    batch.validate(full=True)  # text that is no UTF-8, among others
                    cells = [as_text(batch.column(written)) for _, written in chosen]
                    read = pa.RecordBatch.from_arrays(cells, names=[name for name, _ in chosen])
                    yield kept_text(read, self.notes)
                    rows += batch.num_rows
            if rows != whole:
                raise UnreadableFile(
                    f"This Parquet file tells of {whole:,} rows and holds {rows:,}. Write it again."
                )
