"""What a file can be: for each, how it is guessed, mapped, and which roles its columns play."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import pyarrow as pa

from sortija.core.formats.geojson import AreaRows
from sortija.core.formats.rows import RowsFile
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.log_or_table import is_log
from sortija.core.ledger.mapping import LOG_ROLES, Guess, LogMapping, MappingError
from sortija.core.ledger.members import TRAIT_TYPES, MemberMapping, guess_members
from sortija.core.ledger.offers import (
    AreaMapping,
    OfferMapping,
    ResponseMapping,
    guess_areas,
    guess_offers,
    guess_responses,
)
from sortija.server.ledger.customers.traits import traits_of
from sortija.server.ledger.models import Card, Intake
from sortija.server.studies.models import Study

__all__ = [
    "Mapping",
    "guess_as",
    "guess_role",
    "known_cards",
    "known_values",
    "mapping_of",
    "roles_of",
]

Mapping = LogMapping | MemberMapping | ResponseMapping | OfferMapping | AreaMapping
_MAPPINGS: dict[str, Callable[..., Mapping]] = {
    Intake.LOG: LogMapping, Intake.MEMBERS: MemberMapping, Intake.RESPONSES: ResponseMapping,
    Intake.OFFERS: OfferMapping, Intake.AREAS: AreaMapping,
}  # fmt: skip


def mapping_of(role: str, mapping: dict[str, Any]) -> Mapping:
    """The mapping that a file of this role is read by.

    Raises
    ------
    MappingError
        It says things that no such file has.
    """
    try:
        return _MAPPINGS[role](**mapping)
    except TypeError as problem:
        raise MappingError(str(problem)) from problem


def roles_of(role: str) -> list[str]:
    """What a column of such a file can be."""
    if role == Intake.MEMBERS:
        return list(TRAIT_TYPES)
    named = {
        Intake.LOG: LOG_ROLES, Intake.RESPONSES: ResponseMapping.all,
        Intake.OFFERS: OfferMapping.all, Intake.AREAS: AreaMapping.all,
    }[role]  # fmt: skip
    return [*named, "out"]


def guess_role(study: Study, file: RowsFile, rows: pa.RecordBatch) -> str:
    """What a file is: outlines, offers or their answers, a log (customers come back, amounts),
    else a table that names each customer once."""
    if isinstance(file, AreaRows):
        return Intake.AREAS
    if guess_offers(rows) is not None:
        return Intake.OFFERS
    mapping, _ = guess_log(rows)
    if is_log(rows, mapping):
        return Intake.LOG
    if guess_responses(rows, lambda texts: known_cards(study, texts)) is not None:
        return Intake.RESPONSES
    told = {"receipt", "moment"} <= set(mapping.roles)
    return Intake.LOG if told and not {"money", "price"} & set(mapping.roles) else Intake.MEMBERS


def guess_as(study: Study, role: str, rows: pa.RecordBatch) -> tuple[Mapping, list[Guess]]:
    """Roles of a file's columns, guessed from its first rows."""
    if role == Intake.LOG:
        return guess_log(rows, lambda texts: known_cards(study, texts))
    if role == Intake.MEMBERS:
        return guess_members(rows)
    nothing = [Guess(name, "out", "nothing tells") for name in rows.schema.names]
    if role == Intake.RESPONSES:
        found = guess_responses(rows, lambda texts: known_cards(study, texts))
        return found or (ResponseMapping({}), nothing)
    if role == Intake.OFFERS:
        return guess_offers(rows) or (OfferMapping({}), nothing)
    return guess_areas(rows, lambda texts: known_values(study, texts)[1])


def known_cards(study: Study, texts: list[str]) -> float:
    """Share of these texts that are cards of the study."""
    found = Card.objects.filter(study=study, code__in=texts).count()
    return found / len(texts) if texts else 0.0


def known_values(study: Study, texts: list[str]) -> tuple[str, float]:
    """The trait that has most of these texts among its values, and their share."""
    best = ("", 0.0)
    for trait in traits_of(study):
        if trait.levels and texts:
            share = len(set(texts) & set(trait.levels)) / len(set(texts))
            if share > best[1]:
                best = (trait.name, share)
    return best


def as_json(mapping: Mapping) -> dict[str, Any]:
    """A mapping as an intake keeps it."""
    return asdict(mapping)
