"""Customers placed by the yardstick at any window: made when asked for, and kept."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.engines import Centres
from sortija.core.groups.placing import STATES, Placement, place
from sortija.core.groups.recipe import Preparation
from sortija.core.table import Column
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.inputs import table_for
from sortija.server.groups.models import Yardstick
from sortija.server.lens.evaluation import ENGINE
from sortija.server.lens.fields import Field, FieldName, field_kind, lists_fields
from sortija.server.measures.made import Made, made_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.windows import WindowInView

__all__ = ["PlacedAt", "frozen", "placed_at", "placed_from"]

VERSION = 1


@dataclass(frozen=True)
class PlacedAt:
    """A placement at a window, with the measures it was made from."""

    yardstick: Yardstick
    window: WindowInView
    made: Made
    placement: Placement
    stamp: str


@lru_cache(maxsize=16)
def _frozen(pk: int) -> tuple[Preparation, Centres]:
    grouping = Yardstick.objects.select_related("grouping").get(pk=pk).grouping
    return Preparation.from_json(grouping.preparation), Centres.from_json(grouping.centres)


def frozen(yardstick: Yardstick) -> tuple[Preparation, Centres]:
    """The constants and centres that a yardstick places by; they never change."""
    return _frozen(yardstick.pk)


def placed_at(study: Study, yardstick: Yardstick, window: WindowInView) -> PlacedAt | None:
    """Everybody placed at a window; None while its measures are being made."""
    made = made_or_job(study, window)
    return placed_from(study, yardstick, made) if isinstance(made, Made) else None


def placed_from(study: Study, yardstick: Yardstick, made: Made) -> PlacedAt:
    """Everybody placed by measures of one making, current or not."""
    preparation, _ = frozen(yardstick)
    others = [name for name in preparation.names if name not in made.derived]
    stamps = {name: made.source(name).stamp for name in others if name in made.sources}
    stamp = fingerprint("placed", VERSION, yardstick.pk, made.stamp, stamps)
    return PlacedAt(yardstick, made.window, made, _placement(study, yardstick, made, stamp), stamp)


def _placement(study: Study, yardstick: Yardstick, made: Made, stamp: str) -> Placement:
    preparation, centres = frozen(yardstick)
    rows = {
        row.name: row
        for row in models.Column.objects.filter(
            population__study=study, window=made.window.key, fingerprint=stamp
        )
    }
    if not rows:
        placement = place(
            table_for(study, made, list(preparation.names)), preparation, centres,
            made.present, made.bought, ENGINE,
        )  # fmt: skip
        _keep(study, yardstick, made, stamp, placement)
        return placement
    number = yardstick.pk
    return Placement(
        len(centres),
        read_column(rows[f"placed:{number}"]).values - 1,
        read_column(rows[f"distance:{number}"]).values,
        read_column(rows[f"rival:{number}"]).values - 1,
        read_column(rows[f"margin:{number}"]).values,
    )


def _keep(study: Study, yardstick: Yardstick, made: Made, stamp: str, placement: Placement) -> None:
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
        if name.isdigit()
        else None
    )
    placed = placed_at(study, yardstick, window) if yardstick else None
    if placed is None or yardstick is None:
        return None
    levels = (*(str(n) for n in range(1, placed.placement.k + 1)), *STATES)
    codes: NDArray[np.int32] = np.asarray(placed.placement.state + 1, np.int32)
    column = Column(f"segment:{name}", "category", codes, "", levels)
    return Field(f"segment:{name}", "Segment", "", column, placed.stamp, segment_labels(yardstick))


@lists_fields
def _segment_names(study: Study, window: WindowInView) -> list[FieldName]:
    yardstick = yardstick_of(study)
    if yardstick is None:
        return []
    levels = (*(str(s.number) for s in yardstick.segments.all()), *STATES)
    labels = dict(zip(levels, segment_labels(yardstick), strict=True))
    return [FieldName("segment:now", "Segment", "category", "", "Groups", labels)]
