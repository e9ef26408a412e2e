"""Customers placed by the yardstick at any window: made when asked for, and kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.assignment import STATES, Placement, beside_segments, place
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation
from sortija.core.scores.ladder import Ladder, middle_totals
from sortija.core.table import Column
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.lens.evaluation import ENGINE
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields
from sortija.server.measures.derivation import when_made
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.scores.scored import scored_by
from sortija.server.studies import models
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = [
    "AssignmentAt",
    "ByCentres",
    "ByLadder",
    "assignment_at",
    "assignment_from",
    "assignment_stamp",
    "frozen",
    "segment_labels",
]

VERSION = 1
_RIVAL, _DISTANCE = "Second-nearest segment", "Distance to the centre"


@dataclass(frozen=True)
class ByCentres:
    """A grouping, frozen: each customer goes to the nearest centre."""

    preparation: Preparation
    centres: Centres

    @property
    def names(self) -> tuple[str, ...]:
        return self.preparation.names

    def place(self, study: Study, made: MeasureSet) -> Placement:
        return place(
            table_for(study, made, list(self.names)), self.preparation, self.centres,
            made.present, made.bought, ENGINE,
        )  # fmt: skip


@dataclass(frozen=True)
class ByLadder:
    """A ladder, frozen: each customer goes to the first tier that holds its bands or total.

    Tiers have no centres: nobody stands on a border, and the most typical customers are those
    nearest to the tier's middle total.
    """

    ladder: Ladder

    @property
    def names(self) -> tuple[str, ...]:
        return self.ladder.measures

    def place(self, study: Study, made: MeasureSet) -> Placement:
        k, scored = len(self.ladder.names), scored_by(made, self.ladder)
        places = self.ladder.places(scored)
        state = beside_segments(k, made.present, made.bought)
        inside = made.present & (places > 0)
        state[inside] = places[inside] - 1
        distance = np.full(made.size, np.nan)
        middle = middle_totals(scored.totals, places, k)
        distance[inside] = np.abs(scored.totals[inside] - middle[places[inside] - 1])
        nobody = np.full(made.size, -1, np.int32)
        return Placement(k, state, distance, nobody, np.full(made.size, np.nan))


@dataclass(frozen=True)
class AssignmentAt:
    """A placement at a window, with the measures it was made from.

    ``hold``: customers of an earlier date (``kept_from``) stay in their segment until another's
    margin exceeds it.
    """

    yardstick: Yardstick
    window: WindowInView
    made: MeasureSet
    placement: Placement
    stamp: str
    hold: float = 0.0
    kept_from: AssignmentAt | None = None


@remembered
def _frozen(key: Keyed[Yardstick]) -> ByCentres | ByLadder:
    yardstick = key.value
    grouping = yardstick.grouping
    if grouping is None:
        return ByLadder(Ladder.from_json(yardstick.ladder or {}))
    return ByCentres(
        Preparation.from_json(grouping.preparation), Centres.from_json(grouping.centres)
    )


def frozen(yardstick: Yardstick) -> ByCentres | ByLadder:
    """The constants that a yardstick places by; they never change."""
    return _frozen(Keyed(_known_by(yardstick), yardstick))


def _known_by(yardstick: Yardstick) -> tuple[int, str]:
    """What no other yardstick has; a number alone comes again where an older copy of the database
    is put back."""
    return yardstick.pk, yardstick.adopted_at.isoformat()


def assignment_at(study: Study, yardstick: Yardstick, window: WindowInView) -> AssignmentAt | None:
    """Everybody placed at a window; None while its measures are being made."""
    made = measures_or_job(study, window)
    return assignment_from(study, yardstick, made) if isinstance(made, MeasureSet) else None


@when_made
def _place(study: Study, window: WindowInView, of: str) -> None:
    """Place everybody by the yardstick in use, so that whoever looks finds it done."""
    yardstick = None if of else yardstick_of(study)
    if yardstick is not None:
        assignment_at(study, yardstick, window)


def assignment_stamp(yardstick: Yardstick, made: MeasureSet) -> str:
    """What a placement by these measures is made from, without placing anybody."""
    others = [name for name in frozen(yardstick).names if name not in made.derived]
    stamps = {name: made.source(name).stamp for name in others if name in made.sources}
    return fingerprint("placed", VERSION, *_known_by(yardstick), made.stamp, stamps)


def assignment_from(study: Study, yardstick: Yardstick, made: MeasureSet) -> AssignmentAt:
    """Everybody placed by measures of one making, current or not."""
    stamp = assignment_stamp(yardstick, made)
    return AssignmentAt(
        yardstick, made.window, made, _placement(study, yardstick, made, stamp), stamp
    )


def _placement(study: Study, yardstick: Yardstick, made: MeasureSet, stamp: str) -> Placement:
    rows = {
        row.name: row
        for row in models.Column.objects.filter(
            population__study=study, window=made.window.key, fingerprint=stamp
        )
    }
    if not rows:
        placement = frozen(yardstick).place(study, made)
        _keep(study, yardstick, made, stamp, placement)
        return placement
    number = yardstick.pk
    return Placement(
        yardstick.k,
        read_column(rows[f"placed:{number}"]).values - 1,
        read_column(rows[f"distance:{number}"]).values,
        read_column(rows[f"rival:{number}"]).values - 1,
        read_column(rows[f"margin:{number}"]).values,
    )


def _keep(
    study: Study, yardstick: Yardstick, made: MeasureSet, stamp: str, placement: Placement
) -> None:
    levels = (*(str(n) for n in range(1, placement.k + 1)), *STATES)
    number = yardstick.pk
    columns = [
        Column(f"placed:{number}", "category", placement.state + 1, "", levels),
        Column(f"rival:{number}", "category", placement.rival + 1, "", levels[: placement.k]),
        Column(f"distance:{number}", "number", placement.distance),
        Column(f"margin:{number}", "number", placement.margin),
    ]
    population = Population.objects.get(study=study, name="customers")
    write_columns(population, [(c, None) for c in columns], made.window.key, stamp)


def segment_labels(yardstick: Yardstick) -> tuple[str, ...]:
    """Names of the segments, then of the states, in the order of the codes."""
    return (*(s.name for s in yardstick.segments.all()), *STATES)


@field_kind("segment")
def _segment_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``segment:now`` speaks of the adopted yardstick, ``segment:7`` of yardstick number 7."""
    yardstick = (
        yardstick_of(study)
        if name == "now"
        else Yardstick.objects.filter(study=study, pk=name).first()
        if is_whole(name)
        else None
    )
    placed = assignment_at(study, yardstick, window) if yardstick else None
    if placed is None or yardstick is None:
        return None
    levels = (*(str(n) for n in range(1, placed.placement.k + 1)), *STATES)
    codes: NDArray[np.int32] = np.asarray(placed.placement.state + 1, np.int32)
    column = Column(f"segment:{name}", "category", codes, "", levels)
    return Field(
        f"segment:{name}", "Segment", "", column, placed.stamp, segment_labels(yardstick),
        marks=_marks(yardstick),
    )  # fmt: skip


