"""The customers of a lens, one a row: any fields as columns, in any order, paged or whole."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.formats.lists import csv_lines
from sortija.core.lens.clauses import Clause
from sortija.core.lens.evaluate import members
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import Field, base_of, customer_names, field, field_names
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["CustomerList", "Listing", "usual_fields"]

PAGE = 100
MOST_FIELDS = 12
_FIRST = ("segment:now", "measure:recency", "measure:frequency", "measure:monetary")
_USUAL = 8
_BLOCK = 20_000


class ListedColumn(BaseModel):
    """One column of a page: numbers, or the places of ``levels`` (−1: none), as ``kind`` says."""

    field: str
    label: str
    unit: str
    kind: str
    levels: list[str]
    numbers: list[float | None]
    places: list[int]


class CustomerList(BaseModel):
    """A page of customers; ``names``: what they are called, ``total``: how many there are."""

    ready: bool
    total: int
    first: int
    numbers: list[int]
    names: list[str]
    columns: list[ListedColumn]
    made_from: str


def usual_fields(study: Study, window: WindowInView) -> list[str]:
    """What a list shows unless asked otherwise: segment, the three measures, first traits."""
    there = field_names(study, window)
    keys = [name.key for name in there]
    first = [key for key in _FIRST if key in keys]
    traits = [n.key for n in there if n.key.startswith("trait:") and n.kind == "category"]
    return [*first, *traits][:_USUAL]


def _rank(found: Field, size: int, rows: NDArray[np.int64], down: bool) -> NDArray[np.int64]:
    """``rows`` by the field's values; those without one last, ties by customer."""
    column = found.column.sized(size)
    values, missing = np.asarray(column.values)[rows], column.missing[rows]
    if column.kind == "category":
        labels = found.labels or column.levels
        place = np.zeros(len(labels) + 1, np.int64)
        place[1 + np.argsort(np.array(labels, dtype=str), kind="stable")] = np.arange(len(labels))
        values = place[values]
    keys = np.where(missing, 0, -values if down else values)
    return rows[np.lexsort((rows, keys, missing))]


class Listing:
    """The customers of a lens in one window, in one order."""

    def __init__(
        self, study: Study, window: WindowInView, clauses: Sequence[Clause],
        fields: Sequence[str], order: str = "", down: bool = False,
    ) -> None:  # fmt: skip
        if len(fields) > MOST_FIELDS:
            raise Problem(f"A list shows at most {MOST_FIELDS} columns at a time.")
        base = base_of(study, window)
        if base is None:
            raise Problem("The measures of this window are still being derived.", 503)
        self.study, self.made_from, self.size = study, base.made_from, len(base.known)
        self.fields = [field(study, window, key) for key in fields]
        self.rows = np.asarray(members(selection_of(study, window, clauses, base)), np.int64)
        if order:
            self.rows = _rank(field(study, window, order), self.size, self.rows, down)
        elif down:
            self.rows = self.rows[::-1]

    def page(self, first: int) -> CustomerList:
        """Customers from place ``first`` on."""
        rows = self.rows[first : first + PAGE]
        return CustomerList(
            ready=True, total=len(self.rows), first=first,
            numbers=rows.tolist(), names=customer_names(self.study, rows.tolist()),
            columns=[self._column(found, rows) for found in self.fields],
            made_from=self.made_from,
        )  # fmt: skip

    def _column(self, found: Field, rows: NDArray[np.int64]) -> ListedColumn:
        column = found.column.sized(self.size)
        values = np.asarray(column.values)[rows]
        number = column.kind == "number"
        return ListedColumn(
            field=found.key, label=found.label, unit=found.unit, kind=column.kind,
            levels=[] if number else list(found.labels or column.levels),
            numbers=[None if np.isnan(v) else float(v) for v in values] if number else [],
            places=[] if number else (values - 1).tolist(),
        )  # fmt: skip

    def lines(self) -> Iterator[str]:
        """The whole list as CSV, text cells made safe."""
        head = ["customer", *(found.label for found in self.fields)]

        def rows() -> Iterator[list[Any]]:
            for start in range(0, len(self.rows), _BLOCK):
                part = self.rows[start : start + _BLOCK]
                names = customer_names(self.study, part.tolist())
                cells = [self._cells(found, part) for found in self.fields]
                yield from (list(row) for row in zip(names, *cells, strict=True))

        return csv_lines(head, rows())

    def _cells(self, found: Field, rows: NDArray[np.int64]) -> list[Any]:
        shown = self._column(found, rows)
        if shown.kind == "category":
            return [shown.levels[place] if place >= 0 else "" for place in shown.places]
        if shown.unit == "date":
            days = [v if v is None else np.datetime64(int(v), "D") for v in shown.numbers]
            return ["" if day is None else str(day) for day in days]
        return ["" if v is None else _plain(v) for v in shown.numbers]


def _plain(value: float) -> float | int:
    return int(value) if value == int(value) else round(value, 6)
