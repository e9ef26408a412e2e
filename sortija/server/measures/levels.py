"""The levels of a trait, one per row, by their measures."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from sortija.server.ledger.customers.traits import said
from sortija.server.measures.actions import plan_of
from sortija.server.measures.column_summaries import plain
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.plan import role_of
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["LevelsPage", "levels_page"]

MOST_NUMBERS = 10_000


class LevelColumn(BaseModel):
    name: str
    label: str
    unit: str
    definition: str
    values: list[float | None]


class LevelsPage(BaseModel):
    """``names``: the levels; ``left_out``: measures that a table of so many levels cannot hold."""

    names: list[str]
    columns: list[LevelColumn]
    left_out: int


def levels_page(made: MeasureSet, study: Study) -> LevelsPage:
    """Every level with every measure that is not left out.

    Raises
    ------
    Problem
        Rows are customers: those are listed at the lens.
    """
    if not made.of:
        raise Problem("Say which trait's levels to list. Customers are listed at the lens.")
    plan, _ = plan_of(study, made.of)
    names = [n for n in made.sources if role_of(made, plan, n) != "out"]
    shown = names[: max(1, MOST_NUMBERS // max(1, made.size))]
    columns = []
    for name in shown:
        about = made.about(name)
        values = np.asarray(made.column(name).values, np.float64)
        columns.append(
            LevelColumn(
                name=name, label=about.label, unit=about.unit, definition=about.definition,
                values=[plain(float(value)) for value in values],
            )
        )  # fmt: skip
    return LevelsPage(
        names=list(said(made.study, made.of, made.levels)),
        columns=columns,
        left_out=len(names) - len(shown),
    )
