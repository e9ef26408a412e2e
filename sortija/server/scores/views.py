"""What Scores shows: bands on their rulers, the field in true sizes, totals and the ladder."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.lens.evaluate import members
from sortija.core.measures.catalogue import MEASURES, Measure
from sortija.core.scores.bands import Banding, block, mean_in_plots
from sortija.core.scores.tiers import coverage
from sortija.server.jobs.models import Job
from sortija.server.lens.evaluation import kept_clauses, selection_of
from sortija.server.lens.fields import base_of
from sortija.server.measures.actions import plan_of
from sortija.server.measures.availability import MeasuresToShow, measures_to_show
from sortija.server.measures.column_summaries import summary_of
from sortija.server.measures.lens_fields import field_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import AxisBody
from sortija.server.measures.plan import prepared_steps
from sortija.server.scores.drafts import ScoreDraft, draft_of, scorable
from sortija.server.scores.payloads import (
    BandedMeasure,
    BandRow,
    LadderBody,
    PlotField,
    Scorable,
    ScoresPage,
    TierRow,
    TotalRow,
)
from sortija.server.scores.scored import ScoredAt, banding_of, scored_at
from sortija.server.scores.worth import Followed, follow
from sortija.server.scores.yardstick_in_use import yardstick_in_use
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["Look", "scores_page"]

MOST_TOTALS = 120
SHADES = {"heads": "money per customer", "customers": "customers", "money": "money"}
BACK_MONTHS = 3


@dataclass(frozen=True)
class Look:
    """Which measures lie across, upwards and as small fields, and what the shade says."""

    across: str = ""
    up: str = ""
    third: str = ""
    shade: str = "heads"
    lens: str = ""


@remembered
def _measures(key: Keyed[ScoredAt]) -> list[BandedMeasure]:
    return [_measure(key.value, place) for place in range(len(key.value.asked))]


def _measure(at: ScoredAt, place: int) -> BandedMeasure:
    made, asked, banding = at.made, at.asked[place], at.scored.bandings[place]
    name, about = asked.measure, at.made.about(asked.measure)
    earned = np.bincount(banding.bands, made.money, minlength=banding.asked + 1)
    plan, _ = plan_of(made.study, made.of)
    look = summary_of(made, name, prepared_steps(made, plan, name))
    tied, many = _tied(at, name, banding)
    return BandedMeasure(
        name=name, label=about.label, unit=about.unit, definition=about.definition,
        field=field_of(made, name), higher_is_better=asked.higher_is_better,
        asked=len(asked.own) + 1 if asked.kind == "own cuts" else asked.bands,
        weight=asked.weight, cut=asked.kind,
        bands=[
            BandRow(
                band=n + 1, customers=int(banding.sizes[n]), money=round(earned[n + 1]),
                low=_plain(banding.cuts[n, 0]), high=_plain(banding.cuts[n, 1]),
            )
            for n in range(banding.asked)
        ],
        empty=banding.empty, lopsided=banding.lopsided, tied=tied, tied_customers=many,
        missing=int((banding.bands[made.present] == 0).sum()),
        axis=AxisBody(**look["axis"]), shape=look["shape"], cuts=_cuts(at, place),
    )  # fmt: skip


def _tied(at: ScoredAt, name: str, banding: Banding) -> tuple[float | None, int]:
    """The value that most customers share, where ties have made bands lopsided."""
    if not banding.lopsided:
        return None, 0
    biggest = int(banding.sizes.argmax()) + 1
    values = np.asarray(at.made.column(name).values, np.float64)[banding.bands == biggest]
    there, counts = np.unique(values, return_counts=True)
    best = int(counts.argmax())
    return float(there[best]), int(counts[best])


def _cuts(at: ScoredAt, place: int) -> list[float]:
    """Cuts in the measure's own unit, rising; endless ones are of bands that nobody is in."""
    cuts = at.frozen.measures[place][2]
    found = [b if cuts.higher_is_better else -b for b in cuts.bounds if math.isfinite(b)]
    return sorted(found)


def _plain(value: float) -> float | None:
    return None if math.isnan(value) else float(value)


def _grid(values: NDArray[np.float64]) -> list[list[float | None]]:
    return [[_plain(v) for v in line] for line in values]


@dataclass(frozen=True)
class _Shade:
    """Values to take the mean of in each plot, by bands of their own date; None: from counts."""

    key: str
    words: str
    unit: str
    values: NDArray[np.float64] | None = None
    bandings: dict[str, Banding] | None = None


def _shade(study: Study, window: WindowInView, at: ScoredAt, wanted: str) -> _Shade:
    if wanted == "back":
        return _came_back(study, window, at)
    if wanted.startswith("measure:"):
        name = wanted.removeprefix("measure:")
        if name not in at.made.sources or at.made.source(name).kind != "number":
            raise Problem(f"There is no measure called {name} to shade by.", 404)
        about = at.made.about(name)
        return _Shade(wanted, f"mean of {about.label}", about.unit,
                      np.asarray(at.made.column(name).values, np.float64))  # fmt: skip
    key = wanted if wanted in SHADES else "heads"
    return _Shade(key, SHADES[key], "money" if key != "customers" else "")


