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
#: Lines that sell nothing, bring no goods, or do not count by themselves.
_OUT = sum(
    BIT[key]
    for key in ("no_date", "no_amount", "future", "currency", "void", "not_sale", "twice",
                "superseded", "negative")
)  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _find(
    line: Any, sales: Any, top: Any, receipt: Any, quantity: Any, money: Any, left: Any, item: Any
) -> int:
    """The best of the latest sales of this item: same receipt, then same size, then any."""
    wanted = abs(quantity[line])
    whole, part = -1, -1
    for back in range(min(top, LOOK_BACK)):
        sale = sales[top - 1 - back]
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
    start: Any, order: Any, receipt: Any, item: Any, quantity: Any, money: Any, kind: Any,
    bits: Any, out: Any, left: Any,
) -> None:  # fmt: skip
    longest = 0
    for c in range(len(start) - 1):
        longest = max(longest, start[c + 1] - start[c])
    sales = np.empty(longest + 1, np.int64)
    for c in range(len(start) - 1):
        top = 0
        for place in range(start[c], start[c + 1]):
            line = order[place]
            if place > start[c] and item[line] != item[order[place - 1]]:
                top = 0
            if bits[line] & _OUT:
                continue
            if kind[line] == 0 and quantity[line] > 0:
                left[line] = quantity[line]
                sales[top] = line
                top += 1
            elif kind[line] == 1:
                sale = _find(line, sales, top, receipt, quantity, money, left, item)
                if sale >= 0:
                    out[line] = sale
                    left[sale] -= abs(quantity[line])
                    while top > 0 and left[sales[top - 1]] == 0:
                        top -= 1


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
    owner = np.repeat(np.arange(len(start) - 1), np.diff(start))
    # Lines of one item stay in order of time.
    order = np.lexsort((np.arange(len(receipt)), item, owner))
    _match(start, order, receipt, item, quantity, money, kind, bits, sale, left)
    return sale, left


def return_bits(
    start: NDArray[np.int64], day: NDArray[np.int32], receipt: NDArray[np.uint64],
    kind: NDArray[np.int8], bits: NDArray[np.int32], sale: NDArray[np.int64],
    left: NDArray[np.int64],
) -> NDArray[np.int32]:  # fmt: skip
    """``bits`` with *unmatched* and *returned*, from what :func:`match_returns` found."""
    out = bits.copy()
    goods = (kind == 1) & (bits & _OUT == 0)
    out[goods & (sale == NO_SALE)] |= np.int32(BIT["unmatched"])
    if not len(day):
        return out
    edge = np.ones(len(day), np.bool_)
    edge[1:] = (receipt[1:] != receipt[:-1]) | (day[1:] != day[:-1])
    firsts = start[:-1][np.diff(start) > 0]
    edge[firsts] = True
    visit = np.cumsum(edge) - 1
    sold = left >= 0
    sales = np.bincount(visit[sold], minlength=visit[-1] + 1)
    gone = np.bincount(visit[sold & (left == 0)], minlength=visit[-1] + 1)
    wholly = (sales > 0) & (gone == sales)
    theirs = sold & wholly[visit]
    matched = np.flatnonzero(sale >= 0)
    theirs[matched[wholly[visit[sale[matched]]]]] = True
    out[theirs] |= np.int32(BIT["returned"])
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
