"""Read delimited text in batches: what divides the cells, how it is encoded, row by row.

A file is never held whole. Every cell stays text here; ``core.ledger.parse_numbers`` reads it.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pacsv

from sortija.core.formats.encodings import ENCODINGS, encoding_of
from sortija.core.formats.packed import magic_of, open_bytes
from sortija.core.formats.rows import (
    KEPT_RAGGED,
    UnreadableFile,
    checked_names,
    first_of,
    kept_text,
)

__all__ = ["DelimitedFile", "Dialect", "UnreadableFile", "sniff"]

HEAD_BYTES = 1 << 18
BATCH_BYTES = 4 << 20
DELIMITERS = (",", ";", "\t", "|", "~", "^", "\x1f")
#: Titles above a table end within so many lines.
LOOKED_AT = 200
_BLOCKS = 1 << 20
#: The longer marks first: one of UTF-32 begins like one of UTF-16.
_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"), (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"),
)  # fmt: skip
_AMOUNT_OR_DATE = re.compile(r"\s*[-+(]?[£$€]?\s*\d[\d.,:/ T-]*\)?\s*")


@dataclass(frozen=True)
class Dialect:
    """How a file is written.

    ``skipped``: lines of titles above the head; ``headless``: the first row is data already, and
    columns are called by their place.
    """

    delimiter: str
    encoding: str
    names: tuple[str, ...]
    skipped: int = 0
    headless: bool = False


def _decode(head: bytes, whole: bool) -> tuple[str, str]:
    for mark, name in _MARKS:
        if head.startswith(mark):
            return head.decode(name, errors="ignore"), "utf-8" if "8" in name else name
    for start, name in ((0, "utf-32-le"), (3, "utf-32-be")):
        if len(head) >= 8 and not any(sum(head[n::4]) for n in range(4) if n != start):
            return head.decode(name, errors="ignore"), name
    if head[1::2].count(0) > 0.4 * len(head[1::2]):
        return head.decode("utf-16-le", errors="ignore"), "utf-16-le"
    if head[::2].count(0) > 0.4 * len(head[::2]):
        return head.decode("utf-16-be", errors="ignore"), "utf-16-be"
    if b"\0" in head:
        raise UnreadableFile(
            "This file is not text. Export it as CSV (comma, semicolon or tab) and import that."
        )
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head, final=whole)
        return head.decode("utf-8", errors="ignore"), "utf-8"
    except UnicodeDecodeError:
        page = encoding_of(head)
        return head.decode(page, errors="replace"), page


# Quotes that are never closed make one cell of many lines; that is told later, in other words.
csv.field_size_limit(2 * HEAD_BYTES)


def _rows(lines: list[str], delimiter: str) -> list[list[str]]:
    return list(csv.reader(lines, delimiter=delimiter))


def _table_in(lines: list[str], delimiter: str) -> tuple[float, int, int]:
    """(share of lines as wide as most, that width, place of the first such line)."""
    widths = [len(row) for row in _rows(lines, delimiter)]
    wide = Counter(width for width in widths if width > 1)
    if not wide:
        return 0.0, 1, 0
    width, count = wide.most_common(1)[0]
    return count / len(widths), width, widths.index(width)


def sniff(path: Path, name: str = "", encoding: str = "") -> Dialect:
    """Find delimiter, encoding (unless it is given) and column names from the first 256 KiB.

    Raises
    ------
    UnreadableFile
        Empty, binary, a single column, or a head with empty or repeated names.
    """
    with open_bytes(path, name) as file:
        head = file.read(HEAD_BYTES)
        whole = not file.read(1)
    if encoding:
        text = head.decode(encoding, errors="replace").removeprefix("\ufeff")
    else:
        text, encoding = _decode(head, whole)
    lines = text.splitlines()
    if not whole and len(lines) < 2:
        raise UnreadableFile(
            "The first row does not end within 256 KiB, so this is no table with a row per line. "
            "Export it with line ends."
        )
    lines = lines if whole else lines[:-1]
    if not any(line.strip() for line in lines):
        raise UnreadableFile("This file is empty. Export it again and import the new one.")
    full = [(place, line) for place, line in enumerate(lines) if line.strip()][:LOOKED_AT]
    texts = [line for _, line in full]
    delimiter = max(DELIMITERS, key=lambda d: _table_in(texts, d)[:2])
    share, _, first = _table_in(texts, delimiter)
    if share == 0.0:
        raise UnreadableFile(
            "No comma, semicolon, tab or bar divides the first row into columns. "
            "Export the file with one of them between the columns."
        )
    # Rows whose quotes hold line ends make places uncertain: then the head is the first line.
    first = first if len(_rows(texts[: first + 1], delimiter)) == first + 1 else 0
    cells = _rows([texts[first]], delimiter)[0]
    skipped = full[first][0]
    if sum(bool(_AMOUNT_OR_DATE.fullmatch(cell)) for cell in cells) >= 2:
        names = tuple(f"column {n}" for n in range(1, len(cells) + 1))
        return Dialect(delimiter, encoding, names, skipped, headless=True)
    return Dialect(delimiter, encoding, checked_names(cells), skipped)


def _ends_a_line(path: Path) -> bool:
    """Whether the last row is ended, as a file that was written whole usually has it."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - 4))
        return b"\n" in (end := file.read()) or b"\r" in end


