"""Everything that has one number or level per customer beside the derived measures."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from sortija.core.labels import within
from sortija.core.ledger.role_words import folded
from sortija.core.measures.catalogue import AGEING, MEASURES, Measure, Role
from sortija.core.table import Column
from sortija.server.ledger.customers.districts import households_of
from sortija.server.ledger.customers.traits import (
    Trait,
    label_of,
    offer_columns,
    trait_column,
    traits_of,
)
from sortija.server.studies import models
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["CLASSES", "Rows", "Source", "level_sources", "offer_sources", "trait_sources"]

#: Types of a customer table's columns that say something of customers.
_NUMBERS = ("number", "date", "joined", "ordered")
_CATEGORIES = ("category", "yes/no")


@dataclass(frozen=True)
class Source:
    """A column on offer; ``stamp`` names its very values, ``load`` gets them, a row per customer;
    ``note``: what a reader should know of it, such as when it was known."""

    about: Measure
    kind: str
    stamp: str
    load: Callable[[], Column]
    note: str = ""


class Rows(Protocol):
    """What a source needs to know of the rows that it has values for; see ``MeasureSet``."""

    @property
    def study(self) -> models.Study: ...
    @property
    def window(self) -> WindowInView: ...
    @property
    def size(self) -> int: ...
    @property
    def stamp(self) -> str: ...
    @property
    def of(self) -> str: ...
    @property
    def levels(self) -> tuple[str, ...]: ...
    @property
    def derived(self) -> dict[str, Source]: ...
    @property
    def others(self) -> dict[str, Source]: ...
    @property
    def sources(self) -> dict[str, Source]: ...
    @property
    def present(self) -> NDArray[np.bool_]: ...
    def source(self, name: str) -> Source: ...
    def column(self, name: str) -> Column: ...
    def about(self, name: str) -> Measure: ...


def trait_sources(made: Rows) -> Iterator[tuple[str, Source]]:
    """Traits as measures: numbers, dates as days before the window's end, ordered ones as ranks
    from 0 to 1; categories and yes/no as they are."""
    alone = not made.derived
    traits = traits_of(made.study, made.window.to)
    numbers = alone and any(trait.type == "number" for trait in traits)
    for trait in traits:
        if trait.type not in (*_NUMBERS, *_CATEGORIES):
            continue
        note = f"as known later, on {trait.later:%d %b %Y}" if trait.later else ""
        if trait.type in _CATEGORIES:
            many = 2 <= len(trait.levels) <= 8
            known = numbers and _OF_CLASSES.fullmatch(folded(trait.name)) is not None
            about = Measure(
                f"trait:{trait.name}", trait.label, "", f"From the customer table: {trait.label}.",
                "shapes" if many and not known else "describes", family="traits",
                because=CLASSES if known else "",
            )  # fmt: skip
            yield about.name, Source(about, "category", trait.stamp, _as_told(made, trait), note)
        else:
            about = _number_about(made, trait, alone)
            yield (
                about.name,
                Source(
                    about,
                    "number",
                    f"{trait.stamp}:{made.window.key}",
                    _as_number(made, trait),
                    note,
                ),
            )


def _number_about(made: Rows, trait: Trait, alone: bool) -> Measure:
    """``alone``: no log tells of purchases, so that the table's own numbers shape the groups."""
    words, unit = f"From the customer table: {trait.label}.", trait.unit
    if trait.unit == "date":
        words, unit = f"Days from {within(trait.label)} to the window's end.", "days"
    elif trait.type == "ordered":
        words = f"{trait.label}, from {trait.levels[0]} at 0 to {trait.levels[-1]} at 1."
        unit = "rank"
    elif _are_years(made, trait):
        unit = "year"
    role: Role = "out" if trait.type == "joined" else "describes"
    if alone and trait.type in ("number", "ordered") and unit != "year":
        role = "shapes"
    return Measure(f"trait:{trait.name}", trait.label, unit, words, role, family="traits",
                   by_definition=trait.type == "joined",
                   because=AGEING if trait.unit == "date" else "")  # fmt: skip


#: Whether a trait's values are years, by its stamp: looking takes as long as a thread does.
_YEARS: dict[str, bool] = {}
_MOST_KEPT = 1_000
#: A heading that speaks of classes known already, in the languages of headings.
_OF_CLASSES = re.compile(
    r"((known|true|real|actual|old|former|expert|manual) )?"
    r"(class|classification|klasse|classe|clase|group|gruppe|groupe|grupo|groep|segment|segmento|"
    r"cluster|species|variety|label|target|type|typ|tipo|soort|kind|art|tier)( ?(id|no|nr|code))?"
)
CLASSES = (
    "Its heading speaks of classes that are known already: rather compare the groups with them "
    "than let them shape the groups."
)
#: What a heading has to say, in the languages of headings.
_OF_YEARS = re.compile(r"year|born|jahr|jaar|annee|\bano|nacim|nascim|geboren")


