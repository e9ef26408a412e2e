"""How a column behaves in the first rows of a file, whatever it is called."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.calendar import date_of
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, GOOD, read_decimals

__all__ = [
    "Behaviour",
    "behaviour_of",
    "behaviours_of",
    "changes_within",
    "come_back",
    "read_both_ways",
    "stand_together",
]


@dataclass(frozen=True)
class Behaviour:
    """What the first rows of one column look like."""

    filled: int
    numbers: float
    dates: float
    months_first: bool | None
    distinct: int
    leading_zeros: bool
    decimals: bool
    values: tuple[str, ...]


def behaviour_of(column: pa.Array) -> Behaviour:
    trimmed = pc.utf8_trim_whitespace(column)
    there = trimmed.filter(pc.greater(pc.utf8_length(trimmed), 0))
    count = max(len(there), 1)
    _, number_state = read_decimals(there, 4)
    _, _, day_state = read_moments(there)
    _, _, month_state = read_moments(there, month_first=True)
    day_bad, month_bad = int((day_state == BAD).sum()), int((month_state == BAD).sum())
    dated = min(day_bad, month_bad) < len(there)
    divided = pc.sum(
        pc.match_substring_regex(there, r"\d[-/.: ]\d+[-/.: ]\d|^(19|20)\d{6}$")
    ).as_py()
    distinct = pc.unique(there)
    return Behaviour(
        filled=len(there),
        numbers=float((number_state == GOOD).sum()) / count,
        dates=min(1 - min(day_bad, month_bad) / count, (divided or 0) / count),
        months_first=None if dated and read_both_ways(there) else month_bad < day_bad,
        distinct=len(distinct),
        leading_zeros=bool(pc.any(pc.match_substring_regex(there, r"^0\d+$")).as_py()),
        decimals=bool(pc.any(pc.match_substring_regex(there, r"\d[.,]\d{1,2}$")).as_py()),
        values=tuple(distinct.slice(0, 50).to_pylist()),
    )


#: Cells of a file that are looked at: a wide file is told by fewer of its rows.
_MOST_CELLS = 400_000
_LEAST_ROWS = 100
#: The file that was looked at last, and what was seen: several guesses ask one after the other.
_last: tuple[pa.RecordBatch, pa.RecordBatch, dict[str, Behaviour]] | None = None


def behaviours_of(rows: pa.RecordBatch) -> tuple[pa.RecordBatch, dict[str, Behaviour]]:
    """The rows that are looked at, and what they look like in every column, by name."""
    global _last
    seen = _last
    if seen is not None and (rows is seen[0] or rows is seen[1]):
        return seen[1], seen[2]
    few = rows
    if rows.num_rows * rows.num_columns > max(_MOST_CELLS, _LEAST_ROWS * rows.num_columns):
        few = rows.slice(0, max(_LEAST_ROWS, _MOST_CELLS // rows.num_columns))
    found = {name: behaviour_of(few.column(i)) for i, name in enumerate(rows.schema.names)}
    _last = (rows, few, found)
    return few, found


def read_both_ways(cells: pa.Array) -> tuple[str, date, date] | None:
    """A date that differs day first and month first, if *every* one can be read both ways.

    Returns
    -------
    (as written, day first, month first), or None where one order alone fits.

    >>> read_both_ways(pa.array(["03/04/2026", "05/06/2026"]))
    ('03/04/2026', datetime.date(2026, 4, 3), datetime.date(2026, 3, 4))
    """
    day_first, _, day_state = read_moments(cells, month_first=False)
    month_first, _, month_state = read_moments(cells, month_first=True)
    if int((day_state == BAD).sum()) != int((month_state == BAD).sum()):
        return None
    differ = np.flatnonzero(
        (day_state == GOOD) & (month_state == GOOD) & (day_first != month_first)
    )
    if not len(differ):
        return None
    place = int(differ[0])
    first, second = (date_of(int(d[place])) for d in (day_first, month_first))
    return str(cells[place].as_py()).strip(), first, second


def come_back(rows: pa.RecordBatch, receipt: str, column: str) -> int:
    """How many values of ``column`` come back on several receipts; 0 unless each names one.

    Customers do; so do shops, of which there are few. An item is on many receipts, but a receipt
    has many items.
    """
    receipts = pc.dictionary_encode(rows.column(receipt)).indices.to_numpy()
    cells = pc.utf8_trim_whitespace(rows.column(column))
    values = pc.dictionary_encode(cells).indices.to_numpy()
    filled = pc.not_equal(cells, "").to_numpy(zero_copy_only=False)
    if not filled.any():
        return 0
    width = int(values.max()) + 1
    pairs = np.unique(receipts[filled].astype(np.int64) * width + values[filled])
    per_receipt = np.bincount(pairs // width)
    per_receipt = per_receipt[per_receipt > 0]
    if (per_receipt == 1).mean() < 0.95:
        return 0
    return int((np.bincount(pairs % width) > 1).sum())


def stand_together(column: pa.Array) -> float:
    """Lines a value, where nearly all rows of each value stand together; 0 where they do not.

    The lines of a receipt do; those of a customer, a shop or an item are spread over the file.

    >>> stand_together(pa.array(["R1", "R1", "R2", "R2", "R2", "R3"]))
    2.0
    """
    values = pc.dictionary_encode(pc.utf8_trim_whitespace(column)).indices.to_numpy()
    if len(values) == 0:
        return 0.0
    runs = 1 + int((values[1:] != values[:-1]).sum())
    distinct = int(values.max()) + 1
    return len(values) / distinct if distinct >= 0.95 * runs else 0.0


def changes_within(column: pa.Array, same: Sequence[pa.Array]) -> bool:
    """Whether a column often changes from line to line of one receipt (5% of such lines).

    ``same``: columns that are alike on all lines of a receipt: its number, and moment and
    customer, for numbers may restart in every shop.
    """
    alike = np.ones(max(len(column) - 1, 0), np.bool_)
    for other in same:
        cells = other.to_numpy(zero_copy_only=False)
        alike &= cells[1:] == cells[:-1]
    cells = column.to_numpy(zero_copy_only=False)
    changed = alike & (cells[1:] != cells[:-1])
    return bool(changed.sum() > max(3, 0.05 * int(alike.sum())))
