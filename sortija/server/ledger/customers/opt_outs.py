"""Customers who asked not to be written to: whatever a table says, they have no consent."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

import numpy as np
from django.db.models import Q, QuerySet
from numpy.typing import NDArray

from sortija.server.ledger.customers.owners import owners_of
from sortija.server.ledger.models import Correction, OptOut
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.models import Study
from sortija.server.studies.request_cache import once

__all__ = ["NO", "YES", "opt_outs_of", "opted_out", "opted_out_cards", "take_opt_outs",
           "taken_back_by"]  # fmt: skip

#: How tables say yes and no to mail.
YES = frozenset({"yes", "y", "true", "1", "t"})
NO = frozenset({"no", "n", "false", "0", "f"})


def _standing(study: Study) -> QuerySet[OptOut]:
    """Those that were not taken back by a correction that still holds."""
    again = Q(taken_back__isnull=False, taken_back__held=True)
    return OptOut.objects.filter(study=study).exclude(again)


@once
def opted_out_cards(study: Study) -> tuple[int, ...]:
    """Every card of a customer who opted out, in order."""
    said = sorted(set(_standing(study).values_list("card", flat=True)))
    of = owners_of(study).of
    known = np.array([card for card in said if card < len(of)], np.int64)
    return tuple(np.flatnonzero(np.isin(of, of[known])).tolist()) if len(known) else ()


def opted_out(study: Study, size: int) -> NDArray[np.bool_]:
    """(size,) who opted out."""
    out = np.zeros(size, np.bool_)
    cards = [card for card in opted_out_cards(study) if card < size]
    out[cards] = True
    return out


def opt_outs_of(study: Study, cards: list[int]) -> list[OptOut]:
    """What the customer with these cards said, the newest first, as far as it stands."""
    return list(_standing(study).filter(card__in=cards).order_by("-at", "-id"))


def take_opt_outs(study: Study, said: Mapping[int, datetime], words: str) -> None:
    """Write down who opted out and when, by customer; the caller knows that it is news."""
    OptOut.objects.bulk_create(
        [OptOut(study=study, card=card, at=at, words=words[:120]) for card, at in said.items()],
        batch_size=5000,
    )


def taken_back_by(correction: Correction, cards: list[int]) -> None:
    """A consent that was given again by hand takes back what stands against it."""
    _standing(correction.study).filter(card__in=cards).update(taken_back=correction)


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    OptOut.objects.filter(study=study, card__in=numbers).delete()