@dataclass
class DelimitedFile:
    """Batches of text cells of one file, packed or not.

    ``ragged`` holds the text of rows whose number of cells differs from the head's (up to 1,000
    of them; ``ragged_count`` counts all); they are set aside, never guessed at.
    """

    path: Path
    dialect: Dialect
    name: str = ""
    ragged: list[str] = field(default_factory=list)
    ragged_count: int = 0
    notes: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        if self.dialect.headless:
            self.notes.append(
                "The first row holds values, not names, so the columns are called by their place."
            )
        if self.dialect.encoding in ENCODINGS and self.dialect.encoding != "utf-8":
            self.notes.append(f"Read as {ENCODINGS[self.dialect.encoding]}.")
        if self.dialect.skipped:
            self.notes.append(f"{self.dialect.skipped} lines above the table were passed over.")
        if magic_of(self.path) == "plain" and not _ends_a_line(self.path):
            self.notes.append(
                "The last row has no line end: look whether the file is whole or was cut there."
            )

    @property
    def names(self) -> tuple[str, ...]:
        return self.dialect.names

    def _set_aside(self, row: pacsv.InvalidRow) -> str:
        self.ragged_count += 1
        if len(self.ragged) < KEPT_RAGGED:
            self.ragged.append(str(row.text))
        return "skip"

    def batches(self, columns: Sequence[str] | None = None) -> Iterator[pa.RecordBatch]:
        """Every row in file order, as string columns: ``columns``, or all of the dialect's names.

        Raises
        ------
        UnreadableFile
            Where the file stops being a table: says after which row, why, and what to do.
        """
        self.ragged, self.ragged_count = [], 0
        names, rows = list(self.dialect.names), 0
        wanted = list(columns) if columns is not None else names
        source = self.path if magic_of(self.path) == "plain" else open_bytes(self.path, self.name)
        try:
            reader = pacsv.open_csv(
                source,
                read_options=pacsv.ReadOptions(
                    block_size=BATCH_BYTES,
                    column_names=names,
                    skip_rows=self.dialect.skipped + (not self.dialect.headless),
                    encoding=self.dialect.encoding,
                ),
                parse_options=pacsv.ParseOptions(
                    delimiter=self.dialect.delimiter,
                    newlines_in_values=True,
                    invalid_row_handler=self._set_aside,
                ),
                convert_options=pacsv.ConvertOptions(
                    column_types={name: pa.string() for name in wanted},
                    include_columns=wanted,
                    strings_can_be_null=False,
                    check_utf8=True,
                ),
            )
            for batch in reader:
                yield kept_text(batch, self.notes)
                rows += batch.num_rows
        except (pa.ArrowException, UnicodeError) as problem:
            if "Empty CSV file" in str(problem):
                return  # a head and nothing below it
            raise UnreadableFile(self._words(str(problem), rows)) from problem
        finally:
            if isinstance(source, io.IOBase):
                source.close()

    def _words(self, problem: str, rows: int) -> str:
        after = f"After row {rows:,}" if rows else "From its first rows on"
        low = problem.lower()
        # A row of too many cells is set aside, unless its text cannot even be told.
        if "utf8" in low or "utf-8" in low or "decode" in low or "got" in low:
            return (
                f"{after} the file is not {self.dialect.encoding.upper()} any more: two files in "
                "different encodings were joined. Export it again in one encoding, UTF-8 at best."
            )
        if "straddling" in low or "block" in low:
            return (
                f"{after} comes a row of more than {BATCH_BYTES >> 20} MiB: a quote that is never "
                "closed, or no line ends. Look at that row and export the file again."
            )
        said = "".join(c for c in problem[:160] if c.isprintable())
        return f"{after} the file stops being readable ({said}). Export it again."

    def first_rows(self, count: int = 200) -> pa.RecordBatch:
        """The first ``count`` rows."""
        return first_of(self, count)
