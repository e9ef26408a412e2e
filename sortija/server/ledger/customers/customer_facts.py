"""What is told of one customer beside receipts: cards, ids, traits with their past, offers."""

from __future__ import annotations

import numpy as np
from django.db.models import Max
from pydantic import BaseModel

from sortija.core import table
from sortija.core.calendar import date_of
from sortija.server.ledger.customers.opt_outs import opt_outs_of
from sortija.server.ledger.customers.traits import (
    Snapshot,
    Trait,
    label_of,
    snapshots_of,
    trait_column,
    traits_of,
    words_of_values,
)
from sortija.server.ledger.models import Card, CardId, Correction
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Study

__all__ = [
    "CardRow",
    "OfferTold",
    "TraitHistory",
    "cards_told",
    "offers_told",
    "traits_revision",
    "traits_told",
]


class CardRow(BaseModel):
    """One card of a customer, and its other names by the column that tells them."""

    number: int
    code: str
    ids: dict[str, str]


class TraitAt(BaseModel):
    """What the table of a day said; nothing where it did not name the customer."""

    day: str
    value: str


class Corrected(BaseModel):
    """A value corrected by hand, or by the customer's own word (``person``: by what way)."""

    value: str
    person: str
    day: str


class TraitHistory(BaseModel):
    """One trait: what it is now, what each customer table said, newest first, and corrections.

    ``levels``: what it can be, empty for numbers and dates; ``words``: what those of them are
    called that were given words.
    """

    key: str
    name: str
    unit: str
    now: str
    levels: list[str]
    words: dict[str, str]
    told: list[TraitAt]
    corrected: list[Corrected]


class OfferTold(BaseModel):
    """An offer that the customer received, and whether it was taken."""

    name: str
    answer: str


def cards_told(study: Study, numbers: list[int]) -> list[CardRow]:
    """The cards with these numbers; those of an erased person have no code."""
    ids: dict[int, dict[str, str]] = {}
    for card, name, text in (
        CardId.objects.filter(study=study, card__in=numbers)
        .order_by("id")
        .values_list("card", "name", "text")
    ):
        ids.setdefault(card, {})[label_of(name)] = text
    rows = Card.objects.filter(study=study, number__in=numbers).order_by("number")
    return [CardRow(number=r.number, code=r.code, ids=ids.get(r.number, {})) for r in rows]


def traits_revision(study: Study, cards: list[int]) -> int:
    """What a change of a trait of these cards' customer is a change of: the newest correction
    that holds, 0 while there is none."""
    held = Correction.objects.filter(study=study, card__in=cards, held=True)
    return held.aggregate(newest=Max("pk"))["newest"] or 0


def traits_told(study: Study, customer: int, cards: list[int]) -> list[TraitHistory]:
    """Every trait of a customer, as it is now and as it was told before."""
    snapshots = snapshots_of(study)
    fixed: dict[str, list[Corrected]] = {}
    rows = Correction.objects.filter(study=study, card__in=cards, held=True)
    for row in rows.select_related("person").order_by("-id"):
        who = row.person
        name = (who.get_full_name() or who.username) if who else "somebody"
        fixed.setdefault(row.trait, []).append(
            Corrected(value=row.value, person=name, day=row.made_at.date().isoformat())
        )
    gone = [
        Corrected(value="no", person=f"the customer, {row.words}", day=row.at.date().isoformat())
        for row in opt_outs_of(study, cards)
    ]
    return [
        TraitHistory(
            key=trait.name, name=trait.label, unit=trait.unit,
            now=_value(trait_column(study, trait), customer), levels=list(trait.levels),
            words=words_of_values(study, trait.name),
            told=_told(snapshots, trait, cards),
            corrected=[*(gone if trait.opted_out else []), *fixed.get(trait.name, [])],
        )
        for trait in traits_of(study)
    ]  # fmt: skip


def _told(snapshots: list[Snapshot], trait: Trait, cards: list[int]) -> list[TraitAt]:
    out = []
    for snapshot in reversed(snapshots):
        row = snapshot.columns.get(f"trait:{trait.name}")
        if row is not None:
            column = read_column(row)
            said = next((v for card in cards if (v := _value(column, card))), "")
            out.append(TraitAt(day=snapshot.day.isoformat(), value=said))
    return out


def offers_told(study: Study, cards: list[int]) -> list[OfferTold]:
    """Offers that any table says the customer received."""
    out: dict[str, str] = {}
    for snapshot in reversed(snapshots_of(study)):
        for name, row in snapshot.columns.items():
            if name.startswith("offer:") and name not in out:
                column = read_column(row)
                answer = next((v for card in cards if (v := _value(column, card))), "")
                if answer:
                    out[name] = answer
    return [OfferTold(name=label_of(n.removeprefix("offer:")), answer=a) for n, a in out.items()]


def _value(column: table.Column, number: int) -> str:
    """One value as text; empty where it is missing."""
    if number >= len(column):
        return ""
    value = column.values[number]
    if column.kind == "category":
        return column.levels[int(value) - 1] if value else ""
    if np.isnan(value):
        return ""
    if column.unit == "date":
        return date_of(int(value)).isoformat()
    return f"{value:g}"
