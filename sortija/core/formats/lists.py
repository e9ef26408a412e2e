"""Lists that leave the house: CSV whose text cells cannot act as formulas."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence

__all__ = ["csv_lines", "safe_cell"]

_DANGEROUS = ("=", "+", "-", "@")


def safe_cell(value: object) -> object:
    """A text cell that begins like a formula, or with a control character, gets an apostrophe.

    Numbers are numbers and stay as they are.

    >>> safe_cell("=1+1"), safe_cell("Anna")
    ("'=1+1", 'Anna')
    """
    if isinstance(value, str) and value and (value[0] in _DANGEROUS or ord(value[0]) < 32):
        return "'" + value
    return value


def csv_lines(head: Sequence[str], rows: Iterable[Sequence[object]]) -> Iterator[str]:
    """The file's lines, head first, in RFC 4180's form.

    >>> list(csv_lines(["card"], [["A"], ["=1+1"]]))
    ['card\\r\\n', 'A\\r\\n', "'=1+1\\r\\n"]
    """
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow([safe_cell(cell) for cell in head])
    yield buffer.getvalue()
    for row in rows:
        buffer.seek(0)
        buffer.truncate()
        writer.writerow([safe_cell(cell) for cell in row])
        yield buffer.getvalue()
