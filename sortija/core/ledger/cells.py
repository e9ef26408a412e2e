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

from sortija.core.ledger.zones import Zone

__all__ = [
    "BAD",
    "EMPTY",
    "EMPTY_DIGEST",
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
NO_OFFSET = 32_767


def _codes(words: str) -> NDArray[np.int64]:
    """Three letters of each word, packed."""
    return np.array([(ord(w[0]) << 16) | (ord(w[1]) << 8) | ord(w[2]) for w in words.split()])


_MONTH_NAMES = _codes("jan feb mar apr may jun jul aug sep oct nov dec")
_WEEKDAYS = _codes("mon tue wed thu fri sat sun utc")


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
def _word(data: Any, start: int, stop: int) -> int:
    """What a word in a date means: 1 to 12 a month, 21 am, 22 pm, 23 Z, 24 nothing, 0 unknown."""
    size = stop - start
    one = data[start] | 32
    if size == 1:
        if one == 122:  # Z
            return 23
        return 21 if one == 97 else 22 if one == 112 else 24 if one == 116 or one == 109 else 0
    two = data[start + 1] | 32
    if size == 2:
        if two == 109 and (one == 97 or one == 112):  # am, pm
            return 21 if one == 97 else 22
        ordinal = (one == 116 and two == 104) or (one == 115 and two == 116)  # th, st
        ordinal |= (one == 110 and two == 100) or (one == 114 and two == 100)  # nd, rd
        return 24 if ordinal else 0
    key = (one << 16) | (two << 8) | (data[start + 2] | 32)
    for month in range(12):
        if key == _MONTH_NAMES[month]:
            return month + 1
    for day in range(8):
        if key == _WEEKDAYS[day]:
            return 24
    return 0


@numba.njit(nogil=True, cache=True)
def _parts(
    data: Any, start: int, stop: int, group: Any, width: Any
) -> tuple[int, int, int, int, bool]:
    """(groups of digits, place of a named month or -1, half of the day, offset, whether good)."""
    groups, inside, named, half = 0, False, -1, 0
    offset, sign, shift, digits = NO_OFFSET, 0, 0, 0
    i = start
    while i < stop:
        c = data[i]
        low = c | 32
        if 48 <= c <= 57:
            if sign != 0:
                shift, digits = shift * 10 + (c - 48), digits + 1
            else:
                if not inside:
                    if groups == 7:
                        return groups, named, half, offset, False
                    group[groups], width[groups] = 0, 0
                    groups += 1
                    inside = True
                if width[groups - 1] < 15:
                    group[groups - 1] = group[groups - 1] * 10 + (c - 48)
                    width[groups - 1] += 1
        elif 97 <= low <= 122:
            inside = False
            end = i
            while end < stop and 97 <= (data[end] | 32) <= 122:
                end += 1
            word = _word(data, i, end)
            if word == 0 or (word <= 12 and (groups == 7 or named >= 0)):
                return groups, named, half, offset, False
            if word <= 12:
                group[groups], width[groups] = word, 2
                named = groups
                groups += 1
            elif word <= 22:
                half = word - 20
            elif word == 23:
                offset = 0
            i = end
            continue
        else:
            inside = False
            timed = groups - (1 if groups > 0 and width[0] >= 8 else 3) >= 2
            if (c == 43 or c == 45) and timed and sign == 0:
                sign = 1 if c == 43 else -1
            elif c != 45 and c != 47 and c != 46 and c != 58 and c != 32 and c != 43 and c != 44:
                return groups, named, half, offset, False
        i += 1
    if sign != 0:
        if digits == 2:
            offset = sign * shift * 60
        elif digits == 4:
            offset = sign * (shift // 100 * 60 + shift % 100)
        else:
            return groups, named, half, offset, False
    return groups, named, half, offset, groups > 0


@numba.njit(nogil=True, cache=True)
def _moments(
    offsets: Any, data: Any, month_first: bool, days: Any, seconds: Any, state: Any, shifts: Any
) -> None:
    group = np.zeros(7, np.int64)
    width = np.zeros(7, np.int64)
    for row in range(len(days)):
        start, stop = _trim(data, offsets[row], offsets[row + 1])
        days[row], seconds[row], state[row], shifts[row] = 0, 0, 2, NO_OFFSET
        if start == stop:
            state[row] = 1
            continue
        groups, named, half, shift, good = _parts(data, start, stop, group, width)
        if not good:
            continue
        first = 3
        if named < 0 and (width[0] == 8 or width[0] == 14):
            if width[0] == 14:  # the time stands right behind
                group[1], width[1], groups = group[0] % 1_000_000, 6, 2
                group[0] //= 1_000_000
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
            swapped = named == 0 if named >= 0 else month_first
            day, month = (group[1], group[0]) if swapped else (group[0], group[1])
        if named > 1:
            continue
        hour = group[first] if groups > first else 0
        minute = group[first + 1] if groups > first + 1 else 0
        second = group[first + 2] if groups > first + 2 else 0
        if groups > first and (width[first] == 6 or width[first] == 4):
            second = hour % 100 if width[first] == 6 else 0
            hour = hour // 100 if width[first] == 6 else hour
            hour, minute = hour // 100, hour % 100
        if half == 2 and hour < 12:
            hour += 12
        if half == 1 and hour == 12:
            hour = 0
        if year < 1900 or year > 2200 or month < 1 or month > 12 or day < 1:
            continue
        if day > _month_length(year, month) or hour > 23 or minute > 59 or second > 60:
            continue
        days[row] = _epoch_day(year, month, day)
        seconds[row] = hour * 3600 + minute * 60 + min(second, 59)
        shifts[row] = shift
        state[row] = 0


def read_moments(
    column: pa.Array, month_first: bool = False, zone: Zone | None = None
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]:
    """Read cells as local dates with or without a time.

    Understood: year first (``2026-03-14``, ``20260314``) whatever the setting, a month by its
    English name or three letters of it (``14 Mar 2026``, ``March 14, 2026``), else day first or,
    with ``month_first``, month first; any of ``- / .`` between; then a time, with seconds,
    fractions (dropped), am or pm, and an offset (``Z``, ``+01:00``) as given.

    Parameters
    ----------
    column : string array of length n
    month_first : bool
    zone : Zone, optional
        Moments with an offset are told in this zone; without one they stay as written.

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
    shifts = np.empty(len(column), np.int32)
    _moments(offsets, data, month_first, days, seconds, state, shifts)
    told = np.flatnonzero(shifts != NO_OFFSET) if zone is not None else ()
    if zone is not None and len(told):
        utc = days[told].astype(np.int64) * 86_400 + seconds[told] - shifts[told] * 60
        local = zone.local(utc)
        days[told], seconds[told] = local // 86_400, local % 86_400
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


#: The digest of an empty cell, and of one that holds blanks alone.
EMPTY_DIGEST = int(hash_cells(pa.array([""]))[0])
