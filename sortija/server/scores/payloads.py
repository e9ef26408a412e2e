"""What Scores sends: bands and their rulers, plots, the ladder, codes, and what bands are worth."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from sortija.server.measures.payloads import AxisBody
from sortija.server.scores.drafts import Cut, ScoreDraft
from sortija.server.studies.http import JobRow, Status

__all__ = [
    "BandRow",
    "BandedMeasure",
    "CodeRow",
    "CodesPage",
    "LadderBody",
    "PlotField",
    "Scorable",
    "ScoresPage",
    "TierRow",
    "TotalRow",
    "WorthCurve",
    "WorthPage",
]


class BandRow(BaseModel):
    """A band: its real size, its money, and the values it spans."""

    band: int
    customers: int
    money: int
    low: float | None
    high: float | None


class BandedMeasure(BaseModel):
    """A measure as it is scored, and its ruler.

    ``asked``: bands asked for, which are more than ``bands`` where gaps were closed; ``shape``:
    everyone along ``axis``; ``cuts``: where one band ends and the next begins, in its unit, rising.
    """

    name: str
    label: str
    unit: str
    definition: str
    field: str
    higher_is_better: bool
    asked: int
    weight: float
    cut: Cut
    bands: list[BandRow]
    empty: int
    lopsided: bool
    tied: float | None
    tied_customers: int
    missing: int
    axis: AxisBody
    shape: list[int]
    cuts: list[float]


class PlotField(BaseModel):
    """Plots by band of the measure upwards (rows) and across (columns), worst first.

    ``third``: the band of the third measure, 0 for everyone; ``shade``: mean of what was asked
    for, null for an empty plot, none where customers and money are enough to tell it.
    """

    third: int
    customers: list[list[int]]
    money: list[list[int]]
    lens: list[list[int]] | None
    shade: list[list[float | None]] | None


class TotalRow(BaseModel):
    total: float
    customers: int
    money: int


class TierRow(BaseModel):
    """A tier: ``ranges`` of bands in the order of the measures, or totals from ``low`` to ``high``.

    ``hidden``: the tiers before it leave nothing of it; ``strategy``, ``notes``: as the draft has
    them.
    """

    number: int
    name: str
    low: float | None
    high: float | None
    ranges: list[tuple[int, int]]
    customers: int
    money: int
    hidden: bool
    strategy: str
    notes: str


class LadderBody(BaseModel):
    """``gaps``, ``overlaps``: plots (rows worst first) that no tier holds somewhere along the other
    measures, or several do; ``outside``: customers with a score and no tier."""

    kind: Literal["boxes", "totals", "shares"]
    tiers: list[TierRow]
    outside: int
    outside_money: int
    gaps: list[list[bool]]
    overlaps: list[list[bool]]
    proposed: bool


class Scorable(BaseModel):
    name: str
    label: str
    unit: str
    family: str


class ScoresPage(BaseModel):
    """``field`` over everyone; ``fields``: the same for each band of the third measure.

    ``kept``: the ladder is the yardstick; ``in_use``: number of the one in use, 0 for none.
    ``shaded``: what the shade says, in words; ``shade_unit`` its unit.
    """

    status: Status
    made_from: str
    of: str
    revision: int
    draft: ScoreDraft
    measures: list[BandedMeasure]
    scorable: list[Scorable]
    across: str
    up: str
    third: str
    field: PlotField | None
    fields: list[PlotField]
    shade: str
    shaded: str
    shade_unit: str
    totals: list[TotalRow]
    ladder: LadderBody | None
    kept: bool
    in_use: int
    scored: int
    unscored: int
    scored_money: int


class CodeRow(BaseModel):
    """A code with its bands in the order of the measures; ``mean`` of the measure asked for."""

    code: str
    bands: list[int]
    customers: int
    money: int
    total: float
    mean: float | None


class CodesPage(BaseModel):
    """``best``, ``worst``: the highest and the lowest total that occur."""

    measures: list[str]
    codes: list[CodeRow]
    count: int
    possible: int
    scored: int
    best: CodeRow | None
    worst: CodeRow | None
    mean_label: str
    mean_unit: str


class WorthCurve(BaseModel):
    """By band, worst first; null for an empty band. ``told``: share of the spend's variance."""

    name: str
    label: str
    customers: list[int]
    came_back: list[float | None]
    spend: list[float | None]
    told: float | None


class WorthPage(BaseModel):
    """The period from ``since`` to ``to``, by the bands as they stood on the day before."""

    ready: bool
    job: JobRow | None
    words: str
    at: str
    since: str
    to: str
    months: int
    curves: list[WorthCurve]
    customers: int
    came_back: float | None
    spend: float | None
