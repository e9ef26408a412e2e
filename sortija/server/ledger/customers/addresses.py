"""Who can be written to: customers of whom any file told an address."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.server.bulk.copy import integers_of
from sortija.server.ledger.models import Card, Intake
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Population, Study
from sortija.server.studies.process_cache import remembered

__all__ = ["with_address"]


def with_address(study: Study, size: int) -> NDArray[np.bool_]:
    """(size,) who has an address; everyone where no file ever brought any."""
    found = _found(Keyed(_state(study), study))
    if not found.any():
        return np.ones(size, np.bool_)
    out = np.zeros(size, np.bool_)
    out[: len(found)] = found[:size]
    return out


def _state(study: Study) -> tuple[object, ...]:
    """All that addresses hang on: customer tables that were counted, and who was erased since."""
    tables = Intake.objects.filter(study=study, role=Intake.MEMBERS)
    population = Population.objects.get(study=study, name="customers")
    erased = Card.objects.filter(study=study).exclude(erased="")
    return (
        study.pk, population.size, population.version, erased.count(),
        tuple(tables.exclude(counted_at=None).order_by("id").values_list("token", flat=True)),
    )  # fmt: skip


@remembered
def _found(key: Keyed[Study]) -> NDArray[np.bool_]:
    cards = Card.objects.filter(study=key.value)
    numbers = integers_of(cards.exclude(address=""), "number")
    out = np.zeros(int(numbers.max(initial=-1)) + 1, np.bool_)
    out[numbers] = True
    out.setflags(write=False)
    return out
