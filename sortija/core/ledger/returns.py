"""Returns find the sale that they take back."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.counting import Kind, counts, is_sale
from sortija.core.ledger.rules import BIT

__all__ = ["NO_SALE", "match_returns", "return_bits", "settle_returns"]

NO_SALE = -1
#: Sales of one item that a return looks back over, so that a card which serves for thousands of
#: people costs no more than a line each.
LOOK_BACK = 64
#: Lines that it looks back over for them.
LOOK_LINES = 100_000
_DAY = 86_400
#: Lines that sell nothing, bring no goods, or do not count by themselves.
_OUT = sum(
    BIT[key]
    for key in ("no_date", "no_amount", "future", "currency", "void", "not_sale", "twice",
                "superseded", "negative")
)  # fmt: skip


@numba.njit(nogil=True, cache=True)
def _in_time(first: int, last: int, day: Any, second: Any, kind: Any) -> tuple[Any, Any]:
    """A customer's lines in order of time, and the time of each.

    A sale without a time of day comes first in its day and a return without one last, so that
    what is bought and brought back on one day meets.
    """
    when = np.empty(last - first, np.int64)
    for i in range(last - first):
        line = first + i
        late = kind[line] == Kind.RETURN and second[line] == 0
        when[i] = np.int64(day[line]) * _DAY + (_DAY - 1 if late else second[line])
    order = np.argsort(when, kind="mergesort")
    return order + first, when[order]


@numba.njit(nogil=True, cache=True)
def _find(
    line: Any, order: Any, end: int, receipt: Any, item: Any, quantity: Any, money: Any, left: Any
) -> int:
    """The best of the latest sales of this item: same receipt, then same size, then any."""
    wanted = abs(quantity[line])
    whole, part, seen = -1, -1, 0
    for at in range(end - 1, max(0, end - LOOK_LINES) - 1, -1):
        sale = order[at]
        if left[sale] <= 0 or item[sale] != item[line]:
            continue
        same = receipt[sale] == receipt[line]
        if same and sale > line:
            continue  # on one receipt what is brought back stands before what is taken instead
        seen += 1
        if seen > LOOK_BACK:
            break
        alike = item[line] >= 0 or money[sale] == abs(money[line])
        if left[sale] < wanted or not (alike or money[sale] > abs(money[line])):
            continue
        if same:
            return int(sale)
        if whole < 0 and alike and quantity[sale] == wanted and left[sale] == wanted:
            whole = sale
        if part < 0:
            part = sale
    return int(whole if whole >= 0 else part)


@numba.njit(nogil=True, cache=True)
def _match(
    start: Any, day: Any, second: Any, receipt: Any, item: Any, quantity: Any, money: Any,
    kind: Any, bits: Any, out: Any, left: Any,
) -> None:  # fmt: skip
    for c in range(len(start) - 1):
        some = False
        for line in range(start[c], start[c + 1]):
            some = some or (kind[line] == Kind.RETURN and counts(bits[line], _OUT))
            if not some and is_sale(kind[line], quantity[line]) and counts(bits[line], _OUT):
                left[line] = quantity[line]
        if not some:
            continue
        order, when = _in_time(start[c], start[c + 1], day, second, kind)
        begin = 0
        while begin < len(order):
            end = begin
            while end < len(order) and when[end] == when[begin]:
                line = order[end]
                if is_sale(kind[line], quantity[line]) and counts(bits[line], _OUT):
                    left[line] = quantity[line]
                end += 1
            for line in order[begin:end]:
                if kind[line] == Kind.RETURN and counts(bits[line], _OUT):
                    sale = _find(line, order, end, receipt, item, quantity, money, left)
                    if sale >= 0:
                        out[line] = sale
                        left[sale] -= abs(quantity[line])
            begin = end


@numba.njit(nogil=True, cache=True)
def _mark(
    start: Any, day: Any, receipt: Any, kind: Any, bits: Any, sale: Any, left: Any, unmatched: int,
    returned: int,
) -> None:  # fmt: skip
    for c in range(len(start) - 1):
        some = False
        for line in range(start[c], start[c + 1]):
            if kind[line] == Kind.RETURN and counts(bits[line], _OUT):
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
    start: NDArray[np.int64], day: NDArray[np.int32], second: NDArray[np.int32],
    receipt: NDArray[np.uint64], item: NDArray[np.int32], quantity: NDArray[np.int64],
    money: NDArray[np.int64], kind: NDArray[np.int8], bits: NDArray[np.int32],
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """For each return the sale that it takes back.

    A return looks among the earlier sales of the same customer and item that have enough pieces
    left: the same receipt first, then the latest of the same quantity, then the latest. Of one
    day, the time of day tells what is earlier; where there is none (second 0), sales are. Where
    the log names no items, an amount not below the return's takes the place of the item.

    Parameters
    ----------
    start : (customers + 1,) int64
        Customer *c* owns lines ``start[c]`` to ``start[c + 1]``, in order of day and receipt.
    day, second, receipt, item, quantity, money, kind, bits : (n,)
        As in :class:`~sortija.core.ledger.log.Log`; ``item`` −1 where none is named, ``second``
        of the day, 0 where the file tells no time.

    Returns
    -------
    sale : (n,) int64
        Place of the sale of each return; ``NO_SALE`` for other lines and unmatched returns.
    left : (n,) int64
        Thousandths of pieces of each sale line that nobody brought back; −1 for other lines.
    """
    sale, left = np.full(len(receipt), NO_SALE, np.int64), np.full(len(receipt), -1, np.int64)
    _match(start, day, second, receipt, item, quantity, money, kind, bits, sale, left)
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
        Columns of a log by name, ordered as ``start`` says; ``item`` and ``second`` among them.
    on_sale_day : bool
        Whether a return with a sale is told on the day and receipt of that sale.
    """
    sale, left = match_returns(
        start, lines["day"], lines["second"], lines["receipt"], lines["item"], lines["quantity"],
        lines["money"], lines["kind"], lines["bits"],
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
