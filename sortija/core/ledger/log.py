"""The ledger's lines as columns, ordered so that one customer's lines stand together."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import readonly
from sortija.core.ledger.counting import Lines, counts, is_sale
from sortija.core.ledger.rules import BIT

__all__ = ["Log", "order_lines"]

#: Lines of one owner from which on sorting by key beats insertion.
LONG = 2_000


@dataclass(frozen=True)
class Log:
    """Every line of a ledger, set-aside ones too, by customer, day and receipt.

    ``start``: (customers + 2,) int64; customer *c* owns lines ``start[c]`` to ``start[c + 1]``,
    and the block after the last customer holds the lines without one. The other arrays have one
    entry per line: ``day`` since 1970-01-01 (−1: none), ``money`` at the study's scale,
    ``quantity`` in thousandths, ``kind`` of :class:`counting.Kind`, ``department``, ``site``
    and ``channel`` numbers (−1: none), ``bits`` of the rules met, ``cost`` like money (``NO_COST``:
    none; nothing at all where no file tells costs).
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
    cost: NDArray[np.int64] | None = None

    @property
    def customers(self) -> int:
        return len(self.start) - 2

    def __len__(self) -> int:
        return len(self.day)

    def frozen(self) -> Log:
        """The same arrays as views that cannot be written to; see :func:`engine.readonly`."""
        arrays = {each.name: getattr(self, each.name) for each in fields(self)}
        return replace(self, **{n: readonly(a) for n, a in arrays.items() if a is not None})

    def arrays(self) -> Lines:
        """What kernels read; always of the same types, so that each is compiled once."""
        log = self.frozen()
        cost = log.cost if log.cost is not None else readonly(np.zeros(0, np.int64))
        return Lines(
            log.start, log.day, log.receipt, log.quantity, log.money, log.kind, log.department,
            log.site, log.channel, log.bits, cost,
        )  # fmt: skip

    def counts(self, mask: int, lines: Any = slice(None)) -> NDArray[np.bool_]:
        """Which of ``lines`` count; ``mask``: the bits of the rules that are on."""
        return counts.py_func(self.bits[lines], mask)  # type: ignore[no-any-return]

    def sales(self, mask: int, lines: Any = slice(None)) -> NDArray[np.bool_]:
        """Which of ``lines`` are sales that count."""
        return self.counts(mask, lines) & is_sale.py_func(self.kind[lines], self.quantity[lines])

    def last_day(self, mask: int) -> int:
        """The newest day of a line that counts and is not dated in the future; −1 if none."""
        found = self.counts(mask | BIT["future"])
        return int(self.day[found].max()) if found.any() else -1

    def first_day(self, mask: int) -> int:
        """The oldest day of a line that counts; −1 if none."""
        found = self.counts(mask)
        return int(self.day[found].min()) if found.any() else -1


@numba.njit(nogil=True, cache=True)
def _deal(owner: Any, place: Any, order: Any) -> None:
    """Counting sort: every line to its owner's next place, in file order."""
    for line in range(len(owner)):
        at = place[owner[line]]
        order[at] = line
        place[owner[line]] = at + 1


@numba.njit(nogil=True, cache=True)
def _settle(order: Any, start: Any, day: Any, receipt: Any) -> None:
    """Put each owner's lines in order of day and receipt; equal ones stay in file order.

    Logs come nearly in order of time, so that insertion hardly moves a line; a long stretch that
    is out of order is sorted by key first.
    """
    for owner in range(len(start) - 1):
        begin, end = start[owner], start[owner + 1]
        if end - begin > LONG:
            mine = order[begin:end].copy()
            mine = mine[np.argsort(receipt[mine], kind="mergesort")]
            order[begin:end] = mine[np.argsort(day[mine], kind="mergesort")]
            continue
        for at in range(begin + 1, end):
            line = order[at]
            back = at - 1
            while back >= begin and (
                day[order[back]] > day[line]
                or (day[order[back]] == day[line] and receipt[order[back]] > receipt[line])
            ):
                order[back + 1] = order[back]
                back -= 1
            order[back + 1] = line


def order_lines(
    customer: NDArray[np.int32], day: NDArray[np.int32], receipt: NDArray[np.uint64], customers: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The order in which a :class:`Log` keeps lines, and its ``start``.

    Parameters
    ----------
    customer : (n,) int32, −1 without a customer (these come last)
    customers : int
        How many customers there are.

    >>> customer = np.array([1, 0, -1, 1], np.int32)
    >>> day, receipt = np.array([9, 5, 5, 3], np.int32), np.zeros(4, np.uint64)
    >>> order, start = order_lines(customer, day, receipt, 2)
    >>> order.tolist(), start.tolist()
    ([1, 3, 0, 2], [0, 1, 3, 4])
    """
    owner = np.where(customer < 0, np.int32(customers), customer)
    counts = np.bincount(owner, minlength=customers + 1)
    start = np.zeros(customers + 2, np.int64)
    np.cumsum(counts, out=start[1:])
    order = np.empty(len(owner), np.int64)
    _deal(owner, start[:-1].copy(), order)
    _settle(order, start, readonly(day), readonly(receipt))
    return order, start
