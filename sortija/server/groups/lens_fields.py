"""What a lens can say of groupings: places in their pictures."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from sortija.core.lens.polygon import inside_polygon, turned
from sortija.core.table import Column
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.axes import Along, along_axis, axis_of
from sortija.server.groups.pictures.mapped import Mapped, map_of
from sortija.server.lens.fields import Field, field_kind
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView


def _mapped(study: Study, window: WindowInView, number: str) -> Mapped | None:
    """The grouping of this number in the measures of a window."""
    grouping = (
        Grouping.objects.filter(study=study, pk=number).select_related("labels").first()
        if is_whole(number)
        else None
    )
    made = measures_or_job(study, window)
    if grouping is None or not isinstance(made, MeasureSet):
        return None
    return map_of(made, grouping)


def _field_of(study: Study, window: WindowInView, kind: str, name: str) -> Field | None:
    number, _, axis = name.partition(".")
    at = _mapped(study, window, number)
    if at is None:
        return None
    try:
        along = along_axis(at, f"{kind}:{axis}")
    except Problem:
        return None
    column = Column(name, "number", along.values)
    return Field(f"{kind}:{name}", along.label, "", column, f"{at.stamp}:{kind}:{axis}")


@field_kind("component")
def _component_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``component:12.1``: the first component of the customers as grouping 12 prepares them."""
    return _field_of(study, window, "component", name)


@field_kind("neighbour")
def _neighbour_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``neighbour:12.2``: the place along the second axis of the neighbourhood of grouping 12."""
    return _field_of(study, window, "neighbour", name)


_NUMBER = r"-?\d+(?:\.\d+)?(?:e-?\d+)?"
_CORNER = rf"{_NUMBER},{_NUMBER}"
_LASSO = re.compile(rf"(\d+);([^;]+\+[^;]+);({_CORNER})?;({_CORNER}(?: {_CORNER}){{2,99}})")


def _pairs(text: str) -> NDArray[np.float64]:
    return np.array([[float(v) for v in pair.split(",")] for pair in text.split(" ")])


@field_kind("lasso")
def _lasso_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``lasso:12;component:1+component:2;;x,y x,y …``: a line drawn round customers on the map of
    grouping 12, its corners in the axes' units (bent as the axes are); of three axes with the
    angles by which they were turned, its corners as they were seen."""
    asked = _LASSO.fullmatch(name)
    at = _mapped(study, window, asked[1]) if asked else None
    if asked is None or at is None:
        return None
    keys = asked[2].split("+")
    if len(keys) != (3 if asked[3] else 2):
        return None
    try:
        axes = [along_axis(at, key) for key in keys]
    except Problem:
        return None
    good = at.labels >= 0
    for each in axes:
        good = good & ~np.isnan(each.values)
    if asked[3]:
        across, down = (float(v) for v in asked[3].split(","))
        x, y = turned(np.array([_place(each, good) for each in axes]), across, down)
    else:
        x, y = (_bent(each) for each in axes)
    inside = inside_polygon(x, y, _pairs(asked[4]))
    codes = np.where(good, np.where(inside, 1, 2), 0).astype(np.int32)
    column = Column(name, "category", codes, "", ("inside", "outside"))
    called = " and ".join(each.label.split(",")[0] for each in axes)
    content = at.made.content([each.field.removeprefix("measure:") for each in axes])
    return Field(f"lasso:{name}", f"Lasso on {called}", "", column, f"{at.stamp}:{content}:{name}")


def _bent(along: Along) -> NDArray[np.float64]:
    """Values as their axis is drawn."""
    if not along.log:
        return along.values
    return np.asarray(np.sign(along.values) * np.log1p(np.abs(along.values)))


def _place(along: Along, good: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Places from −1 to 1 along the axis; beyond its ends at them, as they are drawn."""
    axis = axis_of(along, good)
    ends = np.array([axis.low, axis.high])
    low, high = np.sign(ends) * np.log1p(np.abs(ends)) if axis.log else ends
    values = _bent(along) if axis.log else along.values
    share = (values - low) / (high - low) if high > low else np.full(len(values), 0.5)
    return np.asarray(2 * np.clip(share, 0, 1) - 1)
