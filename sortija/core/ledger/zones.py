"""Local time of a zone for moments in UTC, many at a time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np
from numpy.typing import NDArray

__all__ = ["Zone", "zone_of"]

_FIRST_YEAR, _LAST_YEAR = 1990, 2100
_DAY = 86_400


@dataclass(frozen=True)
class Zone:
    """``starts``: seconds since 1970 UTC from which on ``shifts`` (seconds east of UTC) hold."""

    starts: NDArray[np.int64]
    shifts: NDArray[np.int64]

    def local(self, utc: NDArray[np.int64]) -> NDArray[np.int64]:
        """Seconds since 1970 on the zone's own clocks, for seconds since 1970 in UTC."""
        place = np.searchsorted(self.starts, utc, side="right") - 1
        return utc + self.shifts[np.maximum(place, 0)]


@lru_cache(maxsize=16)
def zone_of(name: str) -> Zone:
    """The zone called ``name``, as *Europe/London*.

    Raises
    ------
    ValueError
        There is no such zone.

    >>> zone_of("Nowhere/Here")
    Traceback (most recent call last):
        ...
    ValueError: There is no time zone called Nowhere/Here.
    """
    try:
        info = ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError) as problem:
        raise ValueError(f"There is no time zone called {name}.") from problem

    def shift(second: int) -> int:
        offset = datetime.fromtimestamp(second, UTC).astimezone(info).utcoffset()
        return int(offset.total_seconds()) if offset else 0

    first = int(datetime(_FIRST_YEAR, 1, 1, tzinfo=UTC).timestamp())
    last = int(datetime(_LAST_YEAR, 1, 1, tzinfo=UTC).timestamp())
    starts, shifts = [first], [shift(first)]
    step = 20 * _DAY  # no zone has changed its clocks there and back within three weeks
    for begin in range(first, last, step):
        if shift(begin + step) == shifts[-1]:
            continue
        low, high = begin, begin + step
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if shift(middle) == shifts[-1] else (low, middle)
        starts.append(high)
        shifts.append(shift(high))
    return Zone(np.array(starts, np.int64), np.array(shifts, np.int64))
