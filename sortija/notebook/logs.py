"""Transaction logs in a notebook: read once, derived for any window."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import pyarrow as pa

from sortija.cli.derive import measures_table
from sortija.cli.engines import engine_for
from sortija.cli.log_options import names_of, read_ledger
from sortija.cli.logs import Ledger, Members
from sortija.cli.terminal import Trouble
from sortija.core.calendar import date_of
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.measures.derive import derive as derive_measures
from sortija.core.measures.window import Window
from sortija.notebook.progress import Bar

__all__ = ["ReadLog", "derive", "read_log"]

_ROLES = (
    "customer", "receipt", "when", "time", "amount", "quantity", "price", "kind", "department",
    "item", "site", "channel", "cost", "currency", "offer",
)  # fmt: skip


@dataclass(frozen=True)
class ReadLog:
    """A log in memory, and the customers' table beside it; ``files``: what was read how."""

    ledger: Ledger
    members: Members | None

    @property
    def first_day(self) -> date:
        return date_of(self.ledger.log.first_day(_mask()))

    @property
    def last_day(self) -> date:
        """The last day with a line that counts."""
        return date_of(self.ledger.log.last_day(_mask()))

    @property
    def files(self) -> tuple[dict[str, object], ...]:
        return self.ledger.files

    def __len__(self) -> int:
        return len(self.ledger.log)

    def __repr__(self) -> str:
        columns = "; ".join(
            f"{Path(str(each['file'])).name}: "
            + ", ".join(f"{role} {name}" for role, name in dict(each["columns"]).items())  # type: ignore[call-overload]
            for each in self.files
        )
        return (
            f"{len(self):,} lines of {len(self.ledger.reader.cards):,} customers, "
            f"{self.first_day:%d %b %Y} to {self.last_day:%d %b %Y}\n{columns}"
        )


def _mask() -> int:
    return mask_of(default_rules())


def read_log(
    *paths: str | Path, members: str | Path | None = None, heads: str | Path | None = None,
    zone: str = "Europe/London", month_first: bool | None = None, **columns: str,
) -> ReadLog:  # fmt: skip
    """Read transaction logs, columns guessed by how they behave.

    Parameters
    ----------
    members : a table of customers; heads : heads of the receipts, where a log has lines only
    zone : for stamps with an offset
    columns : role and column where the guess is wrong, such as ``customer="card"``

    Raises
    ------
    Trouble
        A file cannot be read, or a role is none.

    >>> from importlib.resources import files
    >>> log = read_log(files("sortija.demo.small") / "log.csv")
    >>> len(log), log.last_day.isoformat()
    (9741, '2026-06-30')
    """
    odd = next((name for name in columns if name not in _ROLES), None)
    if odd is not None:
        raise Trouble(f"{odd} is no role of a column. Roles are {', '.join(_ROLES)}.")
    if not paths:
        raise Trouble("Name at least one log.")
    asked = argparse.Namespace(
        **{**dict.fromkeys(_ROLES), **columns}, zone=zone, month_first=month_first,
        heads=None if heads is None else Path(heads),
        members=None if members is None else Path(members),
    )  # fmt: skip
    watch = Bar()
    try:
        ledger, own = read_ledger(asked, [Path(path) for path in paths], watch)
    finally:
        watch.clear()
    return ReadLog(ledger, own)


def derive(
    log: ReadLog | str | Path, as_of: date | None = None, window: int | None = 12
) -> pa.Table:
    """One row per customer with a purchase in the window: recency, frequency, monetary and more.

    Parameters
    ----------
    as_of : the window's last day, included; the log's last where none is given
    window : months to look back, None for the whole log

    Raises
    ------
    Trouble
        No line counts.

    >>> from importlib.resources import files
    >>> table = derive(files("sortija.demo.small") / "log.csv")
    >>> table.column_names[:4]
    ['customer', 'recency', 'frequency', 'monetary']
    """
    read = log if isinstance(log, ReadLog) else read_log(log)
    ledger, mask = read.ledger, _mask()
    newest = ledger.log.last_day(mask)
    if newest < 0:
        raise Trouble("No line counts: look at .files of the log for how it was read.")
    watch = Bar()
    engine = engine_for(watch)
    try:
        derived = derive_measures(
            ledger.log, Window(as_of or date_of(newest), window), mask, ledger.scale,
            names_of(ledger), read.members.joined if read.members else None, engine, watch,
        )  # fmt: skip
    finally:
        engine.release()
        watch.clear()
    return measures_table(ledger, derived, read.members)