def _came_back(study: Study, window: WindowInView, at: ScoredAt) -> _Shade:
    found = follow(study, window, BACK_MONTHS) if not at.made.of else None
    if not isinstance(found, Followed):
        waits = isinstance(found, Job)
        return _Shade("back", "share that came back: " + ("being counted" if waits else
                      "nothing followed yet"), "share", np.full(at.made.size, np.nan))  # fmt: skip
    before = {name: banding_of(found.before, name, cuts) for name, _, cuts in at.frozen.measures}
    words = (
        f"share that came back from {found.since:%-d %b %Y} to {found.to:%-d %b %Y}, "
        f"by bands at {found.at.to:%-d %b %Y}"
    )
    return _Shade("back", words, "share", found.returned.astype(np.float64), before)


Counts = tuple[NDArray[np.int64], NDArray[np.int64]]


@remembered
def _counts(key: Keyed[tuple[ScoredAt, Look]]) -> Counts:
    at, look = key.value
    return block(*_axes(at, look), at.made.money)


def _axes(at: ScoredAt, look: Look) -> tuple[Banding, Banding, Banding | None]:
    return (
        at.banding(look.across),
        at.banding(look.up),
        at.banding(look.third) if look.third else None,
    )


def _plots(
    at: ScoredAt, look: Look, lens: NDArray[np.bool_] | None, shade: _Shade
) -> list[PlotField]:
    """The field of everyone, then one for each band of the third measure."""
    where = (at.cut, look.across, look.up, look.third)
    customers, money = _counts(Keyed(where, (at, look)))
    inside = block(*_axes(at, look), at.made.money, lens)[0] if lens is not None else None
    return [
        PlotField(
            third=number, customers=_plane(customers, number), money=_plane(money, number),
            lens=_plane(inside, number) if inside is not None else None,
            shade=_shaded(at, look, number, shade),
        )
        for number in range(len(customers))
    ]  # fmt: skip


def _plane(cells: NDArray[np.int64], number: int) -> Any:
    """One field of a block: of everyone at 0, else of one band of the third measure."""
    return (cells.sum(axis=0) if number == 0 else cells[number])[1:, 1:].tolist()


def _shaded(
    at: ScoredAt, look: Look, number: int, shade: _Shade
) -> list[list[float | None]] | None:
    if shade.values is None:
        return None
    by = shade.bandings or {n: at.banding(n) for n in at.names}
    own = by[look.third].bands == number if number else None
    return _grid(mean_in_plots(by[look.across], by[look.up], shade.values, own))


def _lens(
    study: Study, window: WindowInView, name: str, made: MeasureSet
) -> NDArray[np.bool_] | None:
    clauses = kept_clauses(study, name) if not made.of else []
    base = base_of(study, window) if clauses else None
    if base is None:
        return None
    rows = np.zeros(made.size, np.bool_)
    found = members(selection_of(study, window, clauses, base))
    rows[found[found < made.size]] = True
    return rows


def _chosen(at: ScoredAt, look: Look) -> Look:
    """The look with measures that are scored, each once; the first ones where none are asked."""
    picked: list[str] = []
    for wanted in (look.across, look.up, look.third):
        free = [n for n in at.names if n not in picked]
        picked.append(wanted if wanted in free else (free or [""])[0])
    if len(at.names) == 1:
        picked[1] = picked[0]
    across, up, third = picked
    return Look(across, up, third, look.shade, look.lens)


def scores_page(study: Study, window: WindowInView | None, look: Look, of: str = "") -> ScoresPage:
    """The whole station in one answer."""
    stands = measures_to_show(study, window, of=of) if window else MeasuresToShow(None)
    made = stands.made
    draft, revision = draft_of(study, of)
    at = scored_at(made, draft) if made is not None else None
    if made is None or window is None or at is None:
        words = "Scores are cut from measures. Import a log or a customer table first."
        if made is not None:
            words = "None of the measures that are scored is in this window. Pick others."
        return _nothing(stands.status or Status(state="empty", words=words), draft, revision, of)
    chosen = _chosen(at, look)
    inside, shade = _lens(study, window, look.lens, made), _shade(study, window, at, look.shade)
    total = at.scored.totals
    scored = ~np.isnan(total)
    plots = _plots(at, chosen, inside, shade)
    in_use, kept = yardstick_in_use(study, at.ladder)
    return ScoresPage(
        status=stands.status or Status(state="whole"),
        made_from=at.stamp, of=of, revision=revision, draft=draft,
        measures=_measures(Keyed((at.cut, at.made.content(at.names)), at)),
        scorable=_scorable(made), across=chosen.across, up=chosen.up, third=chosen.third,
        field=plots[0], fields=plots[1:],
        shade=shade.key, shaded=shade.words, shade_unit=shade.unit,
        totals=_totals(Keyed(at.cut, at)),
        ladder=_ladder(at, chosen, draft), kept=kept, in_use=in_use,
        scored=int(scored.sum()), unscored=int(made.known.sum()) - int(scored.sum()),
        scored_money=int(made.money[scored].sum()),
    )  # fmt: skip


