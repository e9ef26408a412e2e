"""What a person can do about customers: put cards together, put a trait right, erase somebody."""

from __future__ import annotations

import re
from datetime import date
from typing import Any

import numpy as np

from sortija.core.labels import within
from sortija.server.ledger.customers.customer_facts import traits_revision
from sortija.server.ledger.customers.erased_codes import digest_of
from sortija.server.ledger.customers.erased_originals import forget_in_originals
from sortija.server.ledger.customers.opt_outs import YES, taken_back_by
from sortija.server.ledger.customers.owners import NO_MERGES, OWNERS, owners_of
from sortija.server.ledger.customers.traits import TABLES, Trait, traits_of
from sortija.server.ledger.models import Card, CardId, Correction, Intake
from sortija.server.ledger.rules.actions import order_anew
from sortija.server.studies.actions import change_setting, changing, read_setting, record, reverses
from sortija.server.studies.columns import blank
from sortija.server.studies.erasure_hooks import forget_people
from sortija.server.studies.models import Column, HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["correct_trait", "erase_customer", "merge_cards", "part_card"]

MOST_MERGES = 20_000


def card_called(study: Study, code: str) -> Card:
    """The card with this code.

    Raises
    ------
    Problem
        404: there is none.
    """
    card = Card.objects.filter(study=study, code=code.strip()).exclude(code="").first()
    if card is None:
        raise Problem(f"No card is called “{code.strip()}” here.", 404)
    return card


def merge_cards(
    study: Study, person: Any, customer: int, code: str, expected: int | None = None
) -> int:
    """Put the card called ``code`` to a customer: one person holds both. Returns the customer."""
    own = card_called(study, code)
    owners = owners_of(study)
    if not 0 <= customer < len(owners.of):
        raise Problem("There is no such customer here.", 404)
    if owners.of[own.number] == owners.of[customer]:
        raise Problem(f"{own.code} belongs to this customer already.")
    with changing(study):
        merges, _ = read_setting(study, OWNERS, NO_MERGES)
        if len(merges["together"]) >= MOST_MERGES:
            raise Problem("Merge this many cards with a table of ids.")
        both = {own.number, customer}
        value = {
            "together": [*merges["together"], [customer, own.number]],
            "apart": [card for card in merges["apart"] if card not in both],
        }
        words = f"Merged card {own.code} with another"
        change_setting(study, person, OWNERS, value, words, NO_MERGES, expected)
    order_anew(study, person)
    return int(owners_of(study).of[customer])


def part_card(study: Study, person: Any, code: str, expected: int | None = None) -> int:
    """Take a card apart: it is a customer of its own again. Returns that customer."""
    own = card_called(study, code)
    owners = owners_of(study)
    if len(owners.cards_of(int(owners.of[own.number]))) == 1:
        raise Problem(f"{own.code} is a customer of its own already.")
    with changing(study):
        merges, _ = read_setting(study, OWNERS, NO_MERGES)
        value = {
            "together": [pair for pair in merges["together"] if own.number not in pair],
            "apart": sorted({*merges["apart"], own.number}),
        }
        words = f"Separated card {own.code} apart"
        change_setting(study, person, OWNERS, value, words, NO_MERGES, expected)
    order_anew(study, person)
    return int(owners_of(study).of[own.number])


def correct_trait(
    study: Study, person: Any, customer: int, name: str, value: str, expected: int
) -> Correction:
    """Put one customer's trait right by hand; empty says that it is not known.

    Raises
    ------
    Problem
        There is no such trait or customer, or the value is none of its kind.
    Conflict
        Somebody put a trait of this customer right since the person looked.
    """
    trait = next((t for t in traits_of(study) if t.name == name), None)
    if trait is None:
        raise Problem(f"No customer table has {name}.", 404)
    if not Card.objects.filter(study=study, number=customer).exclude(code="").exists():
        raise Problem("There is no such customer here.", 404)
    text = _checked(trait, value.strip())
    owners = owners_of(study)
    with changing(study):
        cards = owners.cards_of(int(owners.of[customer]))
        if traits_revision(study, cards) != expected:
            raise Conflict(
                "A trait of this customer was corrected since you loaded this page. The present "
                "state is shown; change it again if it is not what you want."
            )
        row = Correction.objects.create(
            study=study, card=customer, trait=name, value=text, person=person
        )
        if trait.type == "consent" and text.lower() in YES:
            taken_back_by(row, cards)
        record(
            study, person, "correct trait", f"Corrected {within(trait.label)} for one customer",
            f"correction:{row.pk}", False, True,
        )  # fmt: skip
    return row


def _checked(trait: Trait, text: str) -> str:
    if not text:
        return ""
    if len(text) > 200:
        raise Problem("A trait has at most 200 letters.")
    if trait.unit == "date":
        try:
            return date.fromisoformat(text).isoformat()
        except ValueError:
            raise Problem(f"“{text}” is no date. Write it as 2026-06-30.") from None
    if trait.kind == "number":
        try:
            number = float(text)
        except ValueError:
            number = np.nan
        if not np.isfinite(number):
            raise Problem(f"“{text}” is no number. Write it as 12.5.")
        return f"{number:g}"
    return text


@reverses("correct trait")
def _reverse_correction(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    number = int(entry.target.removeprefix("correction:"))
    if not Correction.objects.filter(pk=number, held=there).update(held=wanted):
        raise Conflict("This customer was erased since.")


def erase_customer(study: Study, person: Any, customer: int) -> int:
    """Erase a person for good: cards' codes, addresses, ids, traits, places on lists.

    Lines stay, under a blank card, so that no total changes. This cannot be undone. A job then
    writes the files that came in without the person. Returns how many cards were blanked.
    """
    owners = owners_of(study)
    if not 0 <= customer < len(owners.of):
        raise Problem("There is no such customer here.", 404)
    cards = owners.cards_of(int(owners.of[customer]))
    rows = list(Card.objects.filter(study=study, number__in=cards).exclude(code=""))
    if not rows:
        raise Problem("This customer is erased already.")
    codes = [row.code for row in rows]
    with changing(study):
        for row in rows:
            row.erased, row.code, row.address = digest_of(study, row.code), "", ""
        Card.objects.bulk_update(rows, ["code", "address", "erased"])
        CardId.objects.filter(study=study, card__in=cards).delete()
        Correction.objects.filter(study=study, card__in=cards).delete()
        _blank_traits(study, cards)
        forget_people(study, cards)
        _forget_in_history(study, codes)
        record(study, person, "erase", "Erased a person", "", None, None)
        forget_in_originals(study, person)
    return len(rows)


def _forget_in_history(study: Study, codes: list[str]) -> None:
    """What was done stays told, without the codes of those to whom it was done."""
    for code in codes:
        named = re.compile(rf"\bcard {re.escape(code)}(?!\w)")
        for entry in study.history.filter(words__contains=f"card {code}"):
            entry.words = named.sub("an erased card", entry.words)
            entry.save(update_fields=["words"])


def _blank_traits(study: Study, cards: list[int]) -> None:
    """No column of traits has a value for these cards any more."""
    tables = Intake.objects.filter(study=study, role__in=TABLES)
    windows = [f"intake:{pk}" for pk in tables.values_list("pk", flat=True)]
    for row in Column.objects.filter(population__study=study, window__in=windows):
        if not row.name.startswith("_"):
            blank(row, cards)
