"""Read text cells as numbers and keys, a column at a time.

The kernels walk the raw bytes of an Arrow string column, so that a million cells take
milliseconds and no Python string is made.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numba
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

__all__ = [
    "BAD",
    "EMPTY",
    "GOOD",
    "decimal_comma",
    "decimals_in",
    "empty_digest",
    "hash_cells",
    "read_decimals",
    "text_buffers",
    "trim",
]

GOOD, EMPTY, BAD = 0, 1, 2
#: A cell with more digits before its decimals is a number of something, but no amount; so no
#: amount at any scale of money leaves 64 bits.
_MOST_DIGITS = 14
_DOT, _COMMA = 46, 44
NOT_SHORT = -(1 << 62)


def text_buffers(column: pa.Array) -> tuple[NDArray[np.int32], NDArray[np.uint8]]:
    """Offsets (n + 1,) and bytes of a string column, without copying the bytes."""
    if column.type != pa.string():
        column = column.cast(pa.string())
    offsets = np.frombuffer(column.buffers()[1], np.int32)
    offsets = offsets[column.offset : column.offset + len(column) + 1]
    data = column.buffers()[2]
    return offsets, np.frombuffer(data, np.uint8) if data else np.zeros(0, np.uint8)


@numba.njit(nogil=True, cache=True)
def trim(data: Any, start: int, stop: int) -> tuple[int, int]:
    """Where a cell begins and ends without the blanks around it."""
    while start < stop and data[start] <= 32:
        start += 1
    while stop > start and data[stop - 1] <= 32:
        stop -= 1
    return start, stop


@numba.njit(nogil=True, cache=True)
def _capitals(data: Any, start: int) -> bool:
    """Whether three capital letters stand here, as a currency's code does."""
    first, second, third = data[start], data[start + 1], data[start + 2]
    return bool(65 <= first <= 90 and 65 <= second <= 90 and 65 <= third <= 90)


@numba.njit(nogil=True, cache=True)
def _without_code(data: Any, start: int, stop: int) -> tuple[int, int]:
    """A cell without the code of a currency, set off by a blank: ``12.50 EUR``."""
    if stop - start > 4:
        if data[start + 3] == 32 and _capitals(data, start):
            start += 4
        elif data[stop - 4] == 32 and _capitals(data, stop - 3):
            stop -= 4
    return start, stop


@numba.njit(nogil=True, cache=True)
def _dash(data: Any, i: int, stop: int) -> bool:
    """A minus: the plain one, the true one, or a dash of text (both three bytes long)."""
    if data[i] == 45:
        return True
    if data[i] != 0xE2 or i + 2 >= stop:
        return False
    return (data[i + 1] == 0x88 and data[i + 2] == 0x92) or (
        data[i + 1] == 0x80 and 0x90 <= data[i + 2] <= 0x95
    )


@numba.njit(nogil=True, cache=True)
def _decimal_mark(data: Any, start: int, stop: int, comma: bool) -> tuple[int, int]:
    """(place of a cell's decimal mark or −1, digits behind it)."""
    last_mark = -1  # the place of the last dot or comma
    marks = 0
    other = False  # both kinds of mark appear
    kind = 0
    behind = 0
    for i in range(start, stop):
        c = data[i]
        if c in (_DOT, _COMMA):
            if marks > 0 and c != kind:
                other = True
            kind = c
            marks += 1
            last_mark, behind = i, 0
        elif 48 <= c <= 57:
            behind += 1
    own = _COMMA if comma else _DOT
    if last_mark >= 0 and (other or (marks == 1 and (kind == own or behind != 3))):
        return last_mark, behind
    return -1, 0


