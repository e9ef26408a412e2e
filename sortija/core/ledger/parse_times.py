"""Read text cells as times of the day, a column at a time."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.ledger.parse_numbers import text_buffers, trim

__all__ = ["read_times"]


@numba.njit(nogil=True, cache=True)
def _groups(data: Any, start: int, stop: int, group: Any, width: Any) -> tuple[int, int]:
    """(groups of digits, half of the day: 1 am, 2 pm); no groups where it is no time."""
    groups, half, inside = 0, 0, False
    for i in range(start, stop):
        c = data[i]
        low = c | 32
        if 48 <= c <= 57:
            if not inside:
                if groups == 7:
                    return 0, 0
                group[groups], width[groups] = 0, 0
                groups, inside = groups + 1, True
            if width[groups - 1] < 9:
                group[groups - 1] = group[groups - 1] * 10 + (c - 48)
                width[groups - 1] += 1
            continue
        inside = False
        if low == 97 or low == 112:  # a, p
            half = 1 if low == 97 else 2
        elif not (c == 58 or c == 46 or c == 32 or c == 44 or c == 45 or c == 47 or c == 84
                  or low == 109 or low == 104 or low == 117 or low == 114 or low == 115
                  or low == 105 or low == 110):  # fmt: skip
            return 0, 0  # but for marks, m of am and pm, Uhr, h, min and s
    return groups, half


@numba.njit(nogil=True, cache=True)
def _times(offsets: Any, data: Any, seconds: Any, state: Any) -> None:
    group = np.zeros(7, np.int64)
    width = np.zeros(7, np.int64)
    for row in range(len(seconds)):
        start, stop = trim(data, offsets[row], offsets[row + 1])
        seconds[row], state[row] = 0, 2
        if start == stop:
            state[row] = 1
            continue
        groups, half = _groups(data, start, stop, group, width)
        first = groups - 1 if groups <= 1 else 0
        if groups >= 5:  # a date stands before it
            first = 3
        elif groups == 4:
            # Seconds with their fractions, else no time.
            if width[0] > 2 or width[1] != 2 or width[2] != 2:
                continue
        elif groups == 0:
            continue
        hour, minute, second = group[first], 0, 0
        if groups - first >= 2:
            minute = group[first + 1]
            if width[first] > 2 or width[first + 1] != 2:
                continue
            if groups - first >= 3:
                second = group[first + 2]
        elif width[first] == 5 or width[first] == 6:
            hour, minute, second = hour // 10_000, hour // 100 % 100, hour % 100
        elif width[first] == 3 or width[first] == 4:
            hour, minute = hour // 100, hour % 100
        elif half == 0 and width[first] > 2:
            continue
        if half == 2 and hour < 12:
            hour += 12
        elif half == 1 and hour == 12:
            hour = 0
        if hour > 23 or minute > 59 or second > 60:
            continue
        seconds[row], state[row] = hour * 3600 + minute * 60 + min(second, 59), 0


def read_times(column: pa.Array) -> tuple[NDArray[np.int32], NDArray[np.uint8]]:
    """Read cells as times of the day.

    Understood: ``9:05``, ``09:05:33``, ``9.05``, ``9h05``, ``9:05 PM``, ``14:30 Uhr``, and bare
    digits, ``905`` as five past nine; a date before the time is passed over.

    Parameters
    ----------
    column : string array of length n

    Returns
    -------
    seconds : (n,) int32, seconds since midnight
    state : (n,) uint8, ``GOOD``, ``EMPTY`` or ``BAD`` as :mod:`parse_numbers` has them

    >>> seconds, state = read_times(pa.array(["9:05 PM", "0930", "25:00", ""]))
    >>> seconds.tolist(), state.tolist()
    ([75900, 34200, 0, 0], [0, 0, 2, 1])
    """
    offsets, data = text_buffers(column)
    seconds = np.empty(len(column), np.int32)
    state = np.empty(len(column), np.uint8)
    _times(offsets, data, seconds, state)
    return seconds, state
