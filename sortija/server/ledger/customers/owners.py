"""Which customer each card of a study belongs to, by hand and by tables of ids."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.owners import owners
from sortija.server.ledger.models import Intake
from sortija.server.studies.actions import read_setting
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Column, Population, Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import once

__all__ = ["NO_MERGES", "OWNER", "OWNERS", "Owners", "owners_of"]

OWNERS = "ledger.owners"
#: Column of a customer table that says which card is the first of the same person.
OWNER = "_owner"
#: ``together``: pairs of cards put together by hand; ``apart``: cards taken apart again.
NO_MERGES: dict[str, list[object]] = {"together": [], "apart": []}


@dataclass(frozen=True)
class Owners:
    """``of``: (cards,) the customer of each card, a card's own number where nothing is merged.

    ``stamp`` names just this ownership; empty while every card is a customer of its own.
    """

    of: NDArray[np.int32]
    stamp: str
    revision: int

    def cards_of(self, customer: int) -> list[int]:
        """Every card of a customer, in order."""
        return [int(card) for card in np.flatnonzero(self.of == customer)]


@once
def owners_of(study: Study) -> Owners:
    """The ownership as it stands: counted tables of ids, then what was done by hand."""
    merges, revision = read_setting(study, OWNERS, NO_MERGES)
    tables = Intake.objects.filter(study=study, role=Intake.MEMBERS, state=Intake.COUNTED)
    windows = [f"intake:{number}" for number in tables.values_list("pk", flat=True)]
    rows = list(
        Column.objects.filter(
            population__study=study, population__name="customers", window__in=windows, name=OWNER
        ).order_by("id")
    )
    size = Population.objects.get(study=study, name="customers").size
    there = bool(rows or merges["together"])
    stamp = fingerprint("owners", [r.fingerprint for r in rows], merges) if there else ""
    asked = _Asked(tuple(rows), tuple(map(tuple, merges["together"])), tuple(merges["apart"]))
    return Owners(_owners(Keyed((study.pk, size, stamp), asked), size), stamp, revision)


@dataclass(frozen=True)
class _Asked:
    rows: tuple[Column, ...]
    together: tuple[tuple[int, int], ...]
    apart: tuple[int, ...]


@remembered
def _owners(keyed: Keyed[_Asked], size: int) -> NDArray[np.int32]:
    asked = keyed.value
    pairs = list(asked.together)
    for row in asked.rows:
        first = np.asarray(read_column(row).values)
        card = np.flatnonzero(~np.isnan(first))
        pairs += zip(card.tolist(), first[card].astype(int).tolist(), strict=True)
    found = owners(size, pairs, asked.apart)
    found.flags.writeable = False
    return found
