"""Returns find the sale that they take back."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.rules import BIT

__all__ = ["NO_SALE", "match_returns", "return_bits"]

NO_SALE = -1
#: Sales of one item that a return looks back over, so that a card which serves for thousands of
#: people costs no more than a line each.
LOOK_BACK = 64
#: Lines that it looks back over for them.
LOOK_LINES = 100_000
#: Lines that sell nothing, bring no goods, or do not count by themselves.
_OUT = sum(
    BIT[key]
    for key in ("no_date", "no_amount", "future", "currency", "void", "not_sale", "twice",
                "superseded", "negative")
)  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _find(
    line: Any, first: Any, receipt: Any, item: Any, quantity: Any, money: Any, left: Any
) -> int:
    """The best of the latest sales of this item: same receipt, then same size, then any."""
    wanted = abs(quantity[line])
    whole, part, seen = -1, -1, 0
    for sale in range(line - 1, max(first, line - LOOK_LINES) - 1, -1):
        if left[sale] <= 0 or item[sale] != item[line]:
            continue
        seen += 1
        if seen > LOOK_BACK:
            break
        alike = item[line] >= 0 or money[sale] == abs(money[line])
        if left[sale] < wanted or not (alike or money[sale] > abs(money[line])):
            continue
        if receipt[sale] == receipt[line]:
            return int(sale)
        if whole < 0 and alike and quantity[sale] == wanted and left[sale] == wanted:
            whole = sale
        if part < 0:
            part = sale
    return int(whole if whole >= 0 else part)


@numba.njit(nogil=True, cache=True)
def _match(
    start: Any, receipt: Any, item: Any, quantity: Any, money: Any, kind: Any, bits: Any, out: Any,
    left: Any,
) -> None:  # fmt: skip
    for c in range(len(start) - 1):
        for line in range(start[c], start[c + 1]):
            if bits[line] & _OUT:
                continue
            if kind[line] == 0 and quantity[line] > 0:
                left[line] = quantity[line]
            elif kind[line] == 1:
                sale = _find(line, start[c], receipt, item, quantity, money, left)
                if sale >= 0:
                    out[line] = sale
                    left[sale] -= abs(quantity[line])


@numba.njit(nogil=True, cache=True)
def _mark(
    start: Any, day: Any, receipt: Any, kind: Any, bits: Any, sale: Any, left: Any, unmatched: int,
    returned: int,
) -> None:  # fmt: skip
    for c in range(len(start) - 1):
        some = False
        for line in range(start[c], start[c + 1]):
            if kind[line] == 1 and (bits[line] & _OUT) == 0:
                some = True
                if sale[line] < 0:
                    bits[line] |= unmatched
        i = start[c]
        while some and i < start[c + 1]:
            j, sold, gone = i, 0, 0
            while j < start[c + 1] and receipt[j] == receipt[i] and day[j] == day[i]:
                sold += left[j] >= 0
                gone += left[j] == 0
                j += 1
            if sold > 0 and gone == sold:
                for line in range(i, j):
                    if left[line] >= 0:
                        bits[line] |= returned
            i = j
        for line in range(start[c], start[c + 1]):
            if some and sale[line] >= 0 and bits[sale[line]] & returned:
                bits[line] |= returned


def match_returns(
    start: NDArray[np.int64], receipt: NDArray[np.uint64], item: NDArray[np.int32],
    quantity: NDArray[np.int64], money: NDArray[np.int64], kind: NDArray[np.int8],
    bits: NDArray[np.int32],
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """For each return the sale that it takes back.

    A return looks among the earlier sales of the same customer and item that have enough pieces
    left: the same receipt first, then the latest of the same quantity, then the latest. Where the
    log names no items, an amount not below the return's takes the place of the item.

    Parameters
    ----------
    start : (customers + 1,) int64
        Customer *c* owns lines ``start[c]`` to ``start[c + 1]``, in order of day and receipt.
    receipt, item, quantity, money, kind, bits : (n,)
        As in :class:`~sortija.core.ledger.log.Log`; ``item`` −1 where none is named.

    Returns
    -------
    sale : (n,) int64
        Place of the sale of each return; ``NO_SALE`` for other lines and unmatched returns.
    left : (n,) int64
        Thousandths of pieces of each sale line that nobody brought back; −1 for other lines.
    """
    sale, left = np.full(len(receipt), NO_SALE, np.int64), np.full(len(receipt), -1, np.int64)
    _match(start, receipt, item, quantity, money, kind, bits, sale, left)
    return sale, left


def return_bits(
    start: NDArray[np.int64], day: NDArray[np.int32], receipt: NDArray[np.uint64],
    kind: NDArray[np.int8], bits: NDArray[np.int32], sale: NDArray[np.int64],
    left: NDArray[np.int64],
) -> NDArray[np.int32]:  # fmt: skip
    """``bits`` with *unmatched* and *returned*, from what :func:`match_returns` found."""
    out = bits.copy()
    _mark(start, day, receipt, kind, out, sale, left, BIT["unmatched"], BIT["returned"])
    return out


def settle_returns(
    lines: dict[str, NDArray[Any]], start: NDArray[np.int64], on_sale_day: bool
) -> dict[str, NDArray[Any]]:
    """Ordered lines of whole customers with what their returns tell.

    Parameters
    ----------
    lines
        Columns of a log by name, ordered as ``start`` says; ``item`` among them.
    on_sale_day : bool
        Whether a return with a sale is told on the day and receipt of that sale.
    """
    sale, left = match_returns(
        start, lines["receipt"], lines["item"], lines["quantity"], lines["money"], lines["kind"],
        lines["bits"],
    )  # fmt: skip
    bits = return_bits(
        start, lines["day"], lines["receipt"], lines["kind"], lines["bits"], sale, left
    )
    out = {**lines, "bits": bits}
    if not on_sale_day:
        return out
    told = np.where(sale >= 0, sale, np.arange(len(sale)))
    out["day"], out["receipt"] = lines["day"][told], lines["receipt"][told]
    owner = np.repeat(np.arange(len(start) - 1), np.diff(start))
    order = np.lexsort((out["receipt"], out["day"], owner))
    return {name: values[order] for name, values in out.items()}
