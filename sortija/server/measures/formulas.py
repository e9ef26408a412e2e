"""Own measures: formulas that the study's people wrote, worked out when looked at."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.engine import Engine
from sortija.core.measures.catalogue import Measure
from sortija.core.measures.column_layout import slugs
from sortija.core.measures.describe import axis_for, describe, shape, wants_log
from sortija.core.measures.formula import (
    Formula,
    FormulaError,
    Unit,
    evaluate,
    parse,
    unit_of,
    unit_words,
)
from sortija.core.table import NOT_GIVEN, UNWORKABLE, Column
from sortija.server.measures.sources import Rows, Source
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = [
    "Checked",
    "Formulated",
    "OwnMeasure",
    "Word",
    "check",
    "drop",
    "formula_sources",
    "formulas_behind",
    "keep",
    "own_measures_of",
    "spoken",
    "words_of",
]  # fmt: skip

OWN_SETTING = "measures.own"
MOST_OWN = 40
ENGINE = Engine()
#: Name, formula and the columns it speaks of.
Ready = tuple[str, Formula, dict[str, Source]]


class OwnMeasure(BaseModel):
    """One own measure; ``name`` is what other formulas call it by."""

    name: str
    label: str
    formula: str


@dataclass(frozen=True)
class Formulated:
    """An own measure; ``needs``: what it speaks of, by word."""

    name: str
    formula: Formula
    needs: dict[str, str]


class Word(BaseModel):
    """A name that a formula can speak of."""

    word: str
    label: str
    unit: str


class Checked(BaseModel):
    """What a formula would be: its unit, and a look at it; or what is wrong and where."""

    good: bool
    words: str
    at: int
    length: int
    unit: str
    count: int
    missing: int
    median: float | None
    low: float | None
    high: float | None
    shape: list[int]


def own_measures_of(study: Study) -> tuple[list[OwnMeasure], int]:
    """(own measures in the order they were made, revision)."""
    rows, revision = read_setting(study, OWN_SETTING, [])
    return [OwnMeasure(**row) for row in rows], revision


def _words(names: Iterable[str]) -> dict[str, str]:
    """What a formula calls each column by → its name; traits and offers without their kind."""
    listed = list(names)
    return dict(zip(slugs([name.split(":", 1)[-1] for name in listed]), listed, strict=True))


def spoken(made: Rows, upto: str = "") -> dict[str, str]:
    """Word → column, for every number that stands before the own measure ``upto``."""
    order = [own.name for own in own_measures_of(made.study)[0]]
    hidden = set(order[order.index(upto) :]) if upto in order else set()
    return _words(n for n, s in made.sources.items() if s.kind == "number" and n not in hidden)


def words_of(made: Rows) -> list[Word]:
    """Every name that a formula can speak of, with its label and unit."""
    return [
        Word(word=word, label=made.about(name).label, unit=made.about(name).unit)
        for word, name in spoken(made).items()
    ]


def _units(made: Rows, words: Mapping[str, str]) -> dict[str, Unit]:
    return {word: unit_of(made.about(name).unit) for word, name in words.items()}


def formula_sources(made: Rows) -> dict[str, Source]:
    """The own measures that can be worked out on these columns.

    One that speaks of what is not there in this window has no values, and says so.
    """
    out: dict[str, Source] = {}
    told = {**made.derived, **made.others}
    for own in own_measures_of(made.study)[0]:
        there = {n: s for n, s in {**told, **out}.items() if s.kind == "number"}
        words = _words(there)
        try:
            formula = parse(
                own.formula, {w: unit_of(there[n].about.unit) for w, n in words.items()}
            )
        except FormulaError as problem:
            about = Measure(own.name, own.label, "", f"{own.formula}. {problem}", family="own")
            load = _nothing(own.name, made.size)
            out[own.name] = Source(about, "number", made.stamp, load, str(problem))
            continue
        needs = {word: there[words[word]] for word in formula.measures}
        about = Measure(
            own.name, own.label, unit_words(formula.unit), f"{own.label} = {own.formula}.",
            family="own",
        )  # fmt: skip
        made_from = [[s.about.name, s.stamp] for s in needs.values()]
        stamp = fingerprint("own", own.formula, made.size, made_from)
        keyed = Keyed((stamp, own.name), (own.name, formula, needs))
        out[own.name] = Source(about, "number", stamp, _worked_out(keyed, made.size))
    return out


def formulas_behind(made: Rows, names: Iterable[str]) -> list[Formulated]:
    """The own measures among ``names`` and those that they speak of, each after what it speaks of.

    Raises
    ------
    Problem
        One of them cannot be worked out here.
    """
    found: dict[str, Formulated] = {}
    told = {**made.derived, **made.others}
    there = {n: s for n, s in told.items() if s.kind == "number"}
    for own in own_measures_of(made.study)[0]:
        words = _words({**there, **{name: made.sources[name] for name in found}})
        try:
            formula = parse(own.formula, _units(made, words))
        except FormulaError as problem:
            if own.name in names:
                raise Problem(f"{own.label}: {problem}") from problem
            continue
        found[own.name] = Formulated(own.name, formula, {w: words[w] for w in formula.measures})
    wanted = set(names)
    for each in reversed(list(found.values())):
        if each.name in wanted:
            wanted |= set(each.needs.values())
    return [each for each in found.values() if each.name in wanted]


def _nothing(name: str, size: int) -> Callable[[], Column]:
    return lambda: Column(name, "number", np.full(size, np.nan))


def _worked_out(keyed: Keyed[Ready], size: int) -> Callable[[], Column]:
    return lambda: _column(keyed, size)


@remembered
def _column(keyed: Keyed[Ready], size: int) -> Column:
    name, formula, needs = keyed.value
    columns = {word: np.asarray(source.load().values, np.float64) for word, source in needs.items()}
    values = _values(formula, columns, size)
    unit = unit_words(formula.unit)
    return Column(name, "number", values, unit, why=_reasons(values, needs))


def _values(
    formula: Formula, columns: Mapping[str, NDArray[np.float64]], size: int
) -> NDArray[np.float64]:
    """A formula for every customer; one that speaks of no measure is the same for all."""
    return evaluate(formula, columns or {"": np.zeros(size)}, ENGINE)


def _reasons(values: NDArray[np.float64], needs: dict[str, Source]) -> NDArray[np.uint8]:
    """The reason of the first column that lacks a value, else that it cannot be worked out."""
    reasons = np.where(np.isnan(values), UNWORKABLE, 0).astype(np.uint8)
    for source in reversed(list(needs.values())):
        column = source.load()
        mine = np.where(column.missing, NOT_GIVEN, 0)
        if column.reasons is not None:
            mine = np.asarray(column.reasons)
        reasons = np.where((mine > 0) & (reasons > 0), mine, reasons)
    return reasons.astype(np.uint8)


def check(made: Rows, text: str, name: str = "") -> Checked:
    """Read a formula and try it on everyone; ``name``: the own measure that it would replace."""
    words = spoken(made, name)
    try:
        formula = parse(text, _units(made, words))
    except FormulaError as problem:
        return Checked(
            good=False, words=str(problem), at=problem.at, length=problem.length, unit="",
            count=0, missing=0, median=None, low=None, high=None, shape=[],
        )  # fmt: skip
    columns = {w: np.asarray(made.column(words[w]).values, np.float64) for w in formula.measures}
    values = _values(formula, columns, made.size)[made.present]
    there = values[~np.isnan(values)]
    found = describe(Column("x", "number", there))
    log = wants_log(found.skew, float(np.quantile(there, 0.99)) if len(there) else 0.0)

    def plain(value: float) -> float | None:
        return None if math.isnan(value) else value

    return Checked(
        good=True, words="", at=0, length=0, unit=unit_words(formula.unit), count=len(there),
        missing=len(values) - len(there), median=plain(found.median), low=plain(found.low),
        high=plain(found.high), shape=shape(there, axis_for(there, log)).tolist(),
    )  # fmt: skip


def keep(
    made: Rows,
    person: Any,
    label: str,
    formula: str,
    name: str = "",
    expected: int | None = None,
) -> tuple[OwnMeasure, int]:
    """Keep a new own measure, or change the one called ``name``; (it, revision)."""
    study = made.study
    rows, _ = own_measures_of(study)
    label = label.strip()
    if not label:
        raise Problem("Give the measure a name, such as Spend per visit.")
    if len(label) > 60:
        raise Problem("A name has at most 60 characters.")
    tried = check(made, formula, name)
    if not tried.good:
        raise Problem(f"{tried.words} (At character {tried.at + 1}.)")
    if any(row.label.lower() == label.lower() and row.name != name for row in rows):
        raise Problem(f"There is already a measure named {label}. Choose another name.")
    if name:
        if name not in [row.name for row in rows]:
            raise Problem("This measure no longer exists.", 404)
        mine = OwnMeasure(name=name, label=label, formula=formula.strip())
        changed = [mine if row.name == name else row for row in rows]
        words = f"Changed the measure {label}"
    else:
        if len(rows) >= MOST_OWN:
            raise Problem(f"A study has at most {MOST_OWN} measures of its own. Delete one first.")
        free = slugs([*(n.split(":", 1)[-1] for n in made.sources), f"own_{label}"])[-1]
        mine = OwnMeasure(name=free, label=label, formula=formula.strip())
        changed = [*rows, mine]
        words = f"Added the measure {label}"
    value = [row.model_dump() for row in changed]
    return mine, change_setting(study, person, OWN_SETTING, value, words, [], expected)


def drop(made: Rows, person: Any, name: str, expected: int | None = None) -> int:
    """Drop an own measure that no other formula speaks of; the revision."""
    rows, _ = own_measures_of(made.study)
    gone = next((row for row in rows if row.name == name), None)
    if gone is None:
        raise Problem("This measure no longer exists.", 404)
    for row in rows:
        if row.name != name and _speaks_of(made, row, name):
            raise Problem(
                f"{row.label} is worked out from {gone.label}. Change or delete it first."
            )
    value = [row.model_dump() for row in rows if row.name != name]
    words = f"Deleted the measure {gone.label}"
    return change_setting(made.study, person, OWN_SETTING, value, words, [], expected)


def _speaks_of(made: Rows, row: OwnMeasure, name: str) -> bool:
    words = spoken(made)
    try:
        return name in parse(row.formula, _units(made, words)).measures
    except FormulaError:
        return False
