"""A sheet: every segment's profile at one window."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from sortija.core.engine import Engine
from sortija.core.measures.describe import Axis, axis_between, wants_log
from sortija.core.portraits.profile import (
    CategoryProfile,
    NumericProfile,
    category_profile,
    numeric_profile,
)
from sortija.server.groups.yardsticks.assignments import AssignmentAt, frozen
from sortija.server.ledger.customers.traits import trait_column, traits_of
from sortija.server.measures.actions import plan_of
from sortija.server.measures.plan import role_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = ["CategoryRow", "NumericRow", "Sheet", "sheet_of"]

ENGINE = Engine()


@dataclass(frozen=True)
class NumericRow:
    """A measure's profile, its axis, and whether it shaped the groups."""

    name: str
    label: str
    unit: str
    definition: str
    shaped: bool
    profile: NumericProfile
    axis: Axis


@dataclass(frozen=True)
class CategoryRow:
    """A trait's profile; ``levels[0]`` is *not given*."""

    name: str
    label: str
    levels: tuple[str, ...]
    shaped: bool
    profile: CategoryProfile


@dataclass(frozen=True)
class Sheet:
    """Rows by separation, strongest first: η² for measures, V² for categories."""

    k: int
    numeric: tuple[NumericRow, ...]
    categories: tuple[CategoryRow, ...]


def sheet_of(placed: AssignmentAt, shaping_only: bool = False) -> Sheet:
    """The sheet of a placement: the measures in use and every category, shaping or not.

    ``shaping_only``: no more than what shaped the groups, which takes a tenth of the time.
    """
    study = placed.yardstick.study
    plan, _ = plan_of(study)
    shaping = set(frozen(placed.yardstick).names)
    shown = tuple(
        n for n in placed.made.names
        if n in shaping or not (shaping_only or role_of(placed.made, plan, n) == "out")
    )  # fmt: skip
    traits = tuple(
        (t.stamp, t.name, t.label)
        for t in traits_of(study, placed.made.window.to)
        if t.kind == "category" and (not shaping_only or f"trait:{t.name}" in shaping)
    )
    key = (placed.stamp, placed.made.content(shown), traits)
    return _sheet(Keyed(key, (placed, shown, traits)))


#: Stamp, name and label of each trait that is profiled.
_Traits = tuple[tuple[str, str, str], ...]


@remembered
def _sheet(key: Keyed[tuple[AssignmentAt, tuple[str, ...], _Traits]]) -> Sheet:
    placed, shown, traits = key.value
    study, k = placed.yardstick.study, placed.placement.k
    groups = np.asarray(placed.placement.state)
    shaping = set(frozen(placed.yardstick).names)
    columns = [np.asarray(placed.made.column(name).values) for name in shown]
    profiles = ENGINE.map(lambda values: numeric_profile(values, groups, k), columns)
    numeric = []
    for name, profile in zip(shown, profiles, strict=True):
        about = placed.made.about(name)
        numeric.append(
            NumericRow(
                name, about.label, about.unit, about.definition, name in shaping, profile,
                _axis(profile),
            )
        )  # fmt: skip
    categories = []
    wanted = {name for _, name, _ in traits}
    for trait in traits_of(study, placed.made.window.to):
        if trait.name not in wanted:
            continue
        column = trait_column(study, trait, placed.made.size)
        profile_ = category_profile(np.asarray(column.values), len(column.levels), groups, k)
        levels = ("not given", *column.levels)
        shaped = f"trait:{trait.name}" in shaping
        categories.append(CategoryRow(trait.name, trait.label, levels, shaped, profile_))
    numeric.sort(key=lambda r: -np.nan_to_num(r.profile.eta_squared))
    categories.sort(key=lambda r: -r.profile.v)
    return Sheet(k, tuple(numeric), tuple(categories))


def _axis(profile: NumericProfile) -> Axis:
    """An axis from everyone's lower to upper tail, wide enough for every group's mean."""
    if not profile.counts.any():
        return Axis(0.0, 1.0, False)
    lowest, low, high, highest = profile.tails
    log = wants_log(profile.skew, highest)
    usual = axis_between(lowest, highest, log)
    means = profile.means[np.isfinite(profile.means)]
    low = min(low, float(means.min())) if len(means) else low
    high = max(high, 1.04 * float(means.max())) if len(means) else high
    low = 0.0 if 0 <= low < 0.4 * high else max(low, usual.low)
    return Axis(low, high if high > low else low + 1.0, log)
