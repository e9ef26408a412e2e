"""A sheet: every column's profile by segment, or by lens and rest, at one window."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from sortija.core.engine import Engine
from sortija.core.measures.describe import Axis, axis_between, wants_log
from sortija.core.portraits.profile import (
    CategoryProfile,
    NumericProfile,
    category_profile,
    numeric_profile,
)
from sortija.core.portraits.ranks import ByRanks, by_ranks
from sortija.server.groups.yardsticks.assignments import AssignmentAt, frozen
from sortija.server.ledger.customers.traits import Trait, trait_column, traits_of
from sortija.server.measures.actions import plan_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.plan import role_of
from sortija.server.portraits.division import Division, divided
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = [
    "CategoryRow",
    "NumericRow",
    "RowName",
    "Sheet",
    "by_their_ranks",
    "row_names",
    "sheet_of",
]

ENGINE = Engine()
_OF_TRAIT = "trait:"


@dataclass(frozen=True)
class NumericRow:
    """A number's profile, its axis, and whether it shaped the groups; ``missing``: how many of
    those compared have no value."""

    name: str
    label: str
    unit: str
    definition: str
    family: str
    shaped: bool
    profile: NumericProfile
    axis: Axis
    missing: int


@dataclass(frozen=True)
class CategoryRow:
    """A trait's profile; ``levels``: what its values are called, *not given* first, and ``values``
    what they are, without it; ``ordered``: lowest first."""

    name: str
    label: str
    levels: tuple[str, ...]
    values: tuple[str, ...]
    ordered: bool
    shaped: bool
    profile: CategoryProfile


@dataclass(frozen=True)
class Sheet:
    """Rows by separation, strongest first: η² for numbers, V² for categories."""

    k: int
    numeric: tuple[NumericRow, ...]
    categories: tuple[CategoryRow, ...]


@dataclass(frozen=True)
class RowName:
    """A row on offer; ``usual``: it is there without being asked for."""

    name: str
    label: str
    family: str
    numeric: bool
    usual: bool


def row_names(placed: AssignmentAt) -> list[RowName]:
    """Every row that there can be: numbers of each kind, then categories."""
    made, study = placed.made, placed.yardstick.study
    plan, _ = plan_of(study)
    shaping = set(frozen(placed.yardstick).names)
    categories = _categories(placed)

    def usual(name: str) -> bool:
        return name in shaping or role_of(made, plan, name) != "out"

    numbers = [
        RowName(name, source.about.label, source.about.family, True, usual(name))
        for name, source in made.sources.items()
        if source.kind == "number" and name not in categories
    ]
    return [
        *numbers,
        *(
            RowName(name, trait.label, "traits", False, name not in made.sources or usual(name))
            for name, trait in categories.items()
        ),
    ]


def sheet_of(
    placed: AssignmentAt,
    division: Division | None = None,
    more: tuple[str, ...] = (),
    shaping_only: bool = False,
) -> Sheet:
    """The sheet of a placement: what shaped the groups, what is in use, every trait.

    ``more``: rows beside the usual ones; ``shaping_only``: no more than what shaped the groups,
    which takes a tenth of the time.
    """
    division = division or divided(placed, "", "segments")
    shaping = set(frozen(placed.yardstick).names)
    there = row_names(placed)
    usual = tuple(r.name for r in there if r.usual and (r.name in shaping or not shaping_only))
    wanted = [usual, *((r.name,) for r in there if r.name in more and r.name not in usual)]
    sheets = [_rows(placed, division, names) for names in wanted]
    numeric = [row for sheet in sheets for row in sheet.numeric]
    categories = [row for sheet in sheets for row in sheet.categories]
    numeric.sort(key=lambda r: -np.nan_to_num(r.profile.eta_squared))
    categories.sort(key=lambda r: -r.profile.v)
    return Sheet(division.k, tuple(numeric), tuple(categories))


def by_their_ranks(placed: AssignmentAt, division: Division, sheet: Sheet) -> Sheet:
    """The same sheet with each number's separation and p told by ranks alone."""
    numeric = []
    for row in sheet.numeric:
        key = (division.stamp, placed.made.content((row.name,)))
        found = _ranked(Keyed(key, (placed, division, row.name)))
        profile = replace(row.profile, eta_squared=found.eta_squared, p=found.p)
        numeric.append(replace(row, profile=profile))
    numeric.sort(key=lambda r: -np.nan_to_num(r.profile.eta_squared))
    return replace(sheet, numeric=tuple(numeric))


