"""Put typed lines that fit into memory together as a log, repeated receipts marked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.lines import LineBatch
from sortija.core.ledger.log import Log, order_lines
from sortija.core.ledger.receipts import find_runs, repeated
from sortija.core.ledger.rules import found_bits

__all__ = ["assemble"]


def assemble(
    batches: Sequence[LineBatch],
    customers: int,
    owner: NDArray[np.int32] | None = None,
    staff: NDArray[np.bool_] | None = None,
) -> Log:
    """One log from the batches of one file or of several, one after the other.

    Parameters
    ----------
    customers : int
        How many customers there are.
    owner : (cards,) int32, optional
        Customer of each card; without it every card is its own customer.
    staff : (cards,) bool, optional
        Which cards are staff's or a test's.
    """

    def column(name: str, kind: Any) -> NDArray[Any]:
        parts = [getattr(batch, name) for batch in batches]
        return np.concatenate(parts).astype(kind) if parts else np.zeros(0, kind)

    receipt = column("receipt", np.uint64)
    runs = find_runs(receipt, column("content", np.uint64))
    again = np.repeat(repeated(lambda: [(runs.key, runs.content)], len(runs)), runs.count)
    card, day, money = column("card", np.int32), column("day", np.int32), column("money", np.int64)
    theirs = np.zeros(customers, np.bool_) if staff is None else staff
    bits = found_bits(column("bits", np.int32), card, money, again, theirs)
    customer = card if owner is None else np.where(card < 0, card, owner[card]).astype(np.int32)
    order, start = order_lines(customer, day, receipt, customers)
    small = {name: column(name, np.int16)[order] for name in ("department", "site", "channel")}
    return Log(
        start=start,
        day=day[order],
        receipt=receipt[order],
        quantity=column("quantity", np.int64)[order],
        money=money[order],
        kind=column("kind", np.int8)[order],
        bits=bits[order],
        **small,
    )
