"""Whether a draw made two arms that are alike, in the measures that are in use."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from sortija.core.campaigns.balance import UNEVEN, imbalance
from sortija.core.campaigns.telling import alike_words
from sortija.core.table import Column
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.drawn import Drawn, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.measures.actions import plan_of
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.measures.plan import role_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = ["ArmsAlike", "balance_of"]


class UnevenRow(BaseModel):
    """By how much of a standard deviation the arms differ, written to less held out."""

    label: str
    gap: float


class ArmsAlike(BaseModel):
    """Of ``looked_at`` measures and traits, those in which the arms differ by a tenth of a standard
    deviation or more; ``by_chance``: so much they would differ in one of twenty draws anyway;
    ``words``: that in a sentence."""

    looked_at: int
    uneven: list[UnevenRow]
    by_chance: float
    words: str


def balance_of(campaign: Campaign) -> ArmsAlike | None:
    """How alike the arms were when they were drawn; None of one arm alone, and while the measures
    of that window are not derived."""
    if campaign.arms is None:
        return None
    drawn = drawn_of(campaign)
    if drawn.held.all() or not drawn.held.any():
        return None
    made = measures_or_job(campaign.study, window_of(campaign))
    if not isinstance(made, MeasureSet):
        return None
    plan, revision = plan_of(campaign.study)
    names = tuple(n for n in made.sources if role_of(made, plan, n) == "shapes")
    key = (campaign.arms.fingerprint, made.stamp, revision)
    return _made(Keyed(key, (made, drawn, names)))


@remembered
def _made(key: Keyed[tuple[MeasureSet, Drawn, tuple[str, ...]]]) -> ArmsAlike:
    made, drawn, names = key.value
    known = drawn.customers < made.size
    who, held = drawn.customers[known], drawn.held[known]
    rows = []
    for name in names:
        column = made.column(name)
        values = np.asarray(column.values)[who]
        some = Column(name, column.kind, values, column.unit, column.levels)
        gap = imbalance(some, held)
        if abs(gap) >= UNEVEN:
            rows.append(UnevenRow(label=made.about(name).label, gap=gap))
    sizes = np.bincount(held, minlength=2)
    by_chance = 1.96 * float(np.sqrt((1 / np.maximum(sizes, 1)).sum()))
    rows.sort(key=lambda row: -abs(row.gap))
    words = alike_words([(row.label, row.gap) for row in rows], len(names), by_chance)
    return ArmsAlike(
        looked_at=len(names), uneven=rows, by_chance=by_chance, words=words,
    )  # fmt: skip
