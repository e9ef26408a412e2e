"""Against: segments by tiers, traits, kept lenses, older yardsticks, or by what they spend on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.lens.clauses import MISSING, Clause
from sortija.core.lens.evaluate import members
from sortija.core.portraits.against import Crossed, crossed, means_told
from sortija.core.portraits.bins import MOST_LEVELS
from sortija.core.table import Column
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import Field, base_of, field, field_names
from sortija.server.lens.models import KeptLens
from sortija.server.lens.requests import ClauseBody
from sortija.server.measures.everyone import base_from
from sortija.server.measures.sources import CLASSES
from sortija.server.portraits.division import Against, ColumnHead, Division, divided, heads_of
from sortija.server.portraits.figures import or_none, plain
from sortija.server.portraits.placed import placed_or_status
from sortija.server.portraits.sheet import NumericRow, sheet_of
from sortija.server.portraits.spent_on import (
    FAMILIES,
    buyers_of,
    families_of,
    parts_of,
    spent_on,
)
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["AgainstPage", "against_page"]

_OF_SPEND, _OF_RULE = "spend:", "rule:"


class AgainstOption(BaseModel):
    """What segments can be set against; ``group``: what it is listed under."""

    key: str
    label: str
    group: str


class AgainstLevel(BaseModel):
    """A row: a value, or something that money is spent on.

    ``counts``: customers by column; ``of_column``: its share of each column, ``of_level``: each
    column's share of it, ``everyone``: its share of all; ``index``: 100 where a column is like
    everyone; ``residuals``: adjusted standardised ones; ``told``: what chance does not make.
    Shares of spend have no counts and no residuals. ``clauses``: its customers as a lens.
    """

    label: str
    given: bool
    clauses: list[ClauseBody]
    counts: list[int]
    everyone_count: int
    of_column: list[float | None]
    of_level: list[float | None]
    everyone: float
    index: list[float | None]
    residuals: list[float | None]
    told: list[bool]


class AgainstPage(BaseModel):
    """``by``: what is set against the columns; ``spend``: rows are mean shares of a customer's
    sales; ``circular``: it made the columns, or comes from what did, so
    that p proves nothing."""

    status: Status
    made_from: str
    against: Against
    customers: int
    columns: list[ColumnHead]
    options: list[AgainstOption]
    by: str
    label: str
    spend: bool
    circular: bool
    levels: list[AgainstLevel]
    v: float | None
    chi_squared: float | None
    p: float | None


@dataclass(frozen=True)
class AgainstAsked:
    by: str = ""
    against: Against = "segments"
    lens: str = ""


def against_page(study: Study, window: WindowInView | None, asked: AgainstAsked) -> AgainstPage:
    """The columns against one category, at a window.

    Raises
    ------
    Problem
        Nothing is called what they should be set against, or it has too many values.
    """
    placed, status = placed_or_status(study, window, "Against compares adopted groups.")
    if placed is None:
        return _nothing(status)
    options = list(_options(placed))
    division = divided(placed, asked.lens, asked.against)
    by = asked.by or _proposed(placed, options)
    heads = heads_of(division, placed, base_from(placed.made).money)
    inside = int(((division.groups >= 0) & (division.groups < division.k)).sum())
    page = AgainstPage(
        status=status, made_from=placed.stamp, customers=inside, columns=heads, options=options,
        against="segments" if division.stamp == placed.stamp else asked.against, by=by, label="",
        spend=False, circular=False, levels=[], v=None, chi_squared=None, p=None,
    )  # fmt: skip
    if not by:
        return page
    if by.startswith(_OF_SPEND):
        return _of_spend(page, placed, division, by.removeprefix(_OF_SPEND))
    return _of_category(page, placed, division, by)


def _nothing(status: Status) -> AgainstPage:
    return AgainstPage(
        status=status, made_from="", against="segments", customers=0, columns=[], options=[],
        by="", label="", spend=False, circular=False, levels=[], v=None, chi_squared=None, p=None,
    )  # fmt: skip


def _options(placed: AssignmentAt) -> Iterator[AgainstOption]:
    """Tiers first, then traits, what money is spent on, kept lists, older yardsticks."""
    study, window = placed.yardstick.study, placed.window
    names = [n for n in field_names(study, window) if n.kind == "category"]
    names = [n for n in names if not n.key.startswith(("segment:", "missing:", "outlier:"))]
    for name in sorted(names, key=lambda n: not n.key.startswith("tier:")):
        yield AgainstOption(key=name.key, label=name.label, group=name.group)
    for kept in KeptLens.objects.filter(study=study, dropped=False, kind=KeptLens.RULE):
        yield AgainstOption(key=f"{_OF_RULE}{kept.pk}", label=kept.name, group="Kept rules")
    for family, label in families_of(placed.made).items():
        yield AgainstOption(key=f"{_OF_SPEND}{family}", label=label, group="Spent on")
    older = Yardstick.objects.filter(study=study).exclude(pk=placed.yardstick.pk).order_by("-pk")
    for yardstick in older[:12]:
        label = f"{yardstick.k} segments of {yardstick.adopted_at:%d %b %Y}"
        yield AgainstOption(key=f"segment:{yardstick.pk}", label=label, group="Older segments")


def _proposed(placed: AssignmentAt, options: list[AgainstOption]) -> str:
    """What to set the groups against first: classes known already, else the first there is."""
    made = placed.made
    classes = [
        option.key for option in options
        if option.key in made.sources and made.about(option.key).because == CLASSES
    ]  # fmt: skip
    return next(iter([*classes, *(option.key for option in options)]), "")


def _of_category(
    page: AgainstPage, placed: AssignmentAt, division: Division, by: str
) -> AgainstPage:
    found = _kept_rule(placed, by) if by.startswith(_OF_RULE) else _field(placed, by)
    column = found.column
    if column.kind != "category":
        raise Problem(f"{found.label} is a number. Numbers stand at Threads and Spread.")
    if len(column.levels) > MOST_LEVELS:
        raise Problem(
            f"{found.label} has {len(column.levels):,} values; a table holds {MOST_LEVELS}."
        )
    told = _crossed(Keyed((division.stamp, found.stamp, by), (division, found)))
    page.by, page.label = by, found.label
    page.circular = by in division.shaping or _scored_alike(by, placed, division)
    page.v, page.chi_squared = or_none(told.v), or_none(told.chi_squared)
    page.p = None if page.circular else or_none(told.p)
    page.levels = _levels(found, told, division.shown)
    return page


def _scored_alike(by: str, placed: AssignmentAt, division: Division) -> bool:
    """Whether it is a score, and the columns were made from measures as scores are."""
    of_log = set(placed.made.derived) & division.shaping
    return by.startswith(("tier:", "band:", "total:")) and bool(of_log)


def _field(placed: AssignmentAt, by: str) -> Field:
    return field(placed.yardstick.study, placed.window, by)


def _kept_rule(placed: AssignmentAt, by: str) -> Field:
    """A lens that was kept as a rule, as a category: in it, or not."""
    study, window = placed.yardstick.study, placed.window
    number = by.removeprefix(_OF_RULE)
    kept = (
        KeptLens.objects.filter(study=study, pk=number, dropped=False, kind=KeptLens.RULE).first()
        if is_whole(number)
        else None
    )
    base = base_of(study, window)
    if kept is None or base is None:
        raise Problem("There is no such kept lens here.", 404)
    clauses = [Clause.from_json(clause) for clause in kept.clauses]
    codes = np.full(len(base.known), 2, np.int32)
    codes[members(selection_of(study, window, clauses, base))] = 1
    stamp = fingerprint("kept rule", placed.stamp, base.made_from, kept.clauses)
    column = Column(by, "category", codes, "", ("in it", "not in it"))
    return Field(by, kept.name, "", column, stamp, ordered=True)


@remembered
def _crossed(key: Keyed[tuple[Division, Field]]) -> Crossed:
    division, found = key.value
    size = len(division.groups)
    codes = np.asarray(found.column.first(size).values)
    codes = np.concatenate([codes, np.zeros(size - len(codes), codes.dtype)])
    return crossed(division.groups, division.k, codes, len(found.column.levels))


def _levels(found: Field, told: Crossed, shown: int) -> list[AgainstLevel]:
    """Values that anybody has: in their order where they have one, else the commonest first; not
    given last."""
    totals = told.counts.sum(axis=1)
    order = [n for n in range(1, len(totals)) if totals[n]]
    if not found.ordered and (not found.labels or found.key.startswith("trait:")):
        order.sort(key=lambda n: -totals[n])
    order += [0] if totals[0] else []
    words = ("not given", *(found.labels or found.column.levels))
    values = (MISSING, *found.column.levels)
    n, columns = max(int(totals.sum()), 1), told.counts.sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        of_column, of_level = told.counts / columns, told.counts / totals[:, None]
    return [
        AgainstLevel(
            label=words[level], given=level > 0,
            clauses=[]
            if found.key.startswith(_OF_RULE)
            else [ClauseBody(field=found.key, values=[values[level]])],
            counts=told.counts[level, :shown].tolist(), everyone_count=int(totals[level]),
            of_column=plain(of_column[level, :shown]), of_level=plain(of_level[level, :shown]),
            everyone=float(totals[level] / n), index=plain(told.index[level, :shown]),
            residuals=plain(told.residuals[level, :shown]),
            told=told.told[level, :shown].tolist(),
        )
        for level in order
    ]  # fmt: skip


def _of_spend(
    page: AgainstPage, placed: AssignmentAt, division: Division, family: str
) -> AgainstPage:
    """Mean shares of a customer's sales."""
    made = placed.made
    names = parts_of(made, family)
    if family not in FAMILIES or not names:
        raise Problem(f"There is nothing called {family} here.", 404)
    rows = [r for r in sheet_of(placed, division, names).numeric if r.name in names]
    rows.sort(key=lambda row: names.index(row.name))
    page.by, page.label, page.spend = f"{_OF_SPEND}{family}", FAMILIES[family], True
    page.circular = any(row.shaped for row in rows)
    told = means_told([row.profile for row in rows])
    page.levels = [
        _share_row(row, mine, division.shown) for row, mine in zip(rows, told, strict=True)
    ]
    return page


def _share_row(row: NumericRow, told: NDArray[np.bool_], shown: int) -> AgainstLevel:
    profile = row.profile
    usual = profile.everyone_mean if np.isfinite(profile.everyone_mean) else 0.0
    means = profile.means[:shown]
    with np.errstate(invalid="ignore", divide="ignore"):
        index = 100 * means / usual
    return AgainstLevel(
        label=spent_on(row.label), given=True,
        clauses=[buyers_of(row.name)],
        counts=[], everyone_count=0, of_column=plain(means), of_level=[], everyone=usual,
        index=plain(index), residuals=[], told=told[:shown].tolist(),
    )  # fmt: skip
