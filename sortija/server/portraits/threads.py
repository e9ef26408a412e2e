"""Rows of the table with threads as they travel: figures, intervals, places on their axes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.measures.catalogue import ADDS_UP
from sortija.core.measures.intervals import holm, mean_half_width, wilson_of_all
from sortija.core.portraits.pairwise import Difference, Sample, means_apart, shares_apart
from sortija.core.portraits.profile import CategoryProfile, NumericProfile
from sortija.server.portraits.figures import or_none, plain
from sortija.server.portraits.sheet import CategoryRow, NumericRow, Sheet

__all__ = ["CategoryThread", "DifferenceBody", "NumericThread", "Pair", "threads_of"]

#: Values of a category that are listed; the rest stand together.
MOST_LISTED = 60
#: Two columns that are compared, by their places from 0.
Pair = tuple[int, int] | None


class DifferenceBody(BaseModel):
    """The first column less the second, with its 95% interval; d and its interval for means.

    ``told``: whether the interval leaves out 0."""

    value: float | None
    low: float | None
    high: float | None
    d: float | None
    d_low: float | None
    d_high: float | None
    told: bool


class NumericThread(BaseModel):
    """A number by column; ``places``: means on the axis, 0 to 1; deviations in SD.

    ``counts``: who has a value, ``missing``: how many of all have none; ``half_widths``: how far
    the 95% interval of a mean reaches to either side; ``totals``: a column's share of everyone's
    sum, null where values do not add up; ``p`` is corrected for all rows, null where the column
    shaped the groups.
    """

    name: str
    label: str
    unit: str
    definition: str
    family: str
    shaped: bool
    eta_squared: float | None
    p: float | None
    low: float
    high: float
    log: bool
    everyone: float | None
    everyone_median: float | None
    missing: int
    quartiles: list[float]
    counts: list[int]
    means: list[float | None]
    half_widths: list[float | None]
    medians: list[float | None]
    lower: list[float | None]
    upper: list[float | None]
    places: list[float | None]
    median_places: list[float | None]
    deviations: list[float | None]
    totals: list[float | None]
    apart: DifferenceBody | None


class CategoryThread(BaseModel):
    """A category by column: ``shares[column][level]`` with their Wilson intervals.

    ``levels[0]`` is *not given*; ``telling``: the level that each column has most above everyone,
    ``index``: 100 where it has no more of it; ``unlisted``: how many levels are not in the list,
    the rarest; ``apart``: by level.
    """

    name: str
    label: str
    levels: list[str]
    values: list[str]
    ordered: bool
    shaped: bool
    v_squared: float
    p: float | None
    everyone_level: int
    everyone: list[float]
    counts: list[list[int]]
    shares: list[list[float | None]]
    lows: list[list[float | None]]
    highs: list[list[float | None]]
    telling: list[int]
    index: list[float | None]
    unlisted: int
    apart: list[DifferenceBody]


def threads_of(
    sheet: Sheet, shown: int, pair: Pair
) -> tuple[list[NumericThread], list[CategoryThread]]:
    """Every row of a sheet for its first ``shown`` columns."""
    rows: list[NumericRow | CategoryRow] = [*sheet.numeric, *sheet.categories]
    raised = holm([float("nan") if row.shaped else row.profile.p for row in rows])
    p = [None if row.shaped else or_none(value) for row, value in zip(rows, raised, strict=True)]
    many = len(sheet.numeric)
    return (
        [_numeric(r, v, shown, pair) for r, v in zip(sheet.numeric, p[:many], strict=True)],
        [_category(r, v, shown, pair) for r, v in zip(sheet.categories, p[many:], strict=True)],
    )


def _numeric(row: NumericRow, p: float | None, shown: int, pair: Pair) -> NumericThread:
    profile, axis = row.profile, row.axis
    quartiles = axis.place(np.array(profile.quartiles))
    return NumericThread(
        name=row.name, label=row.label, unit=row.unit, definition=row.definition,
        family=row.family, shaped=row.shaped, eta_squared=or_none(profile.eta_squared), p=p,
        low=axis.low, high=axis.high, log=axis.log, everyone=or_none(profile.everyone_mean),
        everyone_median=or_none(profile.quartiles[1]), missing=row.missing,
        quartiles=np.nan_to_num(quartiles, nan=0.5).tolist(),
        counts=profile.counts[:shown].tolist(), means=plain(profile.means[:shown]),
        half_widths=plain(map(mean_half_width, profile.sds[:shown], profile.counts[:shown])),
        medians=plain(profile.medians[:shown]), lower=plain(profile.quarters[:shown, 0]),
        upper=plain(profile.quarters[:shown, 2]), places=plain(axis.place(profile.means[:shown])),
        median_places=plain(axis.place(profile.medians[:shown])),
        deviations=plain(profile.deviations[:shown]),
        totals=plain(_totals(row.name, profile)[:shown]),
        apart=_means_apart(profile, pair) if pair else None,
    )  # fmt: skip


def _totals(name: str, profile: NumericProfile) -> NDArray[np.float64]:
    """Each group's share of everyone's sum; NaN where values make no sum, or one of 0 or less."""
    sums = np.nan_to_num(profile.means) * profile.counts
    whole = float(sums.sum())
    if name not in ADDS_UP or whole <= 0:
        return np.full(len(sums), np.nan)
    return np.asarray(sums / whole)


def _means_apart(profile: NumericProfile, pair: tuple[int, int]) -> DifferenceBody:
    return _difference(means_apart(_sample(profile, pair[0]), _sample(profile, pair[1])))


def _sample(profile: NumericProfile, place: int) -> Sample:
    return Sample(
        int(profile.counts[place]), float(profile.means[place]), float(profile.sds[place])
    )


def _category(row: CategoryRow, p: float | None, shown: int, pair: Pair) -> CategoryThread:
    profile = row.profile
    listed = _listed(row, shown)
    of = profile.table.sum(axis=1)[:, None]
    lows, highs = wilson_of_all(profile.table, np.broadcast_to(of, profile.table.shape))
    place = {level: n for n, level in enumerate(listed)}
    telling = [int(level) for level in profile.telling[:shown]]

    def rows(values: NDArray[np.float64]) -> list[list[float | None]]:
        return [plain(line[listed]) for line in values[:shown]]

    return CategoryThread(
        name=row.name, label=row.label, levels=[row.levels[n] for n in listed],
        values=_values(row, listed),
        ordered=row.ordered, shaped=row.shaped, v_squared=profile.v**2, p=p,
        everyone_level=place[_commonest(profile)], everyone=profile.everyone[listed].tolist(),
        counts=[line[listed].tolist() for line in profile.table[:shown]],
        shares=rows(profile.shares), lows=rows(lows), highs=rows(highs),
        telling=[place[level] for level in telling],
        index=plain(profile.index[n, level] for n, level in enumerate(telling)),
        unlisted=len(row.levels) - len(listed),
        apart=[] if pair is None else _shares_apart(profile, listed, pair),
    )  # fmt: skip


def _commonest(profile: CategoryProfile) -> int:
    return int(profile.everyone.argmax())


def _values(row: CategoryRow, listed: Sequence[int]) -> list[str]:
    """What a clause on each level says; of *not given* nothing."""
    return [row.values[n - 1] if n else "" for n in listed]


def _listed(row: CategoryRow, shown: int) -> list[int]:
    """Levels that travel: all, or the commonest and those that are telling, in their order."""
    if len(row.levels) <= MOST_LISTED:
        return list(range(len(row.levels)))
    commonest = np.argsort(-row.profile.everyone, kind="stable")[: MOST_LISTED - shown]
    return sorted({0, *commonest.tolist(), *row.profile.telling[:shown].tolist()})


def _shares_apart(
    profile: CategoryProfile, listed: Sequence[int], pair: tuple[int, int]
) -> list[DifferenceBody]:
    table, of = profile.table, profile.table.sum(axis=1)
    one, other = pair
    return [
        _difference(
            shares_apart((int(table[one, n]), int(of[one])), (int(table[other, n]), int(of[other])))
        )
        for n in listed
    ]


def _difference(found: Difference) -> DifferenceBody:
    return DifferenceBody(
        value=or_none(found.value), low=or_none(found.low), high=or_none(found.high),
        d=or_none(found.d), d_low=or_none(found.d_low), d_high=or_none(found.d_high),
        told=found.told,
    )  # fmt: skip
