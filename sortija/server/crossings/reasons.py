"""Why the customers of one crossing crossed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.crossings.explanations import effect_size, explain, explain_bands
from sortija.core.labels import heading
from sortija.server.crossings.one_step import cell_of
from sortija.server.crossings.steps import border_of, pair_of, prepared_at
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    ByLadder,
    frozen,
)
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.scores.scored import scored_by
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["WhyPage", "WhyRow", "why_page"]


class WhyRow(BaseModel):
    """A variable's part: mean before and after of those who crossed, and its share of Δ."""

    name: str
    label: str
    unit: str
    before: float | None
    after: float | None
    share: float


class WhyPage(BaseModel):
    """Why the customers of one crossing crossed.

    ``kind``: *shares* of the change of distance; *stayers*: those who left (``before``) against
    those who stayed (``after``) at the earlier date, ``share`` the effect size; or *means* alone.
    """

    kind: str
    customers: int
    border: int
    money_before: int
    money_after: int
    rows: list[WhyRow]
    words: str


def why_page(
    study: Study, window: WindowInView, by: str, step: int, origin: int, target: int,
    hold: float = 0.0,
) -> WhyPage:  # fmt: skip
    """Why customers crossed from state ``origin`` to ``target`` in one step."""
    cell = cell_of(study, window, by, step, origin, target, hold)
    yardstick, before, after = cell.yardstick, cell.before, cell.after
    k, who = before.placement.k, cell.crossed
    hair = border_of(pair_of(before, after)) & who
    rows: list[WhyRow] = []
    kind = "means"
    between = origin < k and target < k and origin != target and bool(who.any())
    single = int(who.sum()) == 1 and bool(hair.any())  # shares of next to nothing say nothing
    if between and not single:
        rows = _shares(yardstick, before, after, who, origin, target)
        kind = "shares" if any(row.share for row in rows) else "means"
    elif who.any() and origin < k and target == after.placement.left:
        rows = _against_stayers(yardstick, before, who, cell.stayed)
        kind = "stayers"
    elif who.any():
        rows = _means(yardstick, before, after, who)
    return WhyPage(
        kind=kind,
        customers=int(who.sum()),
        border=int(hair.sum()),
        money_before=int(before.made.money[who].sum()),
        money_after=int(after.made.money[who].sum()),
        rows=rows,
        words=_word_of(int(who.sum()), single),
    )


def _word_of(customers: int, single: bool) -> str:
    if not customers:
        return "Nobody crossed here."
    return "One customer, a border move: too little to say what moved them." if single else ""


def _mean(made: MeasureSet, name: str, who: NDArray[np.bool_]) -> float | None:
    values = np.asarray(made.column(name).values)[who]
    values = values[~np.isnan(values)]
    return float(values.mean()) if len(values) else None


def _rows(
    before: AssignmentAt, after: AssignmentAt, who: NDArray[np.bool_], names: tuple[str, ...],
    shares: NDArray[np.float64],
) -> list[WhyRow]:  # fmt: skip
    rows = []
    for name, share in zip(names, shares, strict=True):
        trait = name.startswith("trait:")
        if trait and abs(share) < 0.005:
            continue  # a trait that did not change explains nothing
        label = heading(name.removeprefix("trait:"))
        rows.append(
            WhyRow(
                name=name, share=float(share),
                label=label if trait else before.made.about(name).label,
                unit="" if trait else before.made.about(name).unit,
                before=None if trait else _mean(before.made, name, who),
                after=None if trait else _mean(after.made, name, who),
            )
        )  # fmt: skip
    return sorted(rows, key=lambda r: -r.share)


def _shares(
    yardstick: Yardstick, before: AssignmentAt, after: AssignmentAt,
    who: NDArray[np.bool_], origin: int, target: int,
) -> list[WhyRow]:  # fmt: skip
    by = frozen(yardstick)
    if isinstance(by, ByLadder):
        bands = scored_by(before.made, by.ladder), scored_by(after.made, by.ladder)
        told = explain_bands(*bands, by.ladder.score, who)
        return _rows(before, after, who, told.names, told.shares)
    first, second = (prepared_at(at, by.preparation, who) for at in (before, after))
    found = explain(first, second, by.centres, origin, target)
    return _rows(before, after, who, found.names, found.shares)


def _against_stayers(
    yardstick: Yardstick, at: AssignmentAt, left: NDArray[np.bool_], stayed: NDArray[np.bool_]
) -> list[WhyRow]:
    """What set those who left apart from those who stayed, at the earlier date."""
    rows = []
    for name in frozen(yardstick).names:
        if name.startswith("trait:"):
            continue
        values = np.asarray(at.made.column(name).values)
        effect = effect_size(values[left], values[stayed])
        about = at.made.about(name)
        rows.append(
            WhyRow(
                name=name, label=about.label, unit=about.unit, before=_mean(at.made, name, left),
                after=_mean(at.made, name, stayed), share=0.0 if np.isnan(effect) else effect,
            )
        )  # fmt: skip
    return sorted(rows, key=lambda r: -abs(r.share))


def _means(
    yardstick: Yardstick, before: AssignmentAt, after: AssignmentAt, who: NDArray[np.bool_]
) -> list[WhyRow]:
    names = tuple(n for n in frozen(yardstick).names if not n.startswith("trait:"))
    rows = _rows(before, after, who, names, np.zeros(len(names)))
    return [r for r in rows if r.before is not None or r.after is not None]
