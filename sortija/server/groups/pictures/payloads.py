"""What the pictures of a grouping's customers send."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.server.measures.payloads import AxisBody
from sortija.server.studies.http import JobRow

__all__ = [
    "AxisName",
    "GroupName",
    "LoadingRow",
    "MapPage",
    "PlaneAxis",
    "PlanePage",
    "WidthsPage",
]


class LoadingRow(BaseModel):
    """How a variable (or a level of one) lies along the components that are told."""

    name: str
    label: str
    level: str
    along: list[float]


class MapPage(BaseModel):
    """``explained``: share of the variance of each component; ``apart``: distances among centres;
    ``centres``: laid out by classical scaling, which keeps ``kept`` of them; ``neighbourhood``:
    whether it is there, ``trust`` how far it can be believed; ``job`` that makes it."""

    id: int
    k: int
    customers: int
    explained: list[float]
    loadings: list[LoadingRow]
    apart: list[list[float]]
    centres: list[list[float]]
    kept: float
    neighbourhood: bool
    trust: float | None
    trust_exact: bool
    job: JobRow | None
    axes: list[AxisName]
    colours: list[AxisName]


class AxisName(BaseModel):
    key: str
    label: str
    kind: str


class PlaneAxis(BaseModel):
    """One axis; ``field``: what a lens calls it; ``centres``: of the groups along it."""

    key: str
    label: str
    unit: str
    whole: bool
    field: str
    axis: AxisBody
    centres: list[float | None]


class PlanePage(BaseModel):
    """``cells``: customers in a grid over the first two axes, y by x, where there are more than
    points can show; ``names``: of the groups, in order; ``colour``: what the points' colour says,
    ``levels`` where it is a category, ``low`` and ``high`` the middle 96% where it is a number.
    """

    axes: list[PlaneAxis]
    customers: int
    shown: int
    cells: list[int] | None
    steps: int
    names: list[GroupName]
    colour: str
    colour_unit: str
    levels: list[str]
    low: float | None
    high: float | None


class GroupName(BaseModel):
    """How a group is called: by its segment where the grouping is in use, whose mark it has."""

    name: str
    mark: int | None


class WidthsPage(BaseModel):
    """Silhouettes of sampled customers in thousandths by group, largest first; ``inside``: whether
    each is in the lens; ``mean`` by group and of all, every group by its real size."""

    names: list[GroupName]
    groups: list[list[int]]
    numbers: list[list[int]]
    inside: list[list[bool]] | None
    means: list[float | None]
    mean: float
    exact: bool
