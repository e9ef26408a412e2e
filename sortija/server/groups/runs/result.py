"""What is stored of one grouping that was tried: its sizes and how well it holds."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import BaseModel, model_validator

from sortija.core.groups.cautions import equals_column
from sortija.core.groups.deviations import deviations_of
from sortija.core.groups.grouping import refusal
from sortija.core.groups.recipe import Prepared, Recipe
from sortija.core.groups.stability import OPENED, SWEPT
from sortija.core.groups.sweep import Candidate
from sortija.core.groups.validity import CRITERIA

__all__ = ["GroupingResult"]


class GroupingResult(BaseModel):
    """One number or one list per group; None where it cannot be told.

    ``criteria``: of the whole grouping, by key (``core.groups.validity.CRITERIA``, and *gap* where
    it was asked for); ``stability``: how often each group comes back in 20 resamplings,
    ``stability_100`` in a hundred where somebody looked closer; ``error_shares``: of the cost;
    ``silhouette`` None: everyone is one group; ``settled``: another pass would change nothing;
    ``exact``: silhouettes are over all customers; ``moved``: share that changed group to be with
    the nearest centre; ``refusal``: why it cannot be adopted; ``equals``: the column that alone
    would group largely alike, and how far; ``valley``: depth between neighbours; ``verdict``: how
    its run stands against null models (``core.groups.verdict``); empty until that is known;
    ``same_again``: the share of customers who would stand in the same group had the year happened
    again, with its interval; ``deviations``: of each group by column: name, level (of a category)
    and deviation (``core.groups.deviations``), empty where it was grouped before they were told.
    """

    counts: list[int]
    cost: float
    silhouette: float | None
    silhouettes: list[float | None]
    exact: bool = True
    stability: list[float]
    stability_100: list[float] | None = None
    criteria: dict[str, float | None] = {}
    errors: list[float | None] = []
    error_shares: list[float | None] = []
    passes: int = 0
    settled: bool = True
    left_out: int = 0
    dropped: list[str] = []
    moved: float = 0.0
    refusal: str = ""
    valley: float | None = None
    equals: tuple[str, float] | None = None
    gap_error: float | None = None
    verdict: dict[str, Any] = {}
    same_again: tuple[float, float, float] | None = None
    deviations: list[list[tuple[str, str, float]]] = []

    @model_validator(mode="before")
    @classmethod
    def _former(cls, data: Any) -> Any:
        """Criteria stood beside the others once, each under its own name."""
        if isinstance(data, dict) and "criteria" not in data:
            known = (*(criterion.key for criterion in CRITERIA), "gap")
            data = {**data, "criteria": {key: data[key] for key in known if key in data}}
        return data

    @classmethod
    def of(cls, candidate: Candidate, rows: Prepared, size: int, recipe: Recipe) -> GroupingResult:
        """What a sweep found out about one k; ``size``: customers there are in all."""
        fit, figures = candidate.fit, candidate.figures
        return cls(
            counts=fit.counts.tolist(), cost=fit.cost,
            silhouette=_plain([candidate.silhouette])[0],
            silhouettes=_plain(candidate.silhouettes), exact=candidate.exact,
            stability=candidate.stability.tolist(),
            criteria=dict(zip(figures.criteria, _plain(figures.criteria.values()), strict=True)),
            errors=_plain(figures.error), error_shares=_plain(figures.share),
            passes=fit.passes, settled=fit.settled, left_out=int(size - len(rows)),
            dropped=list(rows.preparation.dropped), moved=fit.moved,
            refusal=refusal(fit, recipe),
            valley=_plain([candidate.valley])[0],
            equals=equals_column(rows, fit.labels, candidate.k) if candidate.k > 1 else None,
            deviations=[
                [(each.name, each.level, each.by) for each in told]
                for told in deviations_of(rows, fit.labels, candidate.k)
            ],
        )  # fmt: skip

    @property
    def comes_back(self) -> list[float]:
        """How often each group comes back, by the most resamplings there are."""
        return self.stability_100 or self.stability

    @property
    def resampled(self) -> int:
        """How often the customers were drawn anew for that."""
        return OPENED if self.stability_100 else SWEPT

    @property
    def weakest(self) -> float:
        return min(self.comes_back)

    @property
    def smallest(self) -> float:
        """Share of the customers in the smallest group."""
        return min(self.counts) / sum(self.counts)

    @property
    def steady(self) -> float:
        """Mean of how often groups come back in the sweep, by their sizes."""
        return float(np.average(self.stability, weights=self.counts))


def _plain(values: Any) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]