@numba.njit(nogil=True, cache=True)
def _decimal(data: Any, start: int, stop: int, scale: int, comma: bool) -> tuple[int, int]:
    """(value at ``scale``, state) of one cell."""
    negative = data[start] == 40 and data[stop - 1] == 41  # brackets
    if negative:
        start, stop = trim(data, start + 1, stop - 1)
    start, stop = _without_code(data, start, stop)
    seen = False  # any digit
    closed = False  # a sign or bracket behind the digits: none may follow
    digits = 0
    value = 0
    decimal_at, _ = _decimal_mark(data, start, stop, comma)
    places = 0
    rounding = -1
    for i in range(start, stop):
        c = data[i]
        if 48 <= c <= 57:
            if closed:
                return 0, 2  # 18-24 is no number
            seen = True
            if decimal_at >= 0 and i > decimal_at:
                if places == scale:
                    if rounding < 0:
                        rounding = c - 48
                    continue
                places += 1
            value = value * 10 + (c - 48)
            if places == 0 and (digits > 0 or c != 48):
                digits += 1
        elif c == 40 or _dash(data, i, stop):
            negative = True
            closed = seen
        elif c == 41 or c == 43:  # closing bracket, plus
            closed = seen
        elif c in (_DOT, _COMMA) or c == 32 or c == 39 or c == 36 or c >= 128:
            continue
        else:
            return 0, 2
    if digits > _MOST_DIGITS:
        return 0, 2
    if not seen:
        return 0, 2
    for _ in range(scale - places):
        value *= 10
    if rounding >= 5:
        value += 1
    return (-value if negative else value), 0


@numba.njit(nogil=True, cache=True)
def _short(data: Any, start: int, stop: int, scale: int) -> int:
    """A cell of digits with a point at most, as most are; NOT_SHORT where it is anything else."""
    value, places = 0, -1
    if stop - start > 15:
        return NOT_SHORT
    i = start
    negative = data[i] == 45
    if negative:
        i += 1
    first = i
    while i < stop:
        c = data[i]
        if 48 <= c <= 57:
            value = value * 10 + (c - 48)
            if places >= 0:
                places += 1
        elif c == _DOT and places < 0 and i > first:
            places = 0
        else:
            return NOT_SHORT
        i += 1
    places = max(places, 0)
    # A lone point before three digits may be a thousands mark: the long way knows.
    if i == first or places > scale or places == 3 or i - first - places > _MOST_DIGITS:
        return NOT_SHORT
    for _ in range(scale - places):
        value *= 10
    return -value if negative else value


@numba.njit(nogil=True, cache=True)
def _decimals(offsets: Any, data: Any, scale: int, comma: bool, values: Any, state: Any) -> None:
    for row in range(len(values)):
        start, stop = trim(data, offsets[row], offsets[row + 1])
        if start == stop:
            values[row], state[row] = 0, 1
            continue
        quick = _short(data, start, stop, scale)
        if quick != NOT_SHORT:
            values[row], state[row] = quick, 0
        else:
            values[row], state[row] = _decimal(data, start, stop, scale, comma)


def read_decimals(
    column: pa.Array, scale: int, comma: bool = False
) -> tuple[NDArray[np.int64], NDArray[np.uint8]]:
    """Read cells as decimal numbers, kept as integers.

    Parameters
    ----------
    column : string array of length n
    scale : int
        Decimals kept; further ones are rounded half away from zero.
    comma : bool
        Whether a lone comma before three digits is the decimal mark (``1,234`` = 1.234).

    Returns
    -------
    values : (n,) int64, the number times 10**scale
    state : (n,) uint8, ``GOOD``, ``EMPTY`` or ``BAD``

    Notes
    -----
    Thousands marks, a currency sign, a sign before or behind and brackets for negatives are
    understood. Where both marks appear, the last is the decimal one.

    >>> values, state = read_decimals(pa.array(["12.50", "-3", "x"]), 2)
    >>> values.tolist(), (state == GOOD).tolist()
    ([1250, -300, 0], [True, True, False])
    """
    offsets, data = text_buffers(column)
    values = np.empty(len(column), np.int64)
    state = np.empty(len(column), np.uint8)
    _decimals(offsets, data, scale, comma, values, state)
    return values, state


