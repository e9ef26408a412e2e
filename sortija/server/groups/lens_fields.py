"""What a lens can say of groupings: places in their pictures."""

from __future__ import annotations

from sortija.core.table import Column
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.axes import along_axis
from sortija.server.groups.pictures.mapped import (
    map_of,
)
from sortija.server.lens.fields import Field, field_kind
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView


def _field_of(study: Study, window: WindowInView, kind: str, name: str) -> Field | None:
    number, _, axis = name.partition(".")
    grouping = (
        Grouping.objects.filter(study=study, pk=number).select_related("labels").first()
        if is_whole(number)
        else None
    )
    made = measures_or_job(study, window)
    if grouping is None or not isinstance(made, MeasureSet):
        return None
    at = map_of(made, grouping)
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
