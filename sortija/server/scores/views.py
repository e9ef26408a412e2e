"""What Scores shows: the field of recency × frequency in true sizes, codes and totals."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.lens.evaluate import members
from sortija.core.scores.bands import Banding, band, codes, field, totals
from sortija.core.table import Column
from sortija.server.lens.evaluation import kept_clauses, selection_of
from sortija.server.lens.fields import Field, FieldName, base_of, field_kind, lists_fields
from sortija.server.measures.made import Made, Standing, base_from, made_or_job, standing
from sortija.server.studies.http import Status
from sortija.server.studies.keyed import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.stations import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["ScoresPage", "scores_page"]

MEASURES = ("recency", "frequency", "monetary")
BANDS = 5
TOP_CODES = 12


class BandRow(BaseModel):
    """A band: its real size, its money, and the values it spans."""

    band: int
    customers: int
    money: int
    low: float | None
    high: float | None


class BandedMeasure(BaseModel):
    name: str
    label: str
    unit: str
    higher_is_better: bool
    bands: list[BandRow]
    empty: int
    lopsided: bool
    missing: int


class PlotField(BaseModel):
    """Customers and money by band of frequency (rows) and recency (columns), worst first."""

    monetary_band: int
    customers: list[list[int]]
    money: list[list[int]]
    lens: list[list[int]] | None


class CodeRow(BaseModel):
    code: str
    customers: int
    money: int


class TotalRow(BaseModel):
    total: int
    customers: int
    money: int


class ScoresPage(BaseModel):
    """``field`` over everyone; ``fields``: the same for each band of the third measure."""

    status: Status
    made_from: str
    measures: list[BandedMeasure]
    field: PlotField | None
    fields: list[PlotField]
    codes: list[CodeRow]
    code_count: int
    totals: list[TotalRow]
    scored: int
    unscored: int


@lru_cache(maxsize=16)
def _bandings(key: Keyed[Made]) -> tuple[Banding, ...]:
    made = key.value
    return tuple(
        band(np.asarray(made.column(n).values), BANDS, made.about(n).higher_is_better)
        for n in MEASURES
    )


def bandings(made: Made) -> tuple[Banding, ...]:
    """The bands of recency, frequency and monetary at one window."""
    return _bandings(Keyed(made.stamp, made))


def _measure(made: Made, name: str, banding: Banding, money: NDArray[np.int64]) -> BandedMeasure:
    about = made.about(name)
    cash = np.zeros(BANDS + 1, np.int64)
    np.add.at(cash, banding.bands, money)
    return BandedMeasure(
        name=name, label=about.label, unit=about.unit, higher_is_better=about.higher_is_better,
        bands=[
            BandRow(
                band=n + 1, customers=int(banding.sizes[n]), money=int(cash[n + 1]),
                low=_plain(banding.cuts[n, 0]), high=_plain(banding.cuts[n, 1]),
            )
            for n in range(BANDS)
        ],
        empty=banding.empty, lopsided=banding.lopsided,
        missing=int((banding.bands == 0).sum()),
    )  # fmt: skip


def _plain(value: float) -> float | None:
    return None if math.isnan(value) else float(value)


def _plots(
    made: Made, money: NDArray[np.int64], number: int, lens: NDArray[np.bool_] | None
) -> PlotField:
    recency, frequency, monetary = bandings(made)
    rows = None if number == 0 else monetary.bands == number
    found = field(recency, frequency, money, rows)
    inside = None
    if lens is not None:
        inside = field(recency, frequency, money, lens if rows is None else lens & rows)
    return PlotField(
        monetary_band=number, customers=found.customers.tolist(), money=found.money.tolist(),
        lens=inside.customers.tolist() if inside else None,
    )  # fmt: skip


def _lens(study: Study, window: WindowInView, name: str) -> NDArray[np.bool_] | None:
    clauses = kept_clauses(study, name)
    base = base_of(study, window)
    if not clauses or base is None:
        return None
    rows = np.zeros(len(base.known), np.bool_)
    rows[members(selection_of(study, window, clauses, base))] = True
    return rows


def scores_page(study: Study, window: WindowInView | None, lens: str) -> ScoresPage:
    """The whole station in one answer."""
    at = standing(study, window) if window else Standing(None)
    made = at.made
    if made is None or window is None or not made.rows:
        empty = Status(state="empty", words="Scores are cut from measures. Bring in a log first.")
        return ScoresPage(
            status=at.status or empty, made_from="", measures=[],
            field=None, fields=[], codes=[], code_count=0, totals=[], scored=0, unscored=0,
        )  # fmt: skip
    base, banded = base_from(made), bandings(made)
    inside = _lens(study, window, lens)
    text, total = codes(banded), totals(banded)
    scored = int((text != "").sum())
    return ScoresPage(
        status=at.status or Status(state="whole"),
        made_from=made.stamp,
        measures=[
            _measure(made, name, banding, base.money)
            for name, banding in zip(MEASURES, banded, strict=True)
        ],
        field=_plots(made, base.money, 0, inside),
        fields=[_plots(made, base.money, number, inside) for number in range(1, BANDS + 1)],
        codes=_top(text, base.money),
        code_count=len(np.unique(text[text != ""])),
        totals=_totals(total, base.money),
        scored=scored,
        unscored=int(base.known.sum()) - scored,
    )


def _top(text: NDArray[np.str_], money: NDArray[np.int64]) -> list[CodeRow]:
    names, place, counts = np.unique(text, return_inverse=True, return_counts=True)
    cash = np.zeros(len(names), np.int64)
    np.add.at(cash, place, money)
    order = [n for n in np.argsort(-counts, kind="stable") if names[n]][:TOP_CODES]
    return [
        CodeRow(code=str(names[n]), customers=int(counts[n]), money=int(cash[n])) for n in order
    ]


def _totals(total: NDArray[np.float64], money: NDArray[np.int64]) -> list[TotalRow]:
    rows = []
    for value in range(len(MEASURES), len(MEASURES) * BANDS + 1):
        mine = total == value
        rows.append(TotalRow(total=value, customers=int(mine.sum()), money=int(money[mine].sum())))
    return rows


@field_kind("band")
def _band_field(study: Study, window: WindowInView, name: str) -> Field | None:
    made = made_or_job(study, window)
    if not isinstance(made, Made) or not made.rows or name not in MEASURES:
        return None
    banding = bandings(made)[MEASURES.index(name)]
    levels = tuple(str(n) for n in range(1, BANDS + 1))
    column = Column(f"band:{name}", "category", banding.bands.astype(np.int32), "", levels)
    label = f"{made.about(name).label}, band"
    return Field(f"band:{name}", label, "", column, f"{made.stamp}:band:{name}")


@lists_fields
def _band_names(study: Study, window: WindowInView) -> list[FieldName]:
    made = made_or_job(study, window)
    if not isinstance(made, Made) or not made.rows:
        return []
    return [
        FieldName(f"band:{n}", f"{made.about(n).label}, band", "category", "", "Scores")
        for n in MEASURES
    ]


@station("scores", 3, "Scores")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    at = standing(study, window) if window else Standing(None)
    if at.made is None:
        return at.fact("") if at.job else Fact("not yet", "needs measures")
    if not at.made.rows:
        return Fact("not yet", "needs a log")
    lost = sum(banding.empty for banding in bandings(at.made))
    words = " × ".join([str(BANDS)] * len(MEASURES)) + " bands"
    return at.fact(f"{words}, {lost} lost to ties" if lost else words)
