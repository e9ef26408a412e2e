"""The currency that a study counts in: chosen at the beginning, changed later."""

from __future__ import annotations

from functools import partial
from typing import Any

from django.db import transaction

from sortija.server.ledger.intake.actions import change_columns, count_intake
from sortija.server.ledger.models import Intake
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["choose_currency"]

MOST_LETTERS = 8


def choose_currency(study: Study, person: Any, present: str, wanted: str) -> None:
    """Count a study in another currency.

    Figures stay as they are and are told with the new sign. Which lines are set aside for naming
    another currency is another question then, so logs with a column of currencies are read again.

    Raises
    ------
    Problem
        No currency is written so.
    Conflict
        The study's currency is not ``present``: somebody changed it meanwhile.
    """
    chosen = wanted.strip()
    if not 1 <= len(chosen) <= MOST_LETTERS or any(c.isdigit() or c.isspace() for c in chosen):
        raise Problem(f"Write a currency by its sign or code, such as € or EUR: not “{wanted}”.")
    with changing(study):
        study.refresh_from_db(fields=["currency"])
        if study.currency != present:
            raise Conflict(f"Somebody changed the currency to {study.currency} meanwhile.")
        if chosen == present:
            return
        _set(study, chosen, person)
        record(study, person, "currency", f"Currency {chosen}", "currency", present, chosen)


def _set(study: Study, currency: str, person: Any) -> None:
    Study.objects.filter(pk=study.pk).update(currency=currency)
    study.currency = currency
    logs = Intake.objects.filter(study=study, role=Intake.LOG, state=Intake.COUNTED)
    for intake in logs.select_related("study", "original", "heads"):
        if "currency" in intake.mapping["roles"]:
            transaction.on_commit(partial(_read_again, intake, person))


def _read_again(intake: Intake, person: Any) -> None:
    count_intake(change_columns(intake), person)


@reverses("currency")
def _reverse_currency(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    study = entry.study
    if study.currency != there:
        raise Conflict(f"The currency is {study.currency} by now, so it stays so.")
    _set(study, wanted, entry.person)
