"""One customer's page: cards, traits with their history, every receipt with every line."""

from __future__ import annotations

import math

import numpy as np
from django.http import Http404
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import season_of_month
from sortija.core.ledger.counting import KINDS, Kind
from sortija.core.ledger.lines import NO_COST
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import ON_OFFER, deciding_rule
from sortija.core.measures.column_layout import Names, share_slots
from sortija.core.measures.explanations import Visit
from sortija.server.ledger.customers.customer_facts import (
    CardRow,
    OfferTold,
    TraitHistory,
    cards_told,
    offers_told,
    traits_revision,
    traits_told,
)
from sortija.server.ledger.customers.owners import owners_of
from sortija.server.ledger.models import Card, Code, UnreadCell
from sortija.server.ledger.store.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.ledger.store.stored_lines import stored_lines
from sortija.server.studies.models import Study

__all__ = ["CustomerPage", "CustomerReceipt", "customer_page", "receipts_told", "visits_of"]

MOST_RECEIPTS = 400


class CustomerLine(BaseModel):
    """One line; ``reason``: the rule that sets it aside, empty where it counts."""

    number: int
    file: int
    item: str
    department: str
    quantity: float
    money: int
    kind: str
    reason: str
    unread: dict[str, str]


class CustomerReceipt(BaseModel):
    """Lines of one receipt; ``money``: of those that count; ``purchase``: any sale among them."""

    key: str
    day: str
    time: str
    site: str
    channel: str
    money: int
    purchase: bool
    lines: list[CustomerLine]


class CustomerPage(BaseModel):
    """``receipts``: newest first; ``left_out``: older ones beyond the page; ``total``: all.

    ``number``: the customer's own, whichever of the cards was asked for; ``revision``: of the
    ownership of cards, for the next change; ``traits_revision``: of the traits corrected by hand.
    """

    number: int
    name: str
    erased: bool
    cards: list[CardRow]
    revision: int
    address: str
    offers: list[OfferTold]
    traits: list[TraitHistory]
    traits_revision: int
    receipts: list[CustomerReceipt]
    total: int
    left_out: int
    first: str
    last: str
    rules: dict[str, str]


def _places(lines: Lines, number: int) -> slice:
    start = lines.log.start
    if not 0 <= number < len(start) - 2:
        return slice(0, 0)
    return slice(int(start[number]), int(start[number + 1]))


def _receipt_places(lines: Lines, number: int) -> list[NDArray[np.int64]]:
    """Places of a customer's lines in the ordered log, one array a receipt, oldest first."""
    mine = _places(lines, number)
    receipt, day = lines.log.receipt[mine], lines.log.day[mine]
    edges = np.flatnonzero((receipt[1:] != receipt[:-1]) | (day[1:] != day[:-1])) + 1
    return [p for p in np.split(np.arange(mine.start, mine.stop), edges) if len(p)]


def visits_of(study: Study, ledger: Ledger, number: int, names: Names) -> list[Visit]:
    """Receipts of a customer as the measures see them: lines that do not count are left out."""
    lines = ledger.lines()
    log = lines.log
    shares = share_slots(names)
    out = []
    for receipt in _receipt_places(lines, number):
        places = receipt[log.counts(ledger.mask, receipt)]
        sale = log.sales(ledger.mask, places)
        money = log.money[places]
        sold = {names.departments[d] for d in log.department[places][sale] if d >= 0}
        day = int(log.day[receipt[0]])
        out.append(
            Visit(
                int(log.receipt[receipt[0]]), day, int(money[sale].sum()), int(money[~sale].sum()),
                int(sale.sum()), frozenset(sold), len(places),
                int((log.kind[places] == Kind.RETURN).sum()),
                _margin(log, places, names), _parts(log, places[sale], day, shares),
            )
        )  # fmt: skip
    return out


def _margin(log: Log, places: NDArray[np.int64], names: Names) -> int | None:
    """What a receipt's lines earn; None where one has neither a cost nor a rate."""
    total = 0
    for place in places.tolist():
        money, department = int(log.money[place]), int(log.department[place])
        cost = NO_COST if log.cost is None else int(log.cost[place])
        rate = names.rates[department] if names.rates else math.nan
        if cost != NO_COST:
            total += money - cost
        elif math.isnan(rate):
            return None
        else:
            total += int(np.rint(money * rate))
    return total


