"""Since when customers are known: the day of each one's first purchase."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.counting import Lines, counts, is_sale

__all__ = ["first_purchases"]


def first_purchases(lines: Lines, mask: int) -> NDArray[np.int64]:
    """(n,) the day of each customer's first purchase that counts, since 1970-01-01; −1 of none.

    Parameters
    ----------
    lines : in order, each customer's by day
    mask : the bits of the rules that are on
    """
    found: NDArray[np.int64] = _first_purchases(
        lines.start, lines.day, lines.kind, lines.quantity, lines.bits, mask
    )
    return found


@numba.njit(nogil=True, cache=True)
def _first_purchases(start: Any, day: Any, kind: Any, quantity: Any, bits: Any, mask: int) -> Any:
    many = len(start) - 2
    out = np.full(many, -1, np.int64)
    for customer in range(many):
        for i in range(start[customer], start[customer + 1]):
            if day[i] >= 0 and counts(bits[i], mask) and is_sale(kind[i], quantity[i]):
                out[customer] = day[i]
                break
    return out
