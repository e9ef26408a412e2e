"""The ledger's lines as columns, ordered so that one customer's lines stand together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Log", "order_lines"]


@dataclass(frozen=True)
class Log:
    """Every line of a ledger, set-aside ones too, by customer, day and receipt.

    ``start``: (customers + 2,) int64; customer *c* owns lines ``start[c]`` to ``start[c + 1]``,
    and the block after the last customer holds the lines without one. The other arrays have one
    entry a line: ``day`` since 1970-01-01 (−1: none), ``money`` at the study's scale,
    ``quantity`` in thousandths, ``kind`` a place in ``lines.KINDS``, ``department``, ``site``
    and ``channel`` numbers (−1: none), ``bits`` of the rules met.
    """

    start: NDArray[np.int64]
    day: NDArray[np.int32]
    receipt: NDArray[np.uint64]
    quantity: NDArray[np.int64]
    money: NDArray[np.int64]
    kind: NDArray[np.int8]
    department: NDArray[np.int16]
    site: NDArray[np.int16]
    channel: NDArray[np.int16]
    bits: NDArray[np.int32]

    @property
    def customers(self) -> int:
        return len(self.start) - 2

    def __len__(self) -> int:
        return len(self.day)

    def last_day(self, mask: int) -> int:
        """The newest day of a line that counts and is not dated in the future; −1 if none."""
        counts = (self.bits & (mask | 4)) == 0
        return int(self.day[counts].max()) if counts.any() else -1

    def first_day(self, mask: int) -> int:
        """The oldest day of a line that counts; −1 if none."""
        counts = (self.bits & mask) == 0
        return int(self.day[counts].min()) if counts.any() else -1


def order_lines(
    customer: NDArray[np.int32], day: NDArray[np.int32], receipt: NDArray[np.uint64], customers: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The order in which a :class:`Log` keeps lines, and its ``start``.

    Parameters
    ----------
    customer : (n,) int32, −1 without a customer (these come last)
    customers : int
        How many customers there are.
    """
    owner = np.where(customer < 0, customers, customer)
    order = np.lexsort((receipt, day, owner))
    counts = np.bincount(owner, minlength=customers + 1)
    start = np.zeros(customers + 2, np.int64)
    np.cumsum(counts, out=start[1:])
    return order, start