def _are_years(made: Rows, trait: Trait) -> bool:
    """Whether all values are years, which are written without a comma: by their heading, or by
    being many different ones, none of them before 1900 or after 2100."""
    if trait.stamp not in _YEARS:
        if len(_YEARS) >= _MOST_KEPT:
            _YEARS.clear()
        column = trait_column(made.study, trait)
        there = np.asarray(column.values)[~column.missing]
        named = _OF_YEARS.search(folded(trait.name)) is not None
        first, last, least = (1800, 2200, 1) if named else (1900, 2100, 10)
        inside = (there == np.rint(there)) & (there >= first) & (there <= last)
        _YEARS[trait.stamp] = bool(inside.all() and len(np.unique(there)) >= least)
    return _YEARS[trait.stamp]


def _as_told(made: Rows, trait: Trait) -> Callable[[], Column]:
    return lambda: trait_column(made.study, trait, made.size)


def _as_number(made: Rows, trait: Trait) -> Callable[[], Column]:
    def load() -> Column:
        column = trait_column(made.study, trait, made.size)
        name = f"trait:{trait.name}"
        if trait.unit == "date":
            before = made.window.window.as_of - np.asarray(column.values, np.float64)
            return Column(name, "number", np.where(before > 0, before, np.nan), "days")
        if trait.kind == "category":
            steps = max(len(trait.levels) - 1, 1)
            ranks = np.append(np.nan, np.arange(len(trait.levels)) / steps)
            return Column(name, "number", ranks[np.asarray(column.values)], "rank")
        return Column(name, "number", np.asarray(column.values, np.float64), column.unit)

    return load


def offer_sources(made: Rows) -> Iterator[tuple[str, Source]]:
    """Each offer as 1 for who took it, 0 for who received it and did not; and the share used."""
    found = offer_columns(made.study)
    if not found:
        return
    stamp = fingerprint("offers", [(n, row.fingerprint) for n, row in found.items()], made.size)
    about = MEASURES["offers_used"]
    yield about.name, Source(about, "number", stamp, lambda: _used(Keyed(stamp, found), made.size))
    for name, row in found.items():
        label = label_of(name.removeprefix("offer:"))
        about = Measure(name, label, "took", f"1 for who took {label}, 0 for who received it and "
                        "did not; missing for who did not receive it.", "out", family="offers",
                        whole=True, by_definition=True)  # fmt: skip
        yield (
            name,
            Source(about, "number", f"{row.fingerprint}:{name}:{made.size}", _answers(made, row)),
        )


def _answers(made: Rows, row: models.Column) -> Callable[[], Column]:
    return lambda: _took(Keyed((row.fingerprint, row.name), row), made.size)


@remembered
def _took(keyed: Keyed[models.Column], size: int) -> Column:
    row = keyed.value
    column = read_column(row).sized(size)
    yes = column.levels.index("yes") + 1 if "yes" in column.levels else -1
    codes = np.asarray(column.values)
    values: NDArray[np.float64] = np.where(codes == 0, np.nan, codes == yes)
    return Column(row.name, "number", values, "took")


@remembered
def _used(keyed: Keyed[dict[str, models.Column]], size: int) -> Column:
    used, received = np.zeros(size), np.zeros(size)
    for row in keyed.value.values():
        took = _took(Keyed((row.fingerprint, row.name), row), size).values
        received += ~np.isnan(took)
        used += np.nan_to_num(took)
    with np.errstate(invalid="ignore", divide="ignore"):
        return Column("offers_used", "number", used / received, "share")


def level_sources(made: Rows) -> Iterator[tuple[str, Source]]:
    """What is known of a trait's levels beside their purchases: customers, households."""
    for trait in traits_of(made.study, made.window.to):
        if trait.name == made.of:
            counts = np.bincount(
                np.asarray(trait_column(made.study, trait).values), minlength=made.size + 1
            )[1:].astype(np.float64)
            words = f"Customers known whose {within(trait.label)} it is."
            yield _of_levels(made, "customers", "Customers", words, counts)
    households = households_of(made.study)
    values = np.array([households.get(level, np.nan) for level in made.levels], np.float64)
    if not np.isnan(values).all():
        words = "Households of the district, as its file says."
        yield _of_levels(made, "households", "Households", words, values)


def _of_levels(
    made: Rows, name: str, label: str, words: str, values: NDArray[np.float64]
) -> tuple[str, Source]:
    about = Measure(name, label, name, words, family="traits", whole=True)
    stamp = fingerprint("levels", name, made.of, values.tolist())
    return name, Source(about, "number", stamp, lambda: Column(name, "number", values, name))