def _marks(yardstick: Yardstick) -> tuple[int, ...]:
    """Marks of the segments, then −1 for each state, in the order of the codes."""
    return (*(s.mark for s in yardstick.segments.all()), *(-1 for _ in STATES))


def _placed_now(study: Study, window: WindowInView, name: str) -> AssignmentAt | None:
    """Everybody placed by the groups in use; None by a ladder, whose tiers have no centres."""
    yardstick = yardstick_of(study) if name == "now" else None
    if yardstick is None or yardstick.grouping is None:
        return None
    return assignment_at(study, yardstick, window)


@field_kind("distance")
def _distance_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``distance:now``: how far a customer is from its segment's centre."""
    placed = _placed_now(study, window, name)
    if placed is None:
        return None
    grouping = placed.yardstick.grouping
    assert grouping is not None
    own = placed.placement.distance
    gower = Preparation.from_json(grouping.preparation).gower
    column = Column("distance:now", "number", own if gower else np.sqrt(own))
    return Field(
        "distance:now", _DISTANCE, "", column, f"distance:{placed.stamp}",
        definition="In prepared units: 0 at the centre of the own segment.",
    )  # fmt: skip


@field_kind("rival")
def _rival_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``rival:now``: the segment that a customer is likeliest to go to from its own."""
    placed = _placed_now(study, window, name)
    if placed is None:
        return None
    k = placed.placement.k
    levels = tuple(str(n) for n in range(1, k + 1))
    codes = np.asarray(placed.placement.rival + 1, np.int32)
    column = Column("rival:now", "category", codes, "", levels)
    yardstick = placed.yardstick
    return Field(
        "rival:now", _RIVAL, "", column, f"rival:{placed.stamp}", segment_labels(yardstick)[:k],
        definition="The segment whose border is nearest.", marks=_marks(yardstick)[:k],
    )  # fmt: skip


@field_kind("margin")
def _margin_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``margin:now``: how clearly a customer belongs to its segment, 0 on the border."""
    placed = _placed_now(study, window, name)
    if placed is None:
        return None
    column = Column("margin:now", "number", placed.placement.margin)
    return Field(
        "margin:now", "Margin to the next segment", "", column, f"margin:{placed.stamp}",
        definition="0 on the border to the nearest other segment, 1 at the own centre, more "
        "beyond it.",
    )  # fmt: skip


@field_kind("grouping")
def _grouping_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """The groups of any grouping that was tried, as they came out at its own window."""
    grouping = (
        Grouping.objects.filter(study=study, pk=name).select_related("labels").first()
        if is_whole(name)
        else None
    )
    if grouping is None:
        return None
    column = read_column(grouping.labels)
    words = tuple(f"Group {n} of {grouping.k}" for n in range(1, grouping.k + 1))
    label = f"{grouping.k} groups tried"
    return Field(f"grouping:{grouping.pk}", label, "", column, grouping.labels.token, words)


@lists_fields
def _segment_names(study: Study, window: WindowInView) -> list[FieldName]:
    yardstick = yardstick_of(study)
    if yardstick is None:
        return []
    levels = (*(str(s.number) for s in yardstick.segments.all()), *STATES)
    labels = dict(zip(levels, segment_labels(yardstick), strict=True))
    names = [FieldName("segment:now", "Segment", "category", "", "Groups", labels)]
    if yardstick.grouping is not None:  # tiers have no borders
        segments = {level: labels[level] for level in levels[: yardstick.k]}
        names += [
            FieldName("rival:now", _RIVAL, "category", "", "Groups", segments),
            FieldName("distance:now", _DISTANCE, "number", "", "Groups"),
            FieldName("margin:now", "Margin to the next segment", "number", "", "Groups"),
        ]
    return names
