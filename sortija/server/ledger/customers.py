"""One customer's page: cards, traits with their history, every receipt with every line."""

from __future__ import annotations

import numpy as np
from django.http import Http404
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.ledger.lines import KINDS
from sortija.core.ledger.rules import deciding_rule
from sortija.core.measures.why import Visit
from sortija.server.ledger.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.ledger.models import Card, Code, Intake, Line, UnreadCell
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Column, Study

__all__ = ["CustomerPage", "customer_page", "visits_of"]

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
    """Lines of one receipt; ``total``: money of those that count; ``purchase``: any kept sale."""

    key: str
    day: str
    time: str
    site: str
    channel: str
    total: int
    purchase: bool
    lines: list[CustomerLine]


class TraitAt(BaseModel):
    """What the table of a day said; nothing where it did not name the customer."""

    day: str
    value: str


class TraitHistory(BaseModel):
    """One trait: what it is now, and what each customer table said, newest first."""

    name: str
    now: str
    told: list[TraitAt]


class CustomerPage(BaseModel):
    """``receipts``: newest first; ``left_out``: older ones beyond the page; ``total``: all."""

    number: int
    name: str
    cards: list[str]
    address: str
    traits: list[TraitHistory]
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


def visits_of(study: Study, ledger: Ledger, number: int) -> list[Visit]:
    """Receipts of a customer as the measures see them: lines that do not count are left out."""
    lines = ledger.lines()
    log, names = lines.log, texts(study, "department")
    out = []
    for receipt in _receipt_places(lines, number):
        places = receipt[(log.bits[receipt] & ledger.mask) == 0]
        sale = (log.kind[places] == 0) & (log.quantity[places] > 0)
        money = log.money[places]
        sold = {names[d] for d in log.department[places][sale] if d >= 0}
        out.append(
            Visit(
                int(log.receipt[receipt[0]]), int(log.day[receipt[0]]), int(money[sale].sum()),
                int(money[~sale].sum()), int(sale.sum()), frozenset(sold),
            )
        )  # fmt: skip
    return out


def customer_page(study: Study, number: int) -> CustomerPage:
    """Everything about one customer; Http404 where there is none."""
    cards = list(Card.objects.filter(study=study, number=number))
    if not cards:
        raise Http404("There is no such customer here.")
    ledger = ledger_of(study)
    receipts: list[CustomerReceipt] = []
    total = 0
    if ledger is not None and ledger.built:
        receipts, total = _receipts(study, ledger, number)
    dated = [receipt.day for receipt in receipts if receipt.day]
    return CustomerPage(
        number=number, name=cards[0].code, cards=[card.code for card in cards],
        address=next((card.address for card in cards if card.address), ""),
        traits=_traits(study, number), receipts=receipts, total=total,
        left_out=max(0, total - len(receipts)),
        first=min(dated, default=""), last=max(dated, default=""),
        rules={rule.key: rule.name for rule in ledger.rules} if ledger else {},
    )  # fmt: skip


def _receipts(study: Study, ledger: Ledger, number: int) -> tuple[list[CustomerReceipt], int]:
    """The newest receipts, and how many there are in all."""
    lines = ledger.lines()
    groups = _receipt_places(lines, number)[::-1]
    shown = groups[:MOST_RECEIPTS]
    places = np.concatenate(shown) if shown else np.zeros(0, np.int64)
    rows = _stored(lines, places)
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
    for group in shown:
        first = rows[int(group[0])]
        dated = first.day.year >= 1970
        told = []
        for place in group.tolist():
            row = rows[place]
            why = reason[place]
            told.append(CustomerLine(
                number=row.number, file=row.intake_id, item=items.get(row.item, ""),
                department=names["department"][row.department], quantity=row.quantity / 1000,
                money=row.money, kind=KINDS[row.kind], reason=rules[why].key if why >= 0 else "",
                unread=unread.get((row.intake_id, row.number), {}),
            ))  # fmt: skip
        told.sort(key=lambda line: (line.file, line.number))
        kept = [line for line in told if not line.reason]
        out.append(CustomerReceipt(
            key=f"{int(lines.log.receipt[group[0]]):016x}",
            day=first.day.isoformat() if dated else "",
            time=f"{first.second // 3600:02d}:{first.second % 3600 // 60:02d}" if dated else "",
            site=names["site"][first.site], channel=names["channel"][first.channel],
            total=sum(line.money for line in kept),
            purchase=dated and any(line.kind == "sale" and line.quantity > 0 for line in kept),
            lines=told,
        ))  # fmt: skip
    return out, len(groups)


def _stored(lines: Lines, places: np.ndarray) -> dict[int, Line]:
    """The stored line at each place of the ordered log."""
    keys = {(int(lines.intake[p]), int(lines.number[p])): int(p) for p in places}
    out: dict[int, Line] = {}
    for intake in {key[0] for key in keys}:
        wanted = [number for of, number in keys if of == intake]
        for row in Line.objects.filter(intake_id=intake, number__in=wanted):
            out[keys[(intake, row.number)]] = row
    return out


def _unread(lines: Lines, places: np.ndarray) -> dict[tuple[int, int], dict[str, str]]:
    intakes = {int(lines.intake[p]) for p in places}
    wanted = [int(lines.number[p]) for p in places]
    out: dict[tuple[int, int], dict[str, str]] = {}
    for cell in UnreadCell.objects.filter(intake__in=intakes, line__in=wanted):
        out.setdefault((cell.intake_id, cell.line), {})[cell.role] = cell.text
    return out


def _traits(study: Study, number: int) -> list[TraitHistory]:
    """What each counted customer table said of the customer, newest table first."""
    tables = Intake.objects.filter(study=study, role=Intake.MEMBERS, state=Intake.COUNTED)
    told: dict[str, list[TraitAt]] = {}
    for intake in tables.order_by("-id"):
        rows = Column.objects.filter(population__study=study, window=f"intake:{intake.pk}")
        for row in rows.order_by("id"):
            said = TraitAt(day=intake.received_on.isoformat(), value=_value(row, number))
            told.setdefault(row.name.removeprefix("trait:"), []).append(said)
    return [
        TraitHistory(name=name.replace("_", " ").capitalize(), now=said[0].value, told=said)
        for name, said in told.items()
    ]


def _value(row: Column, number: int) -> str:
    if number >= row.size:
        return ""
    column = read_column(row)
    value = column.values[number]
    if column.kind == "category":
        return column.levels[int(value) - 1] if value else ""
    if np.isnan(value):
        return ""
    return str(np.datetime64(int(value), "D")) if column.unit == "date" else f"{value:g}"
