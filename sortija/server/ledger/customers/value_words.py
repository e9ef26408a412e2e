"""Words for the values of traits ("1" is "city"): given once, read wherever a value stands.

Values themselves stay as their files have them: clauses, groupings and rules speak of those, so
that nothing is out of date because a word was given.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from pydantic import BaseModel

from sortija.server.ledger.customers.traits import Trait, trait_column, traits_of
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["MOST_WORDS", "ValueWordsPage", "change_words", "value_words_page"]

MOST_WORDS = 60
#: Beyond so many values nobody gives words one by one.
MOST_VALUES = 500


class ValueRow(BaseModel):
    """A value, what it is called (empty: as it is), and how many customers have it."""

    value: str
    words: str
    customers: int


class ValueWordsPage(BaseModel):
    """The values of one trait, those of most customers first."""

    trait: str
    label: str
    revision: int
    values: list[ValueRow]


def value_words_page(study: Study, name: str) -> ValueWordsPage:
    """The values of a trait with their words.

    Raises
    ------
    Problem
        There is no such trait, or it has no values to name.
    """
    trait = _trait(study, name)
    column = trait_column(study, trait)
    counts = np.bincount(np.asarray(column.values), minlength=len(trait.levels) + 1)[1:]
    given, revision = read_setting(study, _key(name), {})
    order = np.argsort(-counts, kind="stable")[:MOST_VALUES].tolist()
    return ValueWordsPage(
        trait=name, label=trait.label, revision=revision,
        values=[
            ValueRow(value=trait.levels[n], words=given.get(trait.levels[n], ""),
                     customers=int(counts[n]))
            for n in order
        ],
    )  # fmt: skip


def change_words(
    study: Study, person: Any, name: str, words: Mapping[str, str], expected: int
) -> int:
    """Give the values of a trait words; empty ones are as their files have them again.

    Raises
    ------
    Problem
        A value is not one of the trait's, words are too long, or two values would read alike.
    """
    trait = _trait(study, name)
    given, _ = read_setting(study, _key(name), {})
    now = {**given, **{value: said.strip() for value, said in words.items()}}
    kept = {value: said for value, said in now.items() if said and said != value}
    _check(trait, words, kept)
    key, told = _key(name), f"Gave words to the values of {trait.label}"
    return change_setting(study, person, key, kept, told, {}, expected)


def _check(trait: Trait, words: Mapping[str, str], kept: Mapping[str, str]) -> None:
    for value, said in words.items():
        if value not in trait.levels:
            raise Problem(f"{trait.label} has no value “{value}”.")
        if len(said.strip()) > MOST_WORDS:
            raise Problem(f"Words have up to {MOST_WORDS} letters; those for “{value}” have more.")
    seen: dict[str, str] = {}
    for value in trait.levels:
        read = kept.get(value, value).lower()
        if read in seen:
            raise Problem(
                f"“{seen[read]}” and “{value}” of {trait.label} would both read "
                f"“{kept.get(value, value)}”. Give them different words."
            )
        seen[read] = value


def _trait(study: Study, name: str) -> Trait:
    found = next((t for t in traits_of(study) if t.name == name), None)
    if found is None or found.kind != "category":
        raise Problem(f"There is no trait with values called “{name}”.", 404)
    return found


def _key(name: str) -> str:
    return f"words of {name}"
