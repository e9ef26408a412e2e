"""Which lines count, which are sales, and what a purchase is: said once, for kernels and arrays.

A line *counts* when it meets no rule that is on. A *sale* is a line of that kind with a positive
quantity. A *purchase* is a receipt of a customer with any sale that counts; what it comes to is
the money of all its lines that count, returns included.
"""

from __future__ import annotations

from enum import IntEnum
from typing import Any, NamedTuple

import numba

from sortija.core.engine.parts import Part

__all__ = ["KINDS", "Kind", "Lines", "counts", "is_sale", "parts_of", "receipt_at"]


class Kind(IntEnum):
    """What a line is, as it is stored."""

    SALE = 0
    RETURN = 1
    VOID = 2
    OTHER = 3


#: What files and screens call the kinds, in the order of their numbers.
KINDS = tuple(kind.name.lower() for kind in Kind)


class Lines(NamedTuple):
    """The arrays of a :class:`log.Log` as kernels read them, none of them writable.

    ``cost`` is empty where no file tells costs.
    """

    start: Any
    day: Any
    receipt: Any
    quantity: Any
    money: Any
    kind: Any
    department: Any
    site: Any
    channel: Any
    bits: Any
    cost: Any


def parts_of(lines: Lines, first: int, last: int) -> list[Part]:
    """What work on customers ``first`` to before ``last`` reads of the lines."""
    mine = slice(int(lines.start[first]), int(lines.start[last]))
    reads: list[Part] = [(lines.start, slice(first, last + 1))]
    return [*reads, *((each, mine) for each in lines[1:] if len(each))]


@numba.njit(nogil=True, cache=True)
def counts(bits: Any, mask: int) -> Any:
    """Whether a line with these bits counts; ``mask``: the bits of the rules that are on.

    Of arrays by ``counts.py_func``.

    >>> counts(0b0110, 0b1001), counts(0b0110, 0b0010)
    (True, False)
    """
    return (bits & mask) == 0


@numba.njit(nogil=True, cache=True)
def is_sale(kind: Any, quantity: Any) -> Any:
    """Whether a line sells anything; of arrays by ``is_sale.py_func``.

    >>> is_sale(Kind.SALE, 1000), is_sale(Kind.SALE, 0), is_sale(Kind.RETURN, 1000)
    (True, False, False)
    """
    return (kind == Kind.SALE) & (quantity > 0)


@numba.njit(nogil=True, cache=True)
def receipt_at(lines: Lines, first: int, end: int, mask: int) -> tuple[int, int, bool]:
    """The receipt that begins at line ``first`` of a customer whose lines end before ``end``.

    Returns the line after it, the money of its lines that count, and whether it is a purchase.
    """
    line, money, purchase = first, 0, False
    number, day = lines.receipt[first], lines.day[first]
    while line < end and lines.receipt[line] == number and lines.day[line] == day:
        if counts(lines.bits[line], mask):
            purchase |= is_sale(lines.kind[line], lines.quantity[line])
            money += lines.money[line]
        line += 1
    return line, money, purchase
