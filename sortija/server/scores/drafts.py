"""What scores are made from: measures and their bands, and the ladder, as the analyst has them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from sortija.core.scores.recipe import Asked
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.contract import WHOLE
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = [
    "Cut",
    "LadderDraft",
    "MeasureDraft",
    "ScoreDraft",
    "TierDraft",
    "asked_of",
    "change_draft",
    "draft_of",
    "scorable",
]

USUAL = ("recency", "frequency", "monetary")
MOST_MEASURES, MOST_TIERS = 8, 12


#: How a measure is cut into bands.
Cut = Literal["equal customers", "equal widths", "own cuts"]


class MeasureDraft(BaseModel):
    """One measure to score by; ``higher_is_better`` None: as the measure has it; ``own``: cuts in
    the measure's unit."""

    model_config = WHOLE

    name: str
    higher_is_better: bool | None = None
    bands: int = Field(5, ge=2, le=10)
    weight: float = Field(1.0, ge=0.0, le=100.0)
    cut: Cut = "equal customers"
    own: list[float] = Field(default_factory=list, max_length=9)


class TierDraft(BaseModel):
    """A tier: totals from ``low`` up to ``high``, or the bands of each measure in ``ranges``;
    ``strategy``: in a line, what is done with its customers; ``notes``: what else is to be known.
    """

    model_config = WHOLE

    name: str = Field(min_length=1, max_length=40)
    low: float | None = None
    high: float | None = None
    ranges: dict[str, tuple[int, int]] = Field(default_factory=dict)
    strategy: str = Field(default="", max_length=120)
    notes: str = Field(default="", max_length=2000)

    @property
    def said(self) -> str:
        """Strategy and notes as one text."""
        return "\n\n".join(part for part in (self.strategy.strip(), self.notes.strip()) if part)


class LadderDraft(BaseModel):
    """``tiers`` None: the neutral ladder to begin with."""

    model_config = WHOLE

    kind: Literal["boxes", "totals", "shares"] = "boxes"
    tiers: list[TierDraft] | None = Field(default=None, max_length=MOST_TIERS)


class ScoreDraft(BaseModel):
    """``measures`` None: recency, visits and spend in five bands each."""

    model_config = WHOLE

    measures: list[MeasureDraft] | None = Field(default=None, max_length=MOST_MEASURES)
    close_gaps: bool = False
    ladder: LadderDraft = LadderDraft()


def _key(of: str) -> str:
    return f"scores.recipe:{of}" if of else "scores.recipe"


def draft_of(study: Study, of: str = "") -> tuple[ScoreDraft, int]:
    """(draft, revision); ``of``: the trait whose levels are scored, empty for customers."""
    value, revision = read_setting(study, _key(of), {})
    return ScoreDraft(**value), revision


def change_draft(
    study: Study, person: Any, draft: ScoreDraft, expected: int | None, of: str = ""
) -> int:
    """Score by other bands, or stand the ladder otherwise; returns the new revision.

    Raises
    ------
    Problem
        A measure twice, a range that falls, or two tiers of one name.
    """
    names = [each.name for each in draft.measures or []]
    _once(names, "A measure is scored once: {} is there twice.")
    tiers = draft.ladder.tiers or []
    _once([t.name.strip().lower() for t in tiers], "Two tiers are called {}. Rename one.")
    if draft.ladder.tiers is not None and not tiers:
        raise Problem("A ladder has at least one tier.")
    for tier in tiers:
        _rises(tier)
    words = "Changed the scores"
    before, _ = draft_of(study, of)
    if before.measures == draft.measures and before.close_gaps == draft.close_gaps:
        words = "Changed the ladder"
    return change_setting(study, person, _key(of), draft.model_dump(), words, {}, expected)


def _once(names: list[str], words: str) -> None:
    for name in names:
        if names.count(name) > 1:
            raise Problem(words.format(name))


def _rises(tier: TierDraft) -> None:
    if tier.low is not None and tier.high is not None and tier.high <= tier.low:
        raise Problem(f"{tier.name} ends at {tier.high:g}, where it begins or before.")
    for low, high in tier.ranges.values():
        if not 1 <= low <= high <= 10:
            raise Problem(f"{tier.name} asks for bands {low} to {high}. Bands rise from 1.")


def scorable(made: MeasureSet) -> list[str]:
    """Numeric columns that can be scored, whatever they come from."""
    return [name for name, source in made.sources.items() if source.kind == "number"]


def asked_of(made: MeasureSet, draft: ScoreDraft) -> tuple[Asked, ...]:
    """The measures of a draft that this window has; its usual three where none are named.

    Where the usual ones are not to be had (a study without a log) the first numbers are taken.
    """
    there = scorable(made)
    if draft.measures is None:
        names = [n for n in USUAL if n in there] or there[: len(USUAL)]
        wanted = [MeasureDraft.model_validate({"name": name}) for name in names]
    else:
        wanted = [m for m in draft.measures if m.name in there]
    return tuple(
        Asked(
            m.name,
            made.about(m.name).higher_is_better if m.higher_is_better is None
            else m.higher_is_better,
            m.bands, m.weight, m.cut if m.own or m.cut != "own cuts" else "equal customers",
            tuple(sorted(set(m.own))), draft.close_gaps,
        )
        for m in wanted
    )  # fmt: skip
