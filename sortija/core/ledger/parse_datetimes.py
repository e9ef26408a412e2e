"""Read text cells as local dates and times, a column at a time."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.ledger.parse_numbers import text_buffers, trim
from sortija.core.ledger.zones import Zone

__all__ = ["read_moments"]

NO_OFFSET = 32_767
OTHERWISE = -(1 << 62)


def _codes(words: str) -> NDArray[np.int64]:
    """Three letters of each word, packed."""
    return np.array([(ord(w[0]) << 16) | (ord(w[1]) << 8) | ord(w[2]) for w in words.split()])


#: Months by their first three letters without accents, in the six languages of headings.
_MONTHS = {
    "jan": 1, "ene": 1, "feb": 2, "fev": 2, "mar": 3, "mae": 3, "mrt": 3, "maa": 3, "apr": 4,
    "avr": 4, "abr": 4, "may": 5, "mai": 5, "mei": 5, "jun": 6, "jul": 7, "aug": 8, "aou": 8,
    "ago": 8, "sep": 9, "set": 9, "oct": 10, "okt": 10, "out": 10, "nov": 11, "dec": 12, "dez": 12,
    "dic": 12,
}  # fmt: skip
_MONTH_NAMES = _codes(" ".join(_MONTHS))
_MONTH_NUMBERS = np.array(list(_MONTHS.values()), np.int64)
#: Days of the week, and what else stands in a date and says nothing.
_WEEKDAYS = _codes(
    "mon tue wed thu fri sat sun utc die mit don fre sam son lun mer jeu ven dim mie jue vie sab "
    "dom din woe vri zat zon seg ter qua qui sex uhr"
)
_SHORT_NAMES = np.array([
    (ord(first) << 8) | ord(second) for first, second in (
        "th", "st", "nd", "rd", "er", "de", "du", "le", "el", "mo", "di", "mi", "do", "fr", "sa",
        "so", "ma", "wo", "vr", "za", "zo", "lu", "me", "je", "ve",
    )
], np.int64)  # fmt: skip
_JUI, _MAR, _MAA = (int(code) for code in _codes("jui mar maa"))


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
def _unaccented(second: int) -> int:
    """The small letter without its accent, by the second byte of its UTF-8 (the first is C3)."""
    low = second | 32
    if 0xA0 <= low <= 0xA5:
        return 97
    if low == 0xA7:
        return 99
    if 0xA8 <= low <= 0xAB:
        return 101
    if 0xB2 <= low <= 0xB6:
        return 111
    if 0xB9 <= low <= 0xBC:
        return 117
    return 110 if low == 0xB1 else 105


@numba.njit(nogil=True, cache=True)
def _letters(data: Any, start: int, stop: int) -> tuple[int, int, int, int, int]:
    """(letters, and the first four of them, small and without accents)."""
    one, two, three, four, size = 0, 0, 0, 0, 0
    i = start
    while i < stop:
        letter = int(data[i]) | 32
        if data[i] == 0xC3 and i + 1 < stop:
            i += 1
            letter = _unaccented(int(data[i]))
        i += 1
        size += 1
        if size == 1:
            one = letter
        elif size == 2:
            two = letter
        elif size == 3:
            three = letter
        elif size == 4:
            four = letter
    return size, one, two, three, four


@numba.njit(nogil=True, cache=True)
def _word(data: Any, start: int, stop: int) -> int:
    """What a word in a date means: 1 to 12 a month, 21 am, 22 pm, 23 Z, 24 nothing, 0 unknown."""
    size, one, two, three, four = _letters(data, start, stop)
    if size == 1:
        if one == 122:  # Z
            return 23
        if stop - start > 1 or one == 104 or one == 117 or one == 116 or one == 109 or one == 115:
            return 24  # the French à; h, u, m and s behind figures; T
        return 21 if one == 97 else 22 if one == 112 else 0
    if size == 2:
        if two == 109 and (one == 97 or one == 112):  # am, pm
            return 21 if one == 97 else 22
        for name in _SHORT_NAMES:
            if (one << 8) | two == name:
                return 24
        return 0
    key = (one << 16) | (two << 8) | three
    if key == _JUI:  # juin, juillet
        return 6 if four == 110 else 7
    if (key == _MAR and (four == 100 or four == 116)) or (key == _MAA and four == 110):
        return 24  # mardi, martes, maandag
    for place in range(len(_MONTH_NAMES)):
        if key == _MONTH_NAMES[place]:
            return int(_MONTH_NUMBERS[place])
    for name in _WEEKDAYS:
        if key == name:
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
        elif 97 <= low <= 122 or c == 0xC3:
            inside = False
            end = i
            while end < stop and (97 <= (data[end] | 32) <= 122 or data[end] >= 0x80):
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
def _two(data: Any, at: int) -> int:
    """Two digits at a place; a large number where they are none."""
    a, b = np.int64(data[at]) - 48, np.int64(data[at + 1]) - 48
    return int(a * 10 + b) if 0 <= a <= 9 and 0 <= b <= 9 else 10_000


@numba.njit(nogil=True, cache=True)
def _usual(data: Any, start: int, stop: int, month_first: bool) -> tuple[int, int]:
    """(day, seconds) of ``2026-03-14 10:22[:31]`` or ``14/03/2026 10:22[:31]``; (OTHERWISE, 0)
    where it is written otherwise, or is no date: the long way tells.
    """
    size = stop - start
    if size != 10 and size != 16 and size != 19:
        return OTHERWISE, 0
    if data[start + 4] == 45 and data[start + 7] == 45:
        year = _two(data, start) * 100 + _two(data, start + 2)
        month, day = _two(data, start + 5), _two(data, start + 8)
    elif data[start + 2] == data[start + 5] and (data[start + 2] == 47 or data[start + 2] == 46):
        day, month = _two(data, start), _two(data, start + 3)
        year = _two(data, start + 6) * 100 + _two(data, start + 8)
        if month_first:
            day, month = month, day
    else:
        return OTHERWISE, 0
    seconds = 0
    if size > 10:
        gap = data[start + 10]
        if (gap != 32 and gap != 84) or data[start + 13] != 58:
            return OTHERWISE, 0
        hour, minute, second = _two(data, start + 11), _two(data, start + 14), 0
        if size == 19:
            if data[start + 16] != 58:
                return OTHERWISE, 0
            second = _two(data, start + 17)
        if hour > 23 or minute > 59 or second > 59:
            return OTHERWISE, 0
        seconds = hour * 3600 + minute * 60 + second
    if year < 1900 or year > 2200 or month < 1 or month > 12 or day < 1:
        return OTHERWISE, 0
    if day > _month_length(year, month):
        return OTHERWISE, 0
    return _epoch_day(year, month, day), seconds


@numba.njit(nogil=True, cache=True)
def _moments(
    offsets: Any, data: Any, month_first: bool, days: Any, seconds: Any, state: Any, shifts: Any
) -> None:
    group = np.zeros(7, np.int64)
    width = np.zeros(7, np.int64)
    for row in range(len(days)):
        start, stop = trim(data, offsets[row], offsets[row + 1])
        days[row], seconds[row], state[row], shifts[row] = 0, 0, 2, NO_OFFSET
        if start == stop:
            state[row] = 1
            continue
        quick, second_of_day = _usual(data, start, stop, month_first)
        if quick != OTHERWISE:
            days[row], seconds[row], state[row] = quick, second_of_day, 0
            continue
        groups, named, half, shift, good = _parts(data, start, stop, group, width)
        if not good:
            continue
        if named == 0 and groups >= 4 and width[2] <= 2 and 1900 <= group[3] <= 2200:
            # Not March but mardi, martes: the date stands behind it.
            for place in range(groups - 1):
                group[place], width[place] = group[place + 1], width[place + 1]
            groups, named = groups - 1, -1
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
    name or three letters of it (``14 Mar 2026``, ``March 14, 2026``; in German, French, Spanish,
    Dutch and Portuguese, too: ``14. März 2026``), else day first or, with ``month_first``, month
    first; any of ``- / .`` between; then a time, with seconds, fractions (dropped), am or pm, and
    an offset (``Z``, ``+01:00``) as given.

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

    >>> day, second, state = read_moments(pa.array(["1970-01-02 00:01", "31/02/2026"]))
    >>> int(day[0]), int(second[0]), bool(state[0] == state[1])
    (1, 60, False)
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
