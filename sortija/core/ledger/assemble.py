"""Put typed lines that fit into memory together as a log, every rule's bits set."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.flags import AmountSpread, found_bits
from sortija.core.ledger.lines import NO_COST, LineBatch
from sortija.core.ledger.log import Log, order_lines
from sortija.core.ledger.receipts import find_runs, repeated
from sortija.core.ledger.returns import settle_returns

__all__ = ["assemble"]

_COLUMNS = {
    "receipt": np.uint64, "content": np.uint64, "card": np.int32, "day": np.int32,
    "money": np.int64, "quantity": np.int64, "cost": np.int64, "kind": np.int8, "bits": np.int32,
    "item": np.int32, "second": np.int32, "department": np.int16, "site": np.int16,
    "channel": np.int16,
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
    costs = any(batch.cost is not None for batch in batches)
    lines: dict[str, NDArray[Any]] = {
        name: _column(batches, name, kind)
        for name, kind in _COLUMNS.items()
        if costs or name != "cost"
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
    with ThreadPoolExecutor(2) as pool:
        moved = pool.map(lambda name: (name, np.take(lines.pop(name), order)), list(lines))
        lines = dict(moved)
    settled = settle_returns(
        {name: values[:named] for name, values in lines.items()}, start[:-1], on_sale_day
    )
    for name, values in settled.items():
        if values.base is not lines[name]:
            lines[name][:named] = values
    del lines["item"], lines["second"]
    return Log(start=start, **lines)


def _column(batches: Sequence[LineBatch], name: str, kind: Any) -> NDArray[Any]:
    parts = [
        np.full(len(batch), NO_COST, np.int64) if values is None else values
        for batch in batches
        for values in [getattr(batch, name)]
    ]
    return np.concatenate(parts).astype(kind, copy=False) if parts else np.zeros(0, kind)
