"""Where to cut a number, written as short as the rows allow."""

from __future__ import annotations

import math

__all__ = ["shortest_between"]

#: Decimal places beyond which nobody reads on.
_SMALLEST = -12


def shortest_between(low: float, high: float) -> float:
    """The number above ``low`` and not above ``high`` that takes fewest digits.

    Rows up to ``low`` are under it, rows from ``high`` on are not. Of several with as few digits
    it is the one nearest to the middle.

    >>> shortest_between(2, 3), shortest_between(83, 264), shortest_between(0.512, 0.548)
    (3.0, 200.0, 0.53)
    """
    if low < 0 <= high:
        return 0.0
    largest = max(abs(low), abs(high))
    for power in range(math.floor(math.log10(largest)) + 1, _SMALLEST - 1, -1):
        step = float(f"1e{power}")
        first, last = math.floor(low / step) + 1, math.floor(high / step)
        if first <= last:
            middle = min(max(round((low + high) / 2 / step), first), last)
            found = float(f"{middle}e{power}")
            if low < found <= high:
                return found
    return high
