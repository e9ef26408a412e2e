"""Read text cells as numbers, moments and keys, a column at a time.

The kernels walk the raw bytes of an Arrow string column, so that a million cells take
milliseconds and no Python string is made.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

__all__ = [
    "BAD",
    "EMPTY",
    "GOOD",
    "decimals_in",
    "hash_cells",
    "read_decimals",
    "read_moments",
    "text_buffers",
]

GOOD, EMPTY, BAD = 0, 1, 2
_MOST_DIGITS = 17
_DOT, _COMMA = 46, 44


def text_buffers(column: pa.Array) -> tuple[NDArray[np.int32], NDArray[np.uint8]]:
    """Offsets (n + 1,) and bytes of a string column, without copying the bytes."""
    if column.type != pa.string():
        column = column.cast(pa.string())
    offsets = np.frombuffer(column.buffers()[1], np.int32)
    offsets = offsets[column.offset : column.offset + len(column) + 1]
    data = column.buffers()[2]
    return offsets, np.frombuffer(data, np.uint8) if data else np.zeros(0, np.uint8)


@numba.njit(nogil=True, cache=True)
def _decimal(data: Any, start: int, stop: int, scale: int, comma: bool) -> tuple[int, int]:
    """(value at ``scale``, state) of one cell."""
    negative = False
    digits = 0
    value = 0
    last_mark = -1  # the place of the last dot or comma
    marks = 0
    other = False  # both kinds of mark appear
    kind = 0
    for i in range(start, stop):
        c = data[i]
        if c in (_DOT, _COMMA):
            if marks > 0 and c != kind:
                other = True
            kind = c
            marks += 1
            last_mark = i
    decimal_at = -1
    if last_mark >= 0:
        behind = 0
        for i in range(last_mark + 1, stop):
            if 48 <= data[i] <= 57:
                behind += 1
        own = _COMMA if comma else _DOT
        if other or (marks == 1 and (kind == own or behind != 3)):
            decimal_at = last_mark
    places = 0
    rounding = -1
    for i in range(start, stop):
        c = data[i]
        if 48 <= c <= 57:
            if decimal_at >= 0 and i > decimal_at:
                if places == scale:
                    if rounding < 0:
                        rounding = c - 48
                    continue
                places += 1
            value = value * 10 + (c - 48)
            if digits > 0 or c != 48:
                digits += 1
        elif c == 45 or c == 40:  # minus, opening bracket
            negative = True
        elif c in (_DOT, _COMMA) or c == 41 or c == 43 or c == 32 or c == 39 or c == 36 or c >= 128:
            continue
        else:
            return 0, 2
    if digits > _MOST_DIGITS:
        return 0, 2
    seen = False
    for i in range(start, stop):
        if 48 <= data[i] <= 57:
            seen = True
            break
    if not seen:
        return 0, 2
    for _ in range(scale - places):
        value *= 10
    if rounding >= 5:
        value += 1
    return (-value if negative else value), 0


@numba.njit(nogil=True, cache=True)
def _trim(data: Any, start: int, stop: int) -> tuple[int, int]:
    while start < stop and data[start] <= 32:
        start += 1
    while stop > start and data[stop - 1] <= 32:
        stop -= 1
    return start, stop


@numba.njit(nogil=True, cache=True)
def _decimals(offsets: Any, data: Any, scale: int, comma: bool, values: Any, state: Any) -> None:
    for row in range(len(values)):
        start, stop = _trim(data, offsets[row], offsets[row + 1])
        if start == stop:
            values[row], state[row] = 0, 1
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
    """
    offsets, data = text_buffers(column)
    values = np.empty(len(column), np.int64)
    state = np.empty(len(column), np.uint8)
    _decimals(offsets, data, scale, comma, values, state)
    return values, state


@numba.njit(nogil=True, cache=True)
def _most_places(offsets: Any, data: Any, comma: bool) -> int:
    most = 0
    for row in range(len(offsets) - 1):
        start, stop = _trim(data, offsets[row], offsets[row + 1])
        last, behind = -1, 0
        for i in range(start, stop):
            if data[i] == _DOT or data[i] == _COMMA:
                last, behind = data[i], 0
            elif 48 <= data[i] <= 57:
                behind += 1
        own = _COMMA if comma else _DOT
        if last >= 0 and (last == own or behind != 3) and behind > most:
            most = behind
    return most


def decimals_in(column: pa.Array, comma: bool = False) -> int:
    """The most decimals that any cell of the column is written with."""
    offsets, data = text_buffers(column)
    return int(_most_places(offsets, data, comma))


