"""Whether a file is a log of purchases or a table that names each customer once."""

from __future__ import annotations

import pyarrow as pa

from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.sample import LogSample

__all__ = ["is_log"]

#: Rows from which on it tells something that no customer comes twice.
_LEAST_ROWS = 5


def is_log(rows: pa.RecordBatch, mapping: LogMapping) -> bool:
    """Whether a file tells of purchases: dated amounts of customers, or of receipts.

    A table that names every customer once is none, though it may have amounts and a date: what
    they spent in all, and when they came last.

    >>> rows = pa.RecordBatch.from_pydict({
    ...     "name": ["A", "B", "C", "D", "E"], "recency": ["3", "40", "12", "9", "7"],
    ...     "monetary": ["12.50", "80.10", "7.25", "99.00", "14.10"]})
    >>> from sortija.core.ledger.guessing import guess_log
    >>> is_log(rows, guess_log(rows)[0])
    False
    """
    roles = mapping.roles
    if not {"money", "price"} & set(roles) or not {"moment", "receipt"} & set(roles):
        return False
    sample = LogSample.of(rows)
    count = sample.rows.num_rows

    def once(role: str) -> bool:
        return role in roles and sample.codes(roles[role])[1] == count

    return not (once("customer") and count >= _LEAST_ROWS and not once("receipt"))
