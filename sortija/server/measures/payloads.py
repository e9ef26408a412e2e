"""What Measures sends: threads with their figures, shapes and preparations."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.server.measures.column_details import Balance
from sortija.server.measures.reliability import Reliability
from sortija.server.studies.http import Status

__all__ = [
    "AxisBody",
    "FencesBody",
    "Figures",
    "Levels",
    "MeasuresPage",
    "Numbers",
    "PresetBody",
    "Rows",
    "StepsBody",
    "Thread",
    "Tie",
    "TouchedBody",
]


class StepsBody(BaseModel):
    fill: str = "leave out"
    cap: float = 0.0
    transform: str = "none"
    scale: str = "z"
    fences: bool = False


class Figures(BaseModel):
    """Of the customers of the table; ``missing``: how many lack a value, by reason."""

    count: int
    missing: dict[str, int]
    zeros: int
    mean: float | None
    sd: float | None
    low: float | None
    quartile_1: float | None
    median: float | None
    quartile_3: float | None
    high: float | None
    skew: float | None


class FencesBody(BaseModel):
    """Of the adjusted box plot; ``below``, ``above``: customers beyond them."""

    low: float | None
    high: float | None
    medcouple: float | None
    below: int
    above: int


class AxisBody(BaseModel):
    low: float
    high: float
    log: bool


class TouchedBody(BaseModel):
    """Customers whom a preparation touches."""

    filled: int
    left_out: int
    raised: int
    lowered: int


class Tie(BaseModel):
    """Another measure that says the same, and their rank correlation."""

    name: str
    label: str
    value: float


class Numbers(BaseModel):
    """A measure on its own axis and as prepared; ``places``: of 5, 25, 50, 75 and 95% of the
    customers, 0 to 1.

    ``lens``, ``beside``: shapes on the same axis of the customers in the lens, and of everyone
    in a second window. ``low``, ``high``: what values are clamped to; ``fill``: what is put in.
    """

    figures: Figures
    fences: FencesBody
    axis: AxisBody
    shape: list[int]
    places: list[float]
    lens: list[int] | None
    lens_median: float | None
    beside: list[int] | None
    beside_median: float | None
    steps: StepsBody
    proposed: StepsBody
    prepared_axis: AxisBody
    prepared: list[int]
    prepared_places: list[float]
    prepared_skew: float | None
    constant: bool
    instead: bool
    touched: TouchedBody
    low: float | None
    high: float | None
    fill: float | None


class Levels(BaseModel):
    """A category: its levels, what they are called, and their customers, everyone's and the
    lens's."""

    levels: list[str]
    words: list[str]
    counts: list[int]
    lens: list[int] | None
    missing: dict[str, int]


class Thread(BaseModel):
    """One measure or trait; ``numbers`` or ``levels``, whichever it has.

    ``formula``: of an own measure; ``note``: what a reader should know; ``because``: why the
    proposed role is proposed, where that is not plain; ``at_least``: customers whose value may be
    larger than the log can tell; ``reliability``: rank correlation of two years of the same
    customers, null where nobody has asked yet.
    """

    name: str
    field: str
    label: str
    unit: str
    definition: str
    family: str
    whole: bool
    role: str
    proposed_role: str
    because: str
    by_definition: bool
    formula: str
    note: str
    at_least: int
    reliability: Reliability | None
    ties: list[Tie]
    numbers: Numbers | None
    levels: Levels | None


class PresetBody(BaseModel):
    name: str
    label: str
    words: str


class Rows(BaseModel):
    """A trait whose levels can stand in the place of customers."""

    name: str
    label: str
    levels: int


class MeasuresPage(BaseModel):
    """``of``: the trait whose levels the rows are, empty for customers; ``beside``: the second
    window's customers with a purchase, None without one that is ready; ``beside_lacks``: why the
    second window is compared with nothing; ``kept``: names of preparations; ``kept_revision``:
    of these, ``own_revision`` of the study's own measures.
    """

    status: Status
    made_from: str
    plan_revision: int
    own_revision: int
    kept_revision: int
    customers: int
    with_purchase: int
    beside: int | None
    beside_lacks: str
    threads: list[Thread]
    presets: list[PresetBody]
    kept: list[str]
    reconciliation: Balance | None
    has_log: bool
    of: str
    populations: list[Rows]
