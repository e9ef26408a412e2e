"""Traits of customers at a date: dated customer tables, then what was corrected by hand."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from sortija.core.labels import heading
from sortija.core.ledger.owners import joined_by_owner
from sortija.core.ledger.traits import merge_levels
from sortija.core.table import Column, Kind
from sortija.server.ledger.customers.opt_outs import NO, opted_out_cards
from sortija.server.ledger.customers.owners import Owners, owners_of
from sortija.server.ledger.models import Card, Correction, Intake
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields, names_customers
from sortija.server.studies import models
from sortija.server.studies.actions import read_setting
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.column_details import Details, details_of
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import once
from sortija.server.studies.windows import WindowInView

__all__ = [
    "NAMED",
    "TABLES",
    "Snapshot",
    "Trait",
    "TraitDetails",
    "joined_trait",
    "label_of",
    "offer_columns",
    "said",
    "snapshots_of",
    "trait_column",
    "traits_of",
    "words_of_values",
]


class TraitDetails(Details):
    """``type``: what the column was read as; ``label``: what its file calls it."""

    type: str = ""
    label: str = ""


#: Column of a snapshot that says whom the table names.
NAMED = "_named"


#: Files that tell something of customers beside their receipts.
TABLES = (Intake.MEMBERS, Intake.RESPONSES)


@dataclass(frozen=True)
class Snapshot:
    """One counted customer table and the day it speaks of."""

    intake: Intake
    day: date
    columns: dict[str, models.Column]


@dataclass(frozen=True)
class Trait:
    """One trait at a date: its type as mapped, and the columns that tell it, oldest first.

    ``stamp`` names its very values; ``later``: the day from which it is known, where that lies
    after the date, and the values of that day stand in; ``opted_out``: cards that have no consent
    whatever a table says.
    """

    name: str
    type: str
    kind: Kind
    unit: str
    levels: tuple[str, ...]
    told: tuple[tuple[models.Column, models.Column | None], ...]
    corrections: tuple[tuple[int, str], ...]
    owners: Owners
    stamp: str
    later: date | None
    opted_out: tuple[int, ...] = ()

    @property
    def label(self) -> str:
        return label_of(self.name)

    def said(self, study: Study) -> tuple[str, ...]:
        """What the levels are called."""
        return said(study, self.name, self.levels)


def label_of(name: str) -> str:
    """A column's name as people read it."""
    return heading(name)


def words_of_values(study: Study, trait: str) -> dict[str, str]:
    """Value → what it is called, of those that were given words (by the trait's name, or its name
    as a column)."""
    given, _ = read_setting(study, f"words of {trait.removeprefix('trait:')}", {})
    return dict(given)


def said(study: Study, trait: str, levels: Sequence[str]) -> tuple[str, ...]:
    """What levels of a trait are called."""
    words = words_of_values(study, trait)
    return tuple(words.get(level, level) for level in levels)


@once
def snapshots_of(study: Study) -> list[Snapshot]:
    """Every counted customer table, in the order of the days that they speak of."""
    tables = Intake.objects.filter(study=study, role__in=TABLES, state=Intake.COUNTED)
    intakes = {f"intake:{intake.pk}": intake for intake in tables}
    columns: dict[str, dict[str, models.Column]] = {window: {} for window in intakes}
    rows = models.Column.objects.filter(population__study=study, window__in=list(intakes))
    for row in rows.order_by("id"):
        columns[row.window][row.name] = row
    found = [
        Snapshot(intake, spoken_of(intake), columns[window]) for window, intake in intakes.items()
    ]
    return sorted(found, key=lambda s: (s.day, s.intake.pk))


def spoken_of(intake: Intake) -> date:
    """The day that a customer table speaks of."""
    written = intake.mapping.get("dated", "")
    return date.fromisoformat(written) if written else intake.received_on


@once
def traits_of(study: Study, at: date | None = None) -> list[Trait]:
    """Every trait as known at the end of a day, today without one.

    A table tells of the customers whom it names; for others an older one holds. Before the first
    table that has a trait, that one stands.
    """
    every = [s for s in snapshots_of(study) if s.intake.role == Intake.MEMBERS]
    if not every:
        return []
    owners, gone = owners_of(study), opted_out_cards(study)
    fixed: dict[str, list[tuple[int, str]]] = {}
    for card, name, value in (
        Correction.objects.filter(study=study, held=True)
        .order_by("id")
        .values_list("card", "trait", "value")
    ):
        fixed.setdefault(name, []).append((card, value))
    names = dict.fromkeys(n for s in reversed(every) for n in s.columns if n.startswith("trait:"))
    return [
        _trait(name, *_telling(name, every, at),
               tuple(fixed.get(name.removeprefix("trait:"), ())), owners, gone)
        for name in names
    ]  # fmt: skip


def _telling(
    name: str, every: list[Snapshot], at: date | None
) -> tuple[list[Snapshot], date | None]:
    """The tables that tell a trait at a date; before the first of them those of its day, and it."""
    having = [s for s in every if name in s.columns]
    known = [s for s in having if at is None or s.day <= at]
    if known:
        return known, None
    return [s for s in having if s.day == having[0].day], having[0].day