@numba.njit(nogil=True, cache=True)
def _most_places(offsets: Any, data: Any, comma: bool, state: Any) -> int:
    most = 0
    for row in range(len(state)):
        if state[row] == 0:
            start, stop = trim(data, offsets[row], offsets[row + 1])
            _, behind = _decimal_mark(data, start, stop, comma)
            most = max(most, behind)
    return most


def decimals_in(
    column: pa.Array, comma: bool = False, state: NDArray[np.uint8] | None = None
) -> int:
    """The most decimals that any number of the column is written with.

    ``state``: (n,) what :func:`read_decimals` says of each cell, where it was asked before.

    >>> decimals_in(pa.array(["1.5", "2.125", "30"]))
    3
    """
    if state is None:
        state = read_decimals(column, 0, comma)[1]
    offsets, data = text_buffers(column)
    return int(_most_places(offsets, data, comma, state))


def _cells(cells: pa.Array, pattern: str) -> int:
    return int(pc.sum(pc.match_substring_regex(cells, pattern)).as_py() or 0)


def _marks_thousands(cells: pa.Array, mark: str) -> bool:
    """Whether a mark before three digits divides thousands: cells under a thousand go without
    it, none over a thousand does, and none begins with a nought."""
    marked = _cells(cells, rf"^\D*[1-9]\d{{0,2}}({mark}\d{{3}})+\D*$")
    small = _cells(cells, r"^\D*\d{1,3}\D*$")
    against = _cells(cells, rf"^\D*0{mark}\d{{3}}|^\D*\d{{4,}}\D*$")
    return marked > 0 and small > 0 and not against


def decimal_comma(rows: pa.RecordBatch, columns: list[str]) -> bool:
    """Whether amounts are rather written with a comma than with a point.

    >>> decimal_comma(pa.RecordBatch.from_arrays([pa.array(["1.234", "950"])], ["sum"]), ["sum"])
    True
    """
    commas = dots = 0
    for name in columns:
        cells = rows.column(name)
        plain = _cells(cells, r",\d{1,2}\D*$"), _cells(cells, r"\.\d{1,2}\D*$")
        if not any(plain):  # three decimals or thousands
            plain = _cells(cells, r"^\D*0,\d{3}\D*$"), _cells(cells, r"^\D*0\.\d{3}\D*$")
        if not any(plain):
            plain = int(_marks_thousands(cells, r"\.")), int(_marks_thousands(cells, ","))
        commas, dots = commas + plain[0], dots + plain[1]
    return commas > dots


@numba.njit(nogil=True, cache=True)
def _hash(offsets: Any, data: Any, keys: Any) -> None:
    prime = np.uint64(0x100000001B3)
    for row in range(len(keys)):
        start, stop = trim(data, offsets[row], offsets[row + 1])
        h = keys[row] ^ np.uint64(0xCBF29CE484222325)
        for i in range(start, stop):
            h = (h ^ np.uint64(data[i])) * prime
        # A final scramble, so that short cells differ in every bit (Murmur3's finaliser).
        h ^= h >> np.uint64(33)
        h *= np.uint64(0xFF51AFD7ED558CCD)
        h ^= h >> np.uint64(33)
        h *= np.uint64(0xC4CEB9FE1A85EC53)
        keys[row] = h ^ (h >> np.uint64(33))


def hash_cells(column: pa.Array, keys: NDArray[np.uint64] | None = None) -> NDArray[np.uint64]:
    """Fold a column of cells into 64-bit row keys (new ones where ``keys`` is None).

    >>> keys = hash_cells(pa.array(["M-1", "M-2", "M-1"]))
    >>> bool(keys[0] == keys[2]), bool(keys[0] == keys[1])
    (True, False)
    """
    keys = np.zeros(len(column), np.uint64) if keys is None else keys.copy()
    offsets, data = text_buffers(column)
    _hash(offsets, data, keys)
    return keys


@cache
def empty_digest() -> int:
    """The digest of an empty cell, and of one that holds blanks alone."""
    return int(hash_cells(pa.array([""], pa.string()))[0])
