"""One receipt's page: its lines wherever they came from, and what was returned of them."""

from __future__ import annotations

import numpy as np
from django.http import Http404
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.ledger.returns import match_returns
from sortija.server.ledger.customers.page import CustomerReceipt, receipts_told
from sortija.server.ledger.models import Card
from sortija.server.ledger.store.ledger import Ledger, Lines, ledger_of
from sortija.server.studies.models import Study

__all__ = ["ReceiptPage", "receipt_page"]


class ReceiptPart(BaseModel):
    """The lines of one customer on the receipt; ``customer`` nothing where no card was shown."""

    customer: int | None
    name: str
    receipt: CustomerReceipt


class ReturnLink(BaseModel):
    """A return and its sale: (file, row) of each, and the other receipt to look at."""

    sale_file: int
    sale_row: int
    return_file: int
    return_row: int
    sale_receipt: str
    return_receipt: str
    return_day: int


class ReceiptPage(BaseModel):
    """``parts``: one per customer, hardly ever more than one; ``files``: names by number."""

    key: str
    parts: list[ReceiptPart]
    returns: list[ReturnLink]
    files: dict[int, str]
    rules: dict[str, str]


def receipt_page(study: Study, key: str) -> ReceiptPage:
    """Everything about the receipt with this key (16 hexadecimal digits); Http404 without one."""
    ledger = ledger_of(study)
    try:
        wanted = np.uint64(int(key, 16))
    except (ValueError, OverflowError):
        raise Http404("There is no such receipt here.") from None
    if ledger is None or not ledger.built:
        raise Http404("There is no such receipt here.")
    lines = ledger.lines()
    places = np.flatnonzero(lines.log.receipt == wanted)
    if not len(places):
        raise Http404("There is no such receipt here.")
    owner = np.searchsorted(lines.log.start, places, side="right") - 1
    parts, returns = [], []
    for customer in np.unique(owner).tolist():
        mine = places[owner == customer]
        named = customer < ledger.customers
        (told,) = receipts_told(study, ledger, [mine])
        card = Card.objects.filter(study=study, number=customer).first() if named else None
        name = (card.code or "An erased person") if card else ""
        parts.append(ReceiptPart(customer=customer if named else None, name=name, receipt=told))
        if named:
            returns += _returns(lines, customer, mine)
    return ReceiptPage(
        key=key, parts=parts, returns=returns, files=_files(ledger),
        rules={rule.key: rule.name for rule in ledger.rules},
    )  # fmt: skip


def _files(ledger: Ledger) -> dict[int, str]:
    return {intake.pk: intake.original.name for intake in ledger.intakes}


def _returns(lines: Lines, customer: int, mine: NDArray[np.int64]) -> list[ReturnLink]:
    """Returns of this customer that begin or end on the receipt."""
    log = lines.log
    first, last = int(log.start[customer]), int(log.start[customer + 1])
    block = slice(first, last)
    sale, _ = match_returns(
        np.array([0, last - first]), log.day[block], lines.second[block], log.receipt[block],
        lines.item[block], log.quantity[block], log.money[block], log.kind[block], log.bits[block],
    )  # fmt: skip
    here = set((mine - first).tolist())
    out = []
    for back in np.flatnonzero(sale >= 0).tolist():
        sold = int(sale[back])
        if back in here or sold in here:
            out.append(ReturnLink(
                sale_file=int(lines.intake[first + sold]),
                sale_row=int(lines.number[first + sold]),
                return_file=int(lines.intake[first + back]),
                return_row=int(lines.number[first + back]),
                sale_receipt=f"{int(log.receipt[first + sold]):016x}",
                return_receipt=f"{int(log.receipt[first + back]):016x}",
                return_day=int(log.day[first + back]),
            ))  # fmt: skip
    return out