def _trait(
    name: str, snapshots: list[Snapshot], later: date | None,
    corrections: tuple[tuple[int, str], ...], owners: Owners, gone: tuple[int, ...],
) -> Trait:  # fmt: skip
    newest = next(s.columns[name] for s in reversed(snapshots) if name in s.columns)
    # A column that was read as something else before tells nothing of what it is now.
    told = tuple(
        (s.columns[name], s.columns.get(NAMED))
        for s in snapshots
        if name in s.columns and s.columns[name].kind == newest.kind
    )
    plain = name.removeprefix("trait:")
    levels = merge_levels([details_of(row, TraitDetails).levels for row, _ in told])
    added = [v for _, v in corrections if v and v not in levels] if levels else []
    kind = details_of(newest, TraitDetails).type
    opted_out = gone if kind == "consent" and newest.kind == "category" else ()
    if opted_out and not any(level.lower() in NO for level in (*levels, *added)):
        added.append("no")
    return Trait(
        plain, kind,
        "category" if newest.kind == "category" else "number",
        newest.unit, (*levels, *dict.fromkeys(added)), told, corrections, owners,
        fingerprint("trait", [row.fingerprint for row, _ in told], plain, corrections,
                    owners.stamp, opted_out),
        later, opted_out,
    )  # fmt: skip


def trait_column(study: Study, trait: Trait, size: int | None = None) -> Column:
    """A trait for the first ``size`` customers, all known today by default.

    Who came since the table has no value. A caller that holds other columns passes their
    length, for a file may be counted between two readings.
    """
    if size is None:
        size = Population.objects.get(study=study, name="customers").size
    return _column(Keyed((study.pk, trait.stamp, len(trait.owners.of)), trait)).sized(size)


@remembered
def _column(keyed: Keyed[Trait]) -> Column:
    """The values of every card, told by the newest table that names it, then by its owner."""
    trait = keyed.value
    size = len(trait.owners.of)
    values = _told(trait, size)
    for card, text in trait.corrections:
        if card < size:
            values[card] = _value(trait, text)
    if trait.owners.stamp:
        missing = np.isnan(values) if trait.kind == "number" else values == 0
        place = joined_by_owner(values, missing, trait.owners.of)
        nothing = np.nan if trait.kind == "number" else 0
        values = np.where(place >= 0, values[place], nothing).astype(values.dtype)
    if trait.opted_out:
        no = next(n for n, level in enumerate(trait.levels, 1) if level.lower() in NO)
        values[[card for card in trait.opted_out if card < size]] = no
    return Column(f"trait:{trait.name}", trait.kind, values, trait.unit, trait.levels)


def _told(trait: Trait, size: int) -> NDArray[np.generic]:
    number = trait.kind == "number"
    values = np.full(size, np.nan) if number else np.zeros(size, np.int32)
    for row, named in trait.told:
        column = read_column(row).sized(size)
        mine = np.asarray(column.values)
        if not number:
            places = [0, *(trait.levels.index(level) + 1 for level in column.levels)]
            mine = np.array(places, np.int32)[mine]
        if named is None:
            values = np.array(mine)
        else:
            there = np.asarray(read_column(named).sized(size).values) == 1
            values = np.where(there, mine, values)
    return values


def _value(trait: Trait, text: str) -> float | int:
    """A corrected value as the column holds it; empty is missing."""
    if trait.kind == "category":
        return trait.levels.index(text) + 1 if text else 0
    if not text:
        return np.nan
    if trait.unit == "date":
        return (date.fromisoformat(text) - date(1970, 1, 1)).days
    return float(text)


def joined_trait(study: Study) -> Trait | None:
    """The trait that says when a customer joined."""
    return next((t for t in traits_of(study) if t.type == "joined"), None)


@field_kind("trait")
def _trait_field(study: Study, window: WindowInView, name: str) -> Field | None:
    for trait in traits_of(study, window.to):
        if trait.name == name:
            column = trait_column(study, trait)
            stamp = f"{trait.stamp}:{len(column)}"
            labels = trait.said(study) if words_of_values(study, name) else ()
            return Field(f"trait:{name}", trait.label, column.unit, column, stamp, labels,
                         ordered=trait.type == "ordered")  # fmt: skip
    return None


@field_kind("offer")
def _offer_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``offer:NAME``: yes or no for whoever received it, from the newest table that tells."""
    key = f"offer:{name}"
    row = offer_columns(study).get(key)
    if row is None:
        return None
    size = Population.objects.get(study=study, name="customers").size
    column = read_column(row).sized(size)
    return Field(key, label_of(name), "", column, f"{row.fingerprint}:{name}:{size}")


@lists_fields
def _trait_names(study: Study, window: WindowInView) -> list[FieldName]:
    snapshots = snapshots_of(study)
    if not snapshots:
        return []
    out = [
        FieldName(
            f"trait:{t.name}", t.label, t.kind, t.unit,
            f"Traits, as known on {t.later:%d %b %Y}" if t.later else "Traits",
            words_of_values(study, t.name),
        )
        for t in traits_of(study, window.to)
    ]  # fmt: skip
    return out + [
        FieldName(name, label_of(name.removeprefix("offer:")), "category", "", "Offers")
        for name in _offers(snapshots)
    ]


def offer_columns(study: Study) -> dict[str, models.Column]:
    """The newest column of each offer, ``offer:NAME``: yes or no for whoever received it."""
    out: dict[str, models.Column] = {}
    for snapshot in snapshots_of(study):
        out.update({n: row for n, row in snapshot.columns.items() if n.startswith("offer:")})
    return out


def _offers(snapshots: Iterable[Snapshot]) -> list[str]:
    names: dict[str, None] = {}
    for snapshot in snapshots:
        names.update(dict.fromkeys(n for n in snapshot.columns if n.startswith("offer:")))
    return list(names)


@names_customers
def _cards(study: Study, numbers: list[int]) -> list[str]:
    """A customer is called by the code on the card."""
    rows = Card.objects.filter(study=study, number__in=numbers)
    codes = {n: code or "erased" for n, code in rows.values_list("number", "code")}
    return [codes.get(number, "") for number in numbers]
