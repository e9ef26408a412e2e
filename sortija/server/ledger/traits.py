"""Traits of customers: the newest counted customer table's columns."""

from __future__ import annotations

from dataclasses import dataclass

from sortija.core.table import Column
from sortija.server.ledger.models import Card, Intake
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields, names_customers
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Population, Study
from sortija.server.studies.windows import WindowInView

__all__ = ["Trait", "joined_trait", "trait_column", "traits_of"]


@dataclass(frozen=True)
class Trait:
    """One trait: its name, its type as mapped, and the column that holds it."""

    name: str
    type: str
    row: models.Column


def traits_of(study: Study) -> list[Trait]:
    """Every trait of the newest counted customer table, in its columns' order."""
    newest = (
        Intake.objects.filter(study=study, role=Intake.MEMBERS, state=Intake.COUNTED)
        .order_by("-id")
        .first()
    )
    if newest is None:
        return []
    rows = models.Column.objects.filter(
        population__study=study, window=f"intake:{newest.pk}"
    ).order_by("id")
    return [Trait(r.name.removeprefix("trait:"), r.details["type"], r) for r in rows]


def trait_column(study: Study, trait: Trait, size: int | None = None) -> Column:
    """A trait for the first ``size`` customers, all known today by default.

    Who came since the table has no value. A caller that holds other columns passes their
    length, for a file may be counted between two readings.
    """
    column = read_column(trait.row)
    if size is None:
        size = Population.objects.get(study=study, name="customers").size
    return column.sized(size)


def joined_trait(study: Study) -> Trait | None:
    """The trait that says when a customer joined."""
    return next((t for t in traits_of(study) if t.type == "joined"), None)


@field_kind("trait")
def _trait_field(study: Study, window: WindowInView, name: str) -> Field | None:
    for trait in traits_of(study):
        if trait.name == name:
            column = trait_column(study, trait)
            label = name.replace("_", " ").capitalize()
            stamp = f"{trait.row.fingerprint}:{name}:{len(column)}"
            return Field(f"trait:{name}", label, column.unit, column, stamp)
    return None


@lists_fields
def _trait_names(study: Study, window: WindowInView) -> list[FieldName]:
    return [
        FieldName(
            f"trait:{t.name}",
            t.name.replace("_", " ").capitalize(),
            t.row.kind,
            t.row.unit,
            "Traits",
        )
        for t in traits_of(study)
    ]


@names_customers
def _cards(study: Study, numbers: list[int]) -> list[str]:
    """A customer is called by the code on the card."""
    codes = dict(Card.objects.filter(study=study, number__in=numbers).values_list("number", "code"))
    return [codes.get(number, "") for number in numbers]
