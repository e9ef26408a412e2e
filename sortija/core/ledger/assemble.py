"""Put typed lines that fit into memory together as a log, every rule's bits set."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.lines import LineBatch
from sortija.core.ledger.log import Log, order_lines
from sortija.core.ledger.marks import AmountSpread, found_bits
from sortija.core.ledger.receipts import find_runs, repeated
from sortija.core.ledger.returns import settle_returns

__all__ = ["assemble"]

_COLUMNS = {
    "receipt": np.uint64, "content": np.uint64, "card": np.int32, "day": np.int32,
    "money": np.int64, "quantity": np.int64, "cost": np.int64, "kind": np.int8, "bits": np.int32,
    "item": np.int32, "department": np.int16, "site": np.int16, "channel": np.int16,
}  # fmt: skip


def assemble(
    batches: Sequence[LineBatch],
    customers: int,
    owner: NDArray[np.int32] | None = None,
    staff: NDArray[np.bool_] | None = None,
    on_sale_day: bool = False,
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
    on_sale_day : bool
        Whether returns are told on the day of their sale.
    """
    lines: dict[str, NDArray[Any]] = {
        name: np.concatenate([getattr(b, name) for b in batches]).astype(kind)
        if batches
        else np.zeros(0, kind)
        for name, kind in _COLUMNS.items()
    }
    runs = find_runs(lines["receipt"], lines.pop("content"))
    again = np.repeat(repeated(lambda: [(runs.key, runs.content)], len(runs)), runs.count)
    spread = AmountSpread()
    spread.add(lines["kind"], lines["money"], lines["bits"])
    theirs = np.zeros(customers, np.bool_) if staff is None else staff
    card = lines.pop("card")
    lines["bits"] = found_bits(lines["bits"], card, lines["money"], again, theirs, spread.fence())
    customer = card if owner is None else np.where(card < 0, card, owner[card]).astype(np.int32)
    order, start = order_lines(customer, lines["day"], lines["receipt"], customers)
    named = int(start[-2])
    theirs_only = {name: values[order[:named]] for name, values in lines.items()}
    settled = settle_returns(theirs_only, start[:-1], on_sale_day)
    whole = {
        name: np.concatenate([settled[name], values[order[named:]]])
        for name, values in lines.items()
    }
    del whole["item"]
    return Log(start=start, **whole)
