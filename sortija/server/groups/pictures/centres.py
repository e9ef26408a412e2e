"""The table of a candidate's centres: where they stand, and how far customers lie from them."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.own_centres import in_own_units
from sortija.core.groups.spread import spread_of
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.mapped import Mapped, map_of, prepared_rows
from sortija.server.ledger.customers.traits import said
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = ["CentresPage", "centres_page"]


class CentreColumn(BaseModel):
    """A column of the recipe; ``within``, ``between``: its sums of squares over all groups in
    prepared units, ``between`` None by Gower's distance; ``weight``: what prepared units were
    multiplied by, the root of the recipe's weight, or a category's weight γ."""

    name: str
    label: str
    unit: str
    kind: Literal["number", "category"]
    weight: float
    within: float
    between: float | None


class CentreCell(BaseModel):
    """``value``: in the column's unit, or ``level`` (as the recipe takes it) and its ``words``;
    ``prepared``: as distances see it, for a level the share of the group that has it."""

    value: float | None = None
    level: str = ""
    words: str = ""
    prepared: float


class CentreRow(BaseModel):
    """A group's centre by column; ``within``: the group's own sum of squares."""

    group: int
    customers: int
    within: float
    cells: list[CentreCell]


class CentresPage(BaseModel):
    """``settled``: False where the passes ended before nobody moved."""

    id: int
    k: int
    columns: list[CentreColumn]
    groups: list[CentreRow]
    within: float
    between: float | None
    gower: bool
    passes: int
    settled: bool


def centres_page(made: MeasureSet, grouping: Grouping) -> CentresPage:
    """Centres in original and prepared units, sizes, sums of squares within and between."""
    at = map_of(made, grouping)
    return _page(Keyed(at.whole, at))


@remembered
def _page(key: Keyed[Mapped]) -> CentresPage:
    at = key.value
    rows, k = prepared_rows(at), len(at.centres)
    labels = at.labels[rows.rows]
    spread = spread_of(rows, labels, at.centres)
    sizes = np.bincount(labels, minlength=k)
    between = None if rows.gower else spread.between
    outcome = at.grouping.outcome
    columns = _columns(at, spread.within.sum(axis=0), between)
    cells = [*_numbers(at), *_levels(at, spread.agree)]
    return CentresPage(
        id=at.grouping.pk, k=k, columns=columns,
        groups=[
            CentreRow(
                group=g + 1, customers=int(sizes[g]), within=float(spread.within[g].sum()),
                cells=[column[g] for column in cells],
            )
            for g in range(k)
        ],
        within=float(spread.within.sum()),
        between=None if between is None else float(between.sum()),
        gower=rows.gower, passes=outcome.passes, settled=outcome.settled,
    )  # fmt: skip


def _columns(at: Mapped, within: np.ndarray, between: np.ndarray | None) -> list[CentreColumn]:
    preparation = at.preparation
    told = [(name, "number", weight) for name, _, weight in preparation.numeric]
    told += [(each.name, "category", each.gamma) for each in preparation.categories]
    out = []
    for place, (name, kind, weight) in enumerate(told):
        about = at.made.about(name)
        out.append(CentreColumn.model_validate({
            "name": name, "label": about.label, "unit": about.unit if kind == "number" else "",
            "kind": kind, "weight": weight, "within": float(within[place]),
            "between": None if between is None else float(between[place]),
        }))  # fmt: skip
    return out


def _numbers(at: Mapped) -> list[list[CentreCell]]:
    own = in_own_units(at.preparation, at.centres)
    return [
        [
            CentreCell(value=float(own[g, place]), prepared=float(at.centres.numbers[g, place]))
            for g in range(len(at.centres))
        ]
        for place in range(own.shape[1])
    ]


def _levels(at: Mapped, agree: np.ndarray) -> list[list[CentreCell]]:
    out = []
    for place, category in enumerate(at.preparation.categories):
        words = ("not given", *said(at.made.study, category.name, category.levels), "other")
        column = []
        for g, code in enumerate(at.centres.modes[:, place].tolist()):
            level = category.levels[code - 1] if 0 < code <= len(category.levels) else ""
            if code > len(category.levels) and category.pooled:
                level = category.pooled[0]
            column.append(CentreCell(
                level=level, words=words[min(code, len(words) - 1)],
                prepared=float(agree[g, place]),
            ))  # fmt: skip
        out.append(column)
    return out
