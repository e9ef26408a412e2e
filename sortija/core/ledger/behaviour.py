"""How a column behaves in the first rows of a file, whatever it is called."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.calendar import date_of
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, GOOD, read_decimals
from sortija.core.ledger.parse_times import read_times

__all__ = [
    "Behaviour",
    "behaviour_of",
    "behaviours_of",
    "read_both_ways",
    "stand_together",
]


@dataclass(frozen=True)
class Behaviour:
    """What the first rows of one column look like.

    ``numbers``, ``dates``: shares of the filled cells that read as such; ``with_time``: its dates
    have a time of the day; ``times``: its cells are times of the day without a date.
    """

    filled: int
    numbers: float
    dates: float
    with_time: bool
    times: bool
    months_first: bool | None
    distinct: int
    leading_zeros: bool
    decimals: bool
    values: tuple[str, ...]


#: Divided figures, a month's name between figures or before them, or eight figures in a row.
_DATE = (
    r"\d[-/.: ]\d+[-/.: ]\d|^(19|20)\d{6}$"
    r"|\d[\W_]*(?:[a-z]{2} +)?[a-zA-ZÀ-ÿ]{3,10}[\W_]*(?:de +)?\d{2}"
    r"|[a-zA-ZÀ-ÿ]{3,9}[\W_]+\d{1,2}[\W_]+\d{4}"
)
#: A time of the day as hardly anything else is written, and one that an amount or code may be.
_PLAIN_TIME = r"(?i)^\D{0,3}([01]?\d|2[0-3])([:h]|\.\d\d\.)[0-5]\d|^\d{1,2}(:\d\d)? ?[ap]\.?m\.?$"
_EARLIEST = r"^(30|31)[./-]12[./-]1899 |^1899-12-3[01][ T]"
_LEAST_TIMES = 20


def _times_of_day(there: pa.Array) -> bool:
    """Whether cells are times of the day: by a colon, or by never being what no clock shows.

    Bare figures (``0930``) and a point (``9.30``) may be codes and amounts; of those there is
    hardly a column in which no cell is beyond 23 or 59, and many hours and minutes come.
    """
    count = len(there)
    if not count:
        return False
    marked = pc.sum(pc.match_substring_regex(there, f"{_PLAIN_TIME}|{_EARLIEST}")).as_py()
    seconds, state = read_times(there)
    good = state == GOOD
    if (marked or 0) >= 0.9 * count:
        return bool(good.mean() >= 0.9)
    bare = pc.all(pc.match_substring_regex(there, r"^(\d{1,2}\.\d\d|\d{3,4}|\d{5,6})$")).as_py()
    hours, minutes = seconds // 3600, seconds // 60 % 60
    spread = len(np.unique(hours)) >= 5 and len(np.unique(minutes)) >= 20 and minutes.max() >= 45
    return bool(count >= _LEAST_TIMES and bare and good.all() and spread)


def behaviour_of(column: pa.Array) -> Behaviour:
    trimmed = pc.utf8_trim_whitespace(column)
    there = trimmed.filter(pc.greater(pc.utf8_length(trimmed), 0))
    count = max(len(there), 1)
    _, number_state = read_decimals(there, 4)
    _, seconds, day_state = read_moments(there)
    _, _, month_state = read_moments(there, month_first=True)
    day_bad, month_bad = int((day_state == BAD).sum()), int((month_state == BAD).sum())
    dated = min(day_bad, month_bad) < len(there)
    divided = pc.sum(pc.match_substring_regex(there, _DATE)).as_py()
    distinct = pc.unique(there)
    numbers = float((number_state == GOOD).sum()) / count
    dates = min(1 - min(day_bad, month_bad) / count, (divided or 0) / count)
    return Behaviour(
        filled=len(there),
        numbers=numbers,
        dates=dates,
        with_time=bool(dates > 0.5 and (seconds > 0).mean() > 0.5),
        times=dates < 0.5 and _times_of_day(there),
        months_first=None if dated and read_both_ways(there) else month_bad < day_bad,
        distinct=len(distinct),
        leading_zeros=bool(pc.any(pc.match_substring_regex(there, r"^0\d+$")).as_py()),
        decimals=numbers > 0.5
        and bool(pc.any(pc.match_substring_regex(there, r"\d[.,]\d{1,2}\D*$")).as_py()),
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