def _parts(
    log: Log, sales: NDArray[np.int64], day: int, shares: dict[tuple[str, int], str]
) -> dict[str, int]:
    """Gross sales of a receipt's lines by the shares that they belong to."""
    out: dict[str, int] = {}
    month = int(np.datetime64(day, "D").astype("M8[M]").astype(int)) % 12 if day >= 0 else 0
    for place in sales.tolist():
        of = [
            ("department", int(log.department[place])), ("channel", int(log.channel[place])),
            ("site", int(log.site[place])), ("season", int(season_of_month(month))),
            ("weekday", (day + 3) % 7), ("weekend", int((day + 3) % 7 >= 5)),
            ("on_offer", int(bool(log.bits[place] & ON_OFFER))),
        ]  # fmt: skip
        for key in of:
            if key in shares:
                out[shares[key]] = out.get(shares[key], 0) + int(log.money[place])
    return out


def customer_page(study: Study, number: int) -> CustomerPage:
    """Everything about one customer; Http404 where there is none."""
    owners = owners_of(study)
    if not 0 <= number < len(owners.of):
        raise Http404("There is no such customer here.")
    number = int(owners.of[number])
    numbers = owners.cards_of(number)
    cards = cards_told(study, numbers)
    addresses = Card.objects.filter(study=study, number__in=numbers).exclude(address="")
    ledger = ledger_of(study)
    receipts: list[CustomerReceipt] = []
    total = 0
    if ledger is not None and ledger.built:
        receipts, total = _receipts(study, ledger, number)
    dated = [receipt.day for receipt in receipts if receipt.day]
    name = next((card.code for card in cards if card.code), "")
    return CustomerPage(
        number=number, name=name or "An erased person", erased=not name, cards=cards,
        revision=owners.revision,
        address=addresses.values_list("address", flat=True).first() or "",
        traits=traits_told(study, number, numbers),
        traits_revision=traits_revision(study, numbers), offers=offers_told(study, numbers),
        receipts=receipts, total=total,
        left_out=max(0, total - len(receipts)),
        first=min(dated, default=""), last=max(dated, default=""),
        rules={rule.key: rule.name for rule in ledger.rules} if ledger else {},
    )  # fmt: skip


def _receipts(study: Study, ledger: Ledger, number: int) -> tuple[list[CustomerReceipt], int]:
    """The newest receipts, and how many there are in all."""
    groups = _receipt_places(ledger.lines(), number)[::-1]
    return receipts_told(study, ledger, groups[:MOST_RECEIPTS]), len(groups)


def receipts_told(
    study: Study, ledger: Ledger, groups: list[NDArray[np.int64]]
) -> list[CustomerReceipt]:
    """Receipts with every line; ``groups``: the places of each one's lines in the ordered log."""
    lines = ledger.lines()
    places = np.concatenate(groups) if groups else np.zeros(0, np.int64)
    rows = stored_lines(ledger, places)
    items = dict(
        Code.objects.filter(
            study=study, kind="item", number__in={r.item for r in rows.values()}
        ).values_list("number", "text")
    )
    names = {kind: (*texts(study, kind), "") for kind in ("site", "channel", "department")}
    unread = _unread(lines, places)
    rules = ledger.rules
    decides = deciding_rule(lines.log.bits[places], ledger.mask, rules)
    reason = dict(zip(places.tolist(), decides.tolist(), strict=True))
    out = []
    for group in groups:
        first = rows[int(group[0])]
        dated = first.day.year >= 1970
        told = []
        for place in group.tolist():
            row = rows[place]
            why = reason[place]
            told.append(CustomerLine(
                number=row.number, file=row.intake, item=items.get(row.item, ""),
                department=names["department"][row.department], quantity=row.quantity / 1000,
                money=int(lines.log.money[place]), kind=KINDS[row.kind],
                reason=rules[why].key if why >= 0 else "",
                unread=unread.get((row.intake, row.number), {}),
            ))  # fmt: skip
        told.sort(key=lambda line: (line.file, line.number))
        out.append(CustomerReceipt(
            key=f"{int(lines.log.receipt[group[0]]):016x}",
            day=first.day.isoformat() if dated else "",
            time=f"{first.second // 3600:02d}:{first.second % 3600 // 60:02d}" if dated else "",
            site=names["site"][first.site], channel=names["channel"][first.channel],
            money=sum(line.money for line in told if not line.reason),
            purchase=dated and bool(lines.log.sales(ledger.mask, group).any()),
            lines=told,
        ))  # fmt: skip
    return out


def _unread(lines: Lines, places: np.ndarray) -> dict[tuple[int, int], dict[str, str]]:
    intakes = {int(lines.intake[p]) for p in places}
    wanted = [int(lines.number[p]) for p in places]
    out: dict[tuple[int, int], dict[str, str]] = {}
    for cell in UnreadCell.objects.filter(intake__in=intakes, line__in=wanted):
        out.setdefault((cell.intake_id, cell.line), {})[cell.role] = cell.text
    return out
