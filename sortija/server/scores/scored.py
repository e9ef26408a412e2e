"""Everybody's bands, totals and tiers at one window, worked out once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.scores.bands import Banding, Cuts, band_by_cuts, totals
from sortija.core.scores.ladder import Ladder, neutral_boxes, share_tiers
from sortija.core.scores.recipe import Asked, FrozenScore, Scored, ScoreError, fit_score
from sortija.core.scores.tiers import Box, Tier
from sortija.core.table import Column, Table
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.scores.drafts import LadderDraft, ScoreDraft, asked_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = ["ScoredAt", "banding_of", "scored_at", "scored_by"]

VERSION = 1


@dataclass(frozen=True)
class ScoredAt:
    """Scores of one window: what was asked, the cuts that came of it, and the ladder on them.

    ``places``: (n,) tier from 1, 0 for none; ``cut`` names what the scores were made from,
    ``stamp`` that and the ladder.
    """

    made: MeasureSet
    asked: tuple[Asked, ...]
    frozen: FrozenScore
    scored: Scored
    ladder: Ladder
    places: NDArray[np.int32]
    cut: str
    stamp: str

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(a.measure for a in self.asked)

    def banding(self, name: str) -> Banding:
        return self.scored.bandings[self.names.index(name)]


def scored_at(made: MeasureSet, draft: ScoreDraft) -> ScoredAt | None:
    """The scores that a draft asks for; None where there is nothing to score.

    Raises
    ------
    Problem
        A measure that cannot be cut so.
    """
    asked = asked_of(made, draft)
    if not asked:
        return None
    stamps = {a.measure: made.source(a.measure).stamp for a in asked}
    cut = fingerprint("scored", VERSION, made.stamp, stamps, [a.__dict__ for a in asked])
    told = {"tiers": {"__all__": {"strategy", "notes"}}}  # words change no figure
    stamp = fingerprint(cut, draft.ladder.model_dump(exclude=told))
    return _scored(Keyed(stamp, (made, asked, draft.ladder, cut)))


@remembered
def _scored(key: Keyed[tuple[MeasureSet, tuple[Asked, ...], LadderDraft, str]]) -> ScoredAt:
    made, asked, wanted, cut = key.value
    parts = [_frozen_part(Keyed((made.stamp, made.source(a.measure).stamp, a), (made, a)))
             for a in asked]  # fmt: skip
    frozen = FrozenScore(tuple(part for part, _ in parts))
    bandings = tuple(banding for _, banding in parts)
    scored = _totalled(Keyed(cut, (bandings, asked)))
    ladder = _ladder(frozen, scored, asked, wanted)
    places = ladder.places(scored)
    return ScoredAt(made, asked, frozen, scored, ladder, places, cut, str(key.key))


@remembered
def _totalled(key: Keyed[tuple[tuple[Banding, ...], tuple[Asked, ...]]]) -> Scored:
    bandings, asked = key.value
    return Scored(bandings, totals(bandings, [a.weight for a in asked]))


@remembered
def _frozen_part(
    key: Keyed[tuple[MeasureSet, Asked]],
) -> tuple[tuple[str, float, Cuts], Banding]:
    made, asked = key.value
    try:
        column = Column(asked.measure, "number", _values(made, asked.measure))
        frozen = fit_score(Table((column,)), (asked,))
    except ScoreError as problem:
        raise Problem(str(problem)) from problem
    return frozen.measures[0], banding_of(made, asked.measure, frozen.measures[0][2])


def banding_of(made: MeasureSet, name: str, cuts: Cuts) -> Banding:
    """Bands by frozen cuts of those who are in the table; nobody else has one."""
    return band_by_cuts(_values(made, name), cuts)


def _values(made: MeasureSet, name: str) -> NDArray[np.float64]:
    values = np.asarray(made.column(name).values, np.float64)
    return np.where(made.present, values, np.nan)


def scored_by(made: MeasureSet, ladder: Ladder) -> Scored:
    """Everybody scored by a frozen ladder.

    Raises
    ------
    Problem
        A measure is no longer in this study.
    """
    gone = next((name for name in ladder.measures if name not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study.")
    bandings = tuple(banding_of(made, name, cuts) for name, _, cuts in ladder.score.measures)
    return Scored(bandings, totals(bandings, [weight for _, weight, _ in ladder.score.measures]))


def _ladder(
    frozen: FrozenScore, scored: Scored, asked: tuple[Asked, ...], wanted: LadderDraft
) -> Ladder:
    bands = [banding.asked for banding in scored.bandings]
    if wanted.kind == "boxes":
        if wanted.tiers is None:
            return Ladder(frozen, "boxes", boxes=neutral_boxes([a.measure for a in asked], bands))
        boxes = tuple(
            Box(t.name, tuple(_within(t.ranges.get(a.measure), b)
                              for a, b in zip(asked, bands, strict=True)))
            for t in wanted.tiers
        )  # fmt: skip
        return Ladder(frozen, "boxes", boxes=boxes)
    names = [t.name for t in wanted.tiers] if wanted.tiers else _EVEN
    if wanted.kind == "shares":
        return Ladder(frozen, "shares", share_tiers(scored.totals, names))
    if wanted.tiers and all(t.low is not None or t.high is not None for t in wanted.tiers):
        tiers = tuple(
            Tier(t.name, -np.inf if t.low is None else t.low, t.high) for t in wanted.tiers
        )
        return Ladder(frozen, "totals", tiers)
    return Ladder(frozen, "totals", _even_totals(asked, bands, names))


_EVEN = ["Top", "Upper", "Middle", "Lower", "Foot"]


def _even_totals(asked: tuple[Asked, ...], bands: list[int], names: list[str]) -> tuple[Tier, ...]:
    """Ranges of equal length from the best total to the least, at whole numbers where they are."""
    least = sum(a.weight for a in asked)
    most = sum(a.weight * b for a, b in zip(asked, bands, strict=True))
    step = (most - least + 1) / len(names)
    out: list[Tier] = []
    high: float | None = None
    for place, name in enumerate(names, 1):
        low = float(np.ceil(most + 1 - place * step)) if place < len(names) else -np.inf
        out.append(Tier(name, low, high))
        high = low
    return tuple(out)


def _within(wanted: tuple[int, int] | None, bands: int) -> tuple[int, int]:
    """A range as far as there are bands; all of them where none is asked for."""
    if wanted is None:
        return 1, bands
    low, high = wanted
    return min(low, bands), min(high, bands)
