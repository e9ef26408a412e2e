"""The customers of a lens, one per row: any fields as columns, in any order, paged or whole."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.formats.exports import Cells, Told, cells_of
from sortija.core.lens.clauses import Clause
from sortija.core.lens.evaluate import members
from sortija.core.progress import Progress, silent
from sortija.core.table import REASONS, Column
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import Field, base_of, customer_names, field, field_names
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["CustomerList", "Listing", "usual_fields"]

PAGE = 100
MOST_FIELDS = 60
_FIRST = ("segment:now", "measure:recency", "measure:frequency", "measure:monetary")
_USUAL = 8
_BLOCK = 20_000


class ListedColumn(BaseModel):
    """One column of a page: numbers, or the places of ``levels`` (−1: none), as ``kind`` says;
    ``marks``: of levels that are segments, −1 for none."""

    field: str
    label: str
    unit: str
    kind: str
    levels: list[str]
    marks: list[int]
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
            marks=list(found.marks),
            numbers=[None if np.isnan(v) else float(v) for v in values] if number else [],
            places=[] if number else (values - 1).tolist(),
        )  # fmt: skip

    def told(self) -> list[Told]:
        """The dictionary of the list's columns, the customer first."""
        first = Told("customer", "Customer", "text", "", "The card, or the customer's first one.")
        names = [found.key.split(":", 1)[-1] for found in self.fields]
        free = [n if names.index(n) == at else f"{n}_{at + 1}" for at, n in enumerate(names)]
        return [first, *(self._told(found, n) for found, n in zip(self.fields, free, strict=True))]

    def _told(self, found: Field, name: str) -> Told:
        column = found.column.sized(self.size)
        gone = Counter(_reasons(column)[self.rows].tolist())
        missing = "; ".join(
            f"{count:,} {REASONS[code]}" for code, count in sorted(gone.items()) if code
        )
        levels = () if column.kind == "number" else tuple(found.labels or column.levels)
        unit = "" if found.unit == "date" else found.unit
        definition = found.definition or f"From the study: {found.label}."
        return Told(name, found.label, _kind(found), unit, definition, missing, levels)

    def blocks(self, progress: Progress = silent) -> Iterator[Cells]:
        """The whole list in blocks of rows: the customers' names, then the columns' cells."""
        for start in range(0, max(len(self.rows), 1), _BLOCK):
            progress("customers", start, len(self.rows))
            part = self.rows[start : start + _BLOCK]
            names = customer_names(self.study, part.tolist())
            yield [names, *(self.cells(found, part) for found in self.fields)]

    def cells(self, found: Field, rows: NDArray[np.int64]) -> list[Any]:
        """Cells of a column for these customers."""
        column = found.column.sized(self.size)
        values, missing = np.asarray(column.values)[rows], column.missing[rows]
        return cells_of(values, missing, _kind(found), found.labels or column.levels)


def _kind(found: Field) -> str:
    if found.column.kind == "category":
        return "text"
    return "date" if found.unit == "date" else "number"


def _reasons(column: Column) -> NDArray[np.uint8]:
    """Why each value is missing, 0 where it is there."""
    if column.reasons is not None:
        return np.asarray(column.reasons)
    return np.where(column.missing, 3, 0).astype(np.uint8)
