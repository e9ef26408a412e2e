"""The customers of one crossing: who has changed, and what about them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.server.crossings import chance
from sortija.server.crossings.against_chance import LEVELS, ToldAt
from sortija.server.crossings.one_step import Cell
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.lens.fields import customer_names

__all__ = ["ChangedPage", "ChangedRow", "changed_page", "rows_of"]

#: Customers that are listed; a lens has them all.
MOST = 50


class ChangedRow(BaseModel):
    """A customer: ``changed`` is the chance that it has changed, null where it cannot be told;
    ``label``: the measure that moved it most, with its values before and after."""

    number: int
    name: str
    changed: float | None
    label: str
    unit: str
    before: float | None
    after: float | None


class ChangedPage(BaseModel):
    """Those who crossed, the likeliest to have changed first.

    ``told``: of how many the chance can be told; ``levels``: from which chance on how many, and
    how many of them have changed; ``field``: of a lens on that chance.
    """

    customers: int
    told: int
    levels: list[ToldAt]
    rows: list[ChangedRow]
    field: str
    words: str


def changed_page(cell: Cell) -> ChangedPage:
    """Who of one crossing has changed."""
    found = chance.kept(cell.before, cell.after)
    who = np.flatnonzero(cell.crossed)
    field = f"changed:{cell.before.window.to.isoformat()}>{cell.after.window.to.isoformat()}"
    if found is None:
        words = chance.why_not(cell.before, cell.after) or "Chance is still being told."
        return ChangedPage(
            customers=len(who), told=0, levels=[], rows=[], field=field, words=words
        )  # fmt: skip
    changed = found.changed[who]
    there = changed[~np.isnan(changed)]
    order = np.argsort(-np.nan_to_num(changed, nan=-1.0), kind="stable")[:MOST]
    return ChangedPage(
        customers=len(who), told=len(there), field=field, words="",
        levels=[
            ToldAt(level=level, customers=int((there >= level).sum()),
                   real=float(there[there >= level].sum()))
            for level in (0.0, *LEVELS)
        ],
        rows=rows_of(cell, who[order], changed[order]),
    )  # fmt: skip


def rows_of(cell: Cell, who: NDArray[np.int64], changed: NDArray[np.float64]) -> list[ChangedRow]:
    """These customers, with the chance that each has changed and what moved it most."""
    by = chance.moving_yardstick(cell.before)
    study, window = cell.yardstick.study, cell.after.window.window
    first, second = (
        table_for(study, at.made, list(by.names)).taken(who) for at in (cell.before, cell.after)
    )
    days = window.as_of - window.first_day(0)
    parts = by.parts(first, second, days)
    names = list(parts)
    most = np.argmax(np.array([parts[name] for name in names]), axis=0) if names else None
    out = []
    called = customer_names(study, who.tolist())
    for place, number in enumerate(who.tolist()):
        name = names[int(most[place])] if most is not None else ""
        about = cell.after.made.about(name) if name else None
        out.append(ChangedRow(
            number=number, name=called[place],
            changed=None if np.isnan(changed[place]) else float(changed[place]),
            label=about.label if about else "", unit=about.unit if about else "",
            before=_plain(first[name].values[place]) if name else None,
            after=_plain(second[name].values[place]) if name else None,
        ))  # fmt: skip
    return out


def _plain(value: float) -> float | None:
    return None if np.isnan(value) else float(value)