@remembered
def _ranked(key: Keyed[tuple[AssignmentAt, Division, str]]) -> ByRanks:
    placed, division, name = key.value
    values = np.asarray(placed.made.column(name).values, np.float64)
    return by_ranks(values, division.groups, division.k)


def _categories(placed: AssignmentAt) -> dict[str, Trait]:
    """Traits that have levels, by their names as columns; ordered ones too."""
    found = traits_of(placed.yardstick.study, placed.made.window.to)
    return {f"{_OF_TRAIT}{t.name}": t for t in found if t.kind == "category"}


def _rows(placed: AssignmentAt, division: Division, names: tuple[str, ...]) -> Sheet:
    study = placed.yardstick.study
    stamps = tuple(
        (n, t.stamp, t.label, t.said(study)) for n, t in _categories(placed).items() if n in names
    )
    key = (division.stamp, placed.made.content(names), stamps)
    return _profiled(Keyed(key, (placed, division, names)))


@remembered
def _profiled(key: Keyed[tuple[AssignmentAt, Division, tuple[str, ...]]]) -> Sheet:
    placed, division, names = key.value
    made, k, shaping = placed.made, division.k, division.shaping
    traits = _categories(placed)
    numbers = [n for n in names if n not in traits]
    columns = [np.asarray(made.column(name).values) for name in numbers]
    groups = division.groups
    profiles = ENGINE.map(lambda values: numeric_profile(values, groups, k), columns)
    size = int(((groups >= 0) & (groups < k)).sum())
    numeric = [
        _number(made, name, profile, name in shaping, size)
        for name, profile in zip(numbers, profiles, strict=True)
    ]
    categories = [_category(placed, division, t, n in shaping)
                  for n, t in traits.items() if n in names]  # fmt: skip
    return Sheet(k, tuple(numeric), tuple(categories))


def _number(
    made: MeasureSet, name: str, profile: NumericProfile, shaped: bool, size: int
) -> NumericRow:
    about = made.about(name)
    return NumericRow(
        name, about.label, about.unit, about.definition, about.family, shaped, profile,
        _axis(profile), size - int(profile.counts.sum()),
    )  # fmt: skip


def _category(placed: AssignmentAt, division: Division, trait: Trait, shaped: bool) -> CategoryRow:
    column = trait_column(placed.yardstick.study, trait, placed.made.size)
    codes = np.asarray(column.values)
    profile = category_profile(codes, len(column.levels), division.groups, division.k)
    levels = ("not given", *trait.said(placed.yardstick.study))
    return CategoryRow(
        f"{_OF_TRAIT}{trait.name}",
        trait.label,
        levels,
        column.levels,
        trait.type == "ordered",
        shaped,
        profile,
    )


def _axis(profile: NumericProfile) -> Axis:
    """An axis from everyone's lower to upper tail, wide enough for every group's mean."""
    if not profile.counts.any():
        return Axis(0.0, 1.0, False)
    lowest, low, high, highest = profile.tails
    log = wants_log(profile.skew, highest)
    usual = axis_between(lowest, highest, log)
    means = profile.means[np.isfinite(profile.means)]
    low = min(low, float(means.min())) if len(means) else low
    if len(means):
        high = max(high, float(means.max() + 0.04 * abs(means.max())))
    low = 0.0 if 0 <= low < 0.4 * high else max(low, usual.low)
    return Axis(low, high if high > low else low + 1.0, log)
