"""What commands that read transaction logs have in common."""

from __future__ import annotations

import argparse
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

from sortija.cli.logs import Ledger, Members, read_logs, read_members
from sortija.cli.terminal import Trouble, Watch
from sortija.core.ledger.rules import ON_OFFER
from sortija.core.measures.derive import Names

__all__ = ["a_day", "add_log_options", "months_back", "names_of", "read_ledger"]

_ROLES = {
    "customer": "the card or customer", "receipt": "the receipt's number", "when": "date and time",
    "time": "time of day, where it has a column of its own",
    "amount": "the line total", "quantity": "how many", "price": "the price of one",
    "kind": "sale, return or void", "department": "the department", "item": "the item",
    "site": "the shop", "channel": "till or web", "cost": "what the goods cost the shop",
    "currency": "the currency of a line", "offer": "what lines were sold on offer",
}  # fmt: skip
_SAID = {"when": "moment", "amount": "money"}


def add_log_options(parser: argparse.ArgumentParser) -> None:
    """Options that say how logs are to be read."""
    parser.add_argument("--members", type=Path, metavar="FILE", help="a table of customers")
    words = "heads of the receipts, where the log holds their lines only"
    parser.add_argument("--heads", type=Path, metavar="FILE", help=words)
    parser.add_argument("--zone", default="Europe/London", help="for stamps with an offset")
    order = parser.add_mutually_exclusive_group()
    order.add_argument("--day-first", dest="month_first", action="store_false", default=None)
    order.add_argument("--month-first", dest="month_first", action="store_true")
    group = parser.add_argument_group("columns, where the guess is wrong")
    for name, words in _ROLES.items():
        group.add_argument(f"--{name}", metavar="COLUMN", help=words)


def a_day(text: str) -> date:
    """A date as it is written: 2026-06-30."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text} is no date; write it as 2026-06-30") from None


def months_back(text: str) -> int | None:
    """Months of a look-back, None for all: 12m, or all."""
    if text == "all":
        return None
    digits = text.removesuffix("m")
    if not digits.isdigit() or not 1 <= int(digits) <= 1200:
        raise argparse.ArgumentTypeError(f"{text} is no look-back; write it as 12m, or all")
    return int(digits)


def read_ledger(
    asked: argparse.Namespace, logs: list[Path], watch: Watch
) -> tuple[Ledger, Members | None]:
    """The logs, and the table of customers where one is given; both have a row a customer."""
    chosen = {_SAID.get(n, n): getattr(asked, n) for n in _ROLES if getattr(asked, n)}
    try:
        ledger = read_logs(
            logs, chosen, asked.month_first, asked.zone, date.today(), watch, asked.heads
        )
    except ValueError as problem:
        raise Trouble(str(problem)) from problem
    cards = len(ledger.reader.cards)
    members = read_members(asked.members, ledger.reader, watch) if asked.members else None
    return _grown(ledger, len(ledger.reader.cards) - cards), members


def _grown(ledger: Ledger, more: int) -> Ledger:
    """The ledger with customers behind the others who have no lines."""
    start = ledger.log.start
    start = np.concatenate([start[:-1], np.full(more, start[-2]), start[-1:]])
    return replace(ledger, log=replace(ledger.log, start=start))


def names_of(ledger: Ledger) -> Names:
    """Labels for the numbers that lines carry."""
    return Names(
        tuple(ledger.reader.departments.texts), tuple(ledger.reader.channels.texts),
        on_offer=bool((ledger.log.bits & ON_OFFER).any()),
    )  # fmt: skip