@numba.njit(nogil=True, cache=True)
def _month_length(year: int, month: int) -> int:
    if month == 2:
        leap = (year % 4 == 0 and year % 100 != 0) or year % 400 == 0
        return 29 if leap else 28
    return 30 if month in (4, 6, 9, 11) else 31


@numba.njit(nogil=True, cache=True)
def _epoch_day(year: int, month: int, day: int) -> int:
    """Days since 1970-01-01 of a Gregorian date (Hinnant's civil-from-days, reversed)."""
    y = year - (1 if month <= 2 else 0)
    era = y // 400
    of_era = y - era * 400
    of_year = (153 * (month + (-3 if month > 2 else 9)) + 2) // 5 + day - 1
    return era * 146097 + of_era * 365 + of_era // 4 - of_era // 100 + of_year - 719468


@numba.njit(nogil=True, cache=True)
def _moments(
    offsets: Any, data: Any, month_first: bool, days: Any, seconds: Any, state: Any
) -> None:
    group = np.zeros(7, np.int64)
    width = np.zeros(7, np.int64)
    for row in range(len(days)):
        start, stop = _trim(data, offsets[row], offsets[row + 1])
        days[row], seconds[row], state[row] = 0, 0, 2
        if start == stop:
            state[row] = 1
            continue
        groups, inside, good = 0, False, True
        afternoon = 0
        for i in range(start, stop):
            c = data[i]
            if 48 <= c <= 57:
                if not inside:
                    if groups == 7:
                        good = False
                        break
                    group[groups], width[groups] = 0, 0
                    groups += 1
                    inside = True
                if width[groups - 1] < 9:
                    group[groups - 1] = group[groups - 1] * 10 + (c - 48)
                    width[groups - 1] += 1
            else:
                inside = False
                low = c | 32
                if low == 97 or low == 112:  # am, pm
                    afternoon = 1 if low == 97 else 2
                elif low == 109 or low == 116 or low == 122:  # m of am, T, Z
                    continue
                elif (
                    c != 45 and c != 47 and c != 46 and c != 58 and c != 32 and c != 43 and c != 44
                ):
                    good = False
                    break
        if not good or groups == 0:
            continue
        first = 3
        if width[0] == 8 or (width[0] == 14):
            year, month, day = group[0] // 10000, group[0] // 100 % 100, group[0] % 100
            first = 1
        elif groups < 3:
            continue
        elif width[0] == 4:
            year, month, day = group[0], group[1], group[2]
        else:
            year = group[2]
            if width[2] == 2:
                year += 2000 if year < 70 else 1900
            day, month = (group[1], group[0]) if month_first else (group[0], group[1])
        hour = group[first] if groups > first else 0
        minute = group[first + 1] if groups > first + 1 else 0
        second = group[first + 2] if groups > first + 2 else 0
        if afternoon == 2 and hour < 12:
            hour += 12
        if afternoon == 1 and hour == 12:
            hour = 0
        if year < 1900 or year > 2200 or month < 1 or month > 12 or day < 1:
            continue
        if day > _month_length(year, month) or hour > 23 or minute > 59 or second > 60:
            continue
        days[row] = _epoch_day(year, month, day)
        seconds[row] = hour * 3600 + minute * 60 + min(second, 59)
        state[row] = 0


def read_moments(
    column: pa.Array, month_first: bool = False
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]:
    """Read cells as local dates with or without a time.

    Understood: year first (``2026-03-14``, ``20260314``) whatever the setting, else day first or,
    with ``month_first``, month first; any of ``- / .`` between; then a time, with seconds,
    fractions (dropped) and am or pm as given.

    Returns
    -------
    days : (n,) int32, days since 1970-01-01
    seconds : (n,) int32, seconds since midnight
    state : (n,) uint8, ``GOOD``, ``EMPTY`` or ``BAD``; 31 February is BAD
    """
    offsets, data = text_buffers(column)
    days = np.empty(len(column), np.int32)
    seconds = np.empty(len(column), np.int32)
    state = np.empty(len(column), np.uint8)
    _moments(offsets, data, month_first, days, seconds, state)
    return days, seconds, state


@numba.njit(nogil=True, cache=True)
def _hash(offsets: Any, data: Any, keys: Any) -> None:
    prime = np.uint64(0x100000001B3)
    for row in range(len(keys)):
        start, stop = _trim(data, offsets[row], offsets[row + 1])
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
    """Fold a column of cells into 64-bit row keys (new ones where ``keys`` is None)."""
    keys = np.zeros(len(column), np.uint64) if keys is None else keys.copy()
    offsets, data = text_buffers(column)
    _hash(offsets, data, keys)
    return keys
