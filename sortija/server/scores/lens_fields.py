"""What a lens can say of scores: the band of each measure, the total, the tier."""

from __future__ import annotations

import numpy as np

from sortija.core.table import Column
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.scores.drafts import draft_of
from sortija.server.scores.scored import ScoredAt, scored_at
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__: list[str] = []


def _scored(study: Study, window: WindowInView) -> ScoredAt | None:
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        return None
    try:
        return scored_at(made, draft_of(study)[0])
    except Problem:
        return None


def _label(at: ScoredAt, name: str) -> str:
    return f"{at.made.about(name).label}, band"


@field_kind("band")
def _band(study: Study, window: WindowInView, name: str) -> Field | None:
    at = _scored(study, window)
    if at is None or name not in at.names:
        return None
    banding = at.banding(name)
    levels = tuple(str(n) for n in range(1, banding.asked + 1))
    column = Column(f"band:{name}", "category", banding.bands.astype(np.int32), "", levels)
    return Field(f"band:{name}", _label(at, name), "", column, f"{at.stamp}:band:{name}",
                 ordered=True)  # fmt: skip


@field_kind("total")
def _total(study: Study, window: WindowInView, name: str) -> Field | None:
    at = _scored(study, window)
    if at is None or name != "now":
        return None
    column = Column("total:now", "number", at.scored.totals)
    return Field("total:now", "Total of the bands", "", column, f"{at.stamp}:total",
                 definition="The bands of all scored measures, each times its weight.")  # fmt: skip


@field_kind("tier")
def _tier(study: Study, window: WindowInView, name: str) -> Field | None:
    at = _scored(study, window)
    if at is None or name != "now":
        return None
    levels = tuple(str(n) for n in range(1, len(at.ladder.names) + 1))
    column = Column("tier:now", "category", at.places, "", levels)
    return Field("tier:now", "Tier", "", column, f"{at.stamp}:tier", at.ladder.names,
                 ordered=True)  # fmt: skip


@lists_fields
def _names(study: Study, window: WindowInView) -> list[FieldName]:
    at = _scored(study, window)
    if at is None:
        return []
    tiers = {str(n): name for n, name in enumerate(at.ladder.names, 1)}
    bands = [FieldName(f"band:{n}", _label(at, n), "category", "", "Scores") for n in at.names]
    return [
        *bands,
        FieldName("total:now", "Total of the bands", "number", "", "Scores"),
        FieldName("tier:now", "Tier", "category", "", "Scores", tiers),
    ]
