"""Another population: the same log told by district, plan or any other trait of its customers."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.log import Log, order_lines
from sortija.core.table import Column

__all__ = ["roll_up"]


def roll_up(log: Log, trait: Column) -> Log:
    """The log owned by the levels of a category: measures of it are those of the levels.

    A level's purchases are those of its customers; lines of customers without a level, and lines
    without a customer, stay without an owner. Receipts stay apart, for a receipt has one customer.

    Parameters
    ----------
    trait : category of the log's customers; customers beyond its length have no level

    Raises
    ------
    ValueError
        The column is no category.
    """
    if trait.kind != "category":
        raise ValueError(f"{trait.name} is no category, so it has no levels to roll up to")
    levels = len(trait.levels)
    codes = np.asarray(trait.sized(log.customers).values, np.int64) - 1
    counts = np.diff(log.start)
    of_line: NDArray[np.int32] = np.repeat(np.append(codes, -1), counts).astype(np.int32)
    # Two customers may share per receipt's number on one day; their lines must not mix.
    order, start = order_lines(of_line, log.day, log.receipt, levels)
    moved = {
        f.name: np.asarray(getattr(log, f.name))[order]
        for f in fields(log)
        if f.name != "start" and getattr(log, f.name) is not None
    }
    return replace(log, start=start, **moved)