def _nothing(status: Status, draft: ScoreDraft, revision: int, of: str) -> ScoresPage:
    return ScoresPage(
        status=status, made_from="", of=of, revision=revision, draft=draft, measures=[],
        scorable=[], across="", up="", third="", field=None, fields=[], shade="heads", shaded="",
        shade_unit="", totals=[], ladder=None, kept=False, in_use=0, scored=0, unscored=0,
        scored_money=0,
    )  # fmt: skip


def _scorable(made: MeasureSet) -> list[Scorable]:
    return [
        Scorable(name=name, label=_ranked_by(name, made.about(name)), unit=made.about(name).unit,
                 family=made.about(name).family)
        for name in scorable(made)
    ]  # fmt: skip


def _ranked_by(name: str, about: Measure) -> str:
    """A measure on offer, with what to know before anybody is ranked by it."""
    known = MEASURES.get(name)
    return f"{about.label} ({known.ranking})" if known and known.ranking else about.label


@remembered
def _totals(key: Keyed[ScoredAt]) -> list[TotalRow]:
    """Customers and money by total; in steps where there are too many different ones to draw."""
    total = key.value.scored.totals
    good = ~np.isnan(total)
    values, earned = total[good], key.value.made.money[good]
    there, place = np.unique(values, return_inverse=True)
    if len(there) > MOST_TOTALS:
        edges = np.linspace(there[0], there[-1], MOST_TOTALS)
        place = np.searchsorted(edges, values, side="right") - 1
        there = edges
    counts = np.bincount(place, minlength=len(there))
    sums = np.bincount(place, earned, minlength=len(there))
    return [
        TotalRow(total=float(t), customers=int(c), money=round(s))
        for t, c, s in zip(there, counts, sums, strict=True)
    ]


def _ladder(at: ScoredAt, look: Look, draft: ScoreDraft) -> LadderBody:
    ladder, k = at.ladder, len(at.ladder.names)
    counts = np.bincount(at.places, minlength=k + 1)
    earned = np.bincount(at.places, at.made.money, minlength=k + 1)
    scored = ~np.isnan(at.scored.totals)
    gaps, overlaps, hidden = _cover(at, look)
    rows = []
    for place, name in enumerate(ladder.names):
        tier = ladder.tiers[place] if ladder.tiers else None
        low = tier.low if tier and math.isfinite(tier.low) else None
        said = draft.ladder.tiers[place] if draft.ladder.tiers else None
        ranges = ladder.boxes[place].ranges if ladder.boxes else ()
        rows.append(
            TierRow(
                number=place + 1, name=name, low=low, high=tier.high if tier else None,
                ranges=list(ranges), customers=int(counts[place + 1]),
                money=round(earned[place + 1]), hidden=name in hidden,
                strategy=said.strategy if said else "", notes=said.notes if said else "",
            )
        )  # fmt: skip
    left = scored & (at.places == 0)
    return LadderBody(
        kind=ladder.kind, tiers=rows, outside=int(left.sum()),
        outside_money=int(at.made.money[left].sum()), gaps=gaps, overlaps=overlaps,
        proposed=draft.ladder.tiers is None,
    )  # fmt: skip


def _cover(at: ScoredAt, look: Look) -> tuple[list[list[bool]], list[list[bool]], tuple[str, ...]]:
    """Plots of the field in which a gap or an overlap lies somewhere along the other measures."""
    ladder = at.ladder
    asked = [banding.asked for banding in at.scored.bandings]
    if ladder.kind != "boxes" or len(asked) < 2:
        empty = [[False] * at.banding(look.across).asked for _ in range(at.banding(look.up).asked)]
        return empty, empty, ()
    found = coverage(asked, ladder.boxes)
    axes = (at.names.index(look.up), at.names.index(look.across))
    times = np.moveaxis(found.times, axes, (0, 1)).reshape(asked[axes[0]], asked[axes[1]], -1)
    return (
        (times.min(axis=2) == 0).tolist(), (times.max(axis=2) > 1).tolist(), found.hidden
    )  # fmt: skip


@station("scores", 3, "Scores")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    at = measures_to_show(study, window) if window else MeasuresToShow(None)
    if at.made is None:
        return at.fact("") if at.job else Fact("not yet", "needs measures")
    draft, _ = draft_of(study)
    try:
        scored = scored_at(at.made, draft)
    except Problem as problem:
        return Fact("failed", problem.detail)
    if scored is None:
        return Fact("not yet", "nothing to score")
    bands = " × ".join(str(banding.asked) for banding in scored.scored.bandings)
    lost = sum(banding.empty for banding in scored.scored.bandings)
    words = f"{bands}, {len(scored.ladder.names)} tiers"
    return at.fact(f"{words}, {lost} lost to ties" if lost else words)
