"""A grouping in the measures of a window: prepared customers, components, neighbourhood."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.components import MOST as MOST_COMPONENTS
from sortija.core.groups.components import Components, components_of
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Prepared
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.lens.evaluation import ENGINE
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies import models
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import fresh_column, read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = [
    "Mapped",
    "components_at",
    "map_of",
    "neighbourhood_columns",
    "neighbourhood_stamp",
    "prepared_rows",
    "scores_at",
]


@dataclass(frozen=True)
class Mapped:
    """A grouping in the measures of a window.

    ``stamp``: what its customers and their preparation were made from, the same for every number
    of groups; ``whole``: that and who is in which group.
    """

    made: MeasureSet
    grouping: Grouping
    preparation: Preparation
    centres: Centres
    labels: NDArray[np.int32]
    stamp: str
    whole: str


def map_of(made: MeasureSet, grouping: Grouping) -> Mapped:
    """The grouping in these measures; refused where one of its columns is gone."""
    codes = np.asarray(read_column(grouping.labels).values)[: made.size]
    labels = np.full(made.size, -1, np.int32)
    labels[: len(codes)] = codes - 1
    preparation = Preparation.from_json(grouping.preparation)
    gone = next((n for n in preparation.names if n not in made.sources), None)
    if gone is not None:
        raise Problem(f"{gone.removeprefix('trait:')} is no longer in this study. Group again.")
    stamps = [made.source(name).stamp for name in preparation.names]
    stamp = fingerprint("map", grouping.preparation, made.stamp, stamps, grouping.made_from)
    return Mapped(made, grouping, preparation, Centres.from_json(grouping.centres), labels, stamp,
                  fingerprint(stamp, grouping.labels.token))  # fmt: skip


def prepared_rows(at: Mapped) -> Prepared:
    """The grouped customers as prepared."""
    return _prepared(Keyed(at.stamp, at))


@remembered
def _prepared(key: Keyed[Mapped]) -> Prepared:
    at = key.value
    table = table_for(at.made.study, at.made, list(at.preparation.names))
    return at.preparation.rows(table, at.labels >= 0)


@remembered
def components_at(key: Keyed[Mapped]) -> Components:
    """Components of the grouped customers as prepared."""
    return components_of(prepared_rows(key.value), MOST_COMPONENTS, ENGINE)


@remembered
def scores_at(key: Keyed[Mapped]) -> NDArray[np.float64]:
    """(n, c) places of all customers along the components, NaN for those not grouped."""
    at = key.value
    found, rows = components_at(key), prepared_rows(at)
    out = np.full((at.made.size, len(found.axes)), np.nan)
    out[rows.rows] = found.scores(rows, ENGINE)
    return out


def neighbourhood_stamp(at: Mapped) -> str:
    """What a neighbourhood is made from: the prepared customers, however they are grouped."""
    return fingerprint("neighbourhood", 1, at.stamp)


def neighbourhood_columns(at: Mapped) -> list[models.Column]:
    """Both places of each customer in the neighbourhood; empty until it is laid out."""
    population = Population.objects.get(study=at.made.study, name="customers")
    stamp = neighbourhood_stamp(at)
    found = [fresh_column(population, f"neighbour:{n}", at.made.window.key, stamp) for n in (1, 2)]
    return [row for row in found if row is not None] if all(found) else []
