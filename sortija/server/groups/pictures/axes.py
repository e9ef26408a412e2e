"""What lies along the axes of a picture: components, a neighbourhood, measures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.describe import Axis, axis_for, skewness, wants_log
from sortija.core.sampling import MOST_POINTS, SEED, sample_rows
from sortija.server.groups.pictures.mapped import (
    Mapped,
    components_at,
    neighbourhood_columns,
    scores_at,
)
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem

__all__ = ["MOST_AXES", "Along", "along_axis", "axis_of", "middles"]


MOST_AXES = 8


@dataclass(frozen=True)
class Along:
    """One axis of a picture: everybody's values, and where they are drawn."""

    key: str
    label: str
    unit: str
    whole: bool
    field: str
    values: NDArray[np.float64]
    log: bool = False


def along_axis(at: Mapped, key: str) -> Along:
    """The axis that a picture calls by ``key``; a 404 where there is none."""
    kind, _, name = key.partition(":")
    made, grouping = at.made, at.grouping
    if kind == "component" and is_whole(name):
        scores = scores_at(Keyed(at.stamp, at))
        place = int(name) - 1
        if 0 <= place < scores.shape[1]:
            share = components_at(Keyed(at.stamp, at)).explained[place]
            label = f"Component {name}, {share:.0%} of the differences"
            field = f"component:{grouping.pk}.{name}"
            return Along(key, label, "", False, field, scores[:, place])
    if kind == "neighbour" and name in ("1", "2"):
        there = neighbourhood_columns(at)
        if there:
            values = np.full(made.size, np.nan)
            own = np.asarray(read_column(there[int(name) - 1]).values)[: made.size]
            values[: len(own)] = own
            field = f"neighbour:{grouping.pk}.{name}"
            return Along(key, f"Neighbourhood {name}", "", False, field, values)
    if kind == "measure" and name in made.sources and made.source(name).kind == "number":
        about = made.about(name)
        values = np.where(at.labels >= 0, np.asarray(made.column(name).values, float), np.nan)
        return Along(key, about.label, about.unit, about.whole, key, values, _bends(values))
    raise Problem(f"Nothing called {key} can lie along an axis here.", 404)


def _bends(values: NDArray[np.float64]) -> bool:
    """Whether an axis tells more on a log: a long upper tail of large values."""
    there = values[sample_rows(np.flatnonzero(~np.isnan(values)), MOST_POINTS, SEED)]
    if len(there) < 3 or there.std() == 0:
        return False
    skew = skewness(there)
    return wants_log(skew, float(np.quantile(there, 0.99)))


def axis_of(along: Along, good: NDArray[np.bool_]) -> Axis:
    """Over the middle 99%; over all of a neighbourhood, which has no outliers, with room."""
    values = along.values[good]
    if not along.key.startswith("neighbour:") or len(values) == 0:
        return axis_for(values, along.log)
    low, high = float(values.min()), float(values.max())
    room = 0.02 * (high - low) or 0.5
    return Axis(low - room, high + room, False)


def middles(at: Mapped, along: Along, good: NDArray[np.bool_]) -> list[float | None]:
    """Means of the groups along an axis."""
    k = at.grouping.k
    labels, values = at.labels[good], along.values[good]
    counts = np.bincount(labels, minlength=k)
    sums = np.bincount(labels, values, minlength=k)
    return [float(s / c) if c else None for s, c in zip(sums, counts, strict=True)]
