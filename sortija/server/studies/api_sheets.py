"""Tables of the screen as files that keep their shades."""

from __future__ import annotations

import io
import math
from typing import Annotated

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel, Field
from rest_framework.request import Request
from rest_framework.views import APIView

from sortija.core.formats.grids import Cell, Grid, write_grid
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import body
from sortija.server.studies.problems import Problem

_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_MOST_COLUMNS, _MOST_ROWS = 300, 20_000


class SheetCell(BaseModel):
    """``form``: text, number, share, money, signed or year; ``shade``: as E7E1F4, or empty."""

    value: float | str | None = None
    form: str = "text"
    shade: str = ""


class SheetOfTable(BaseModel):
    """A table as it stands on the screen."""

    title: str
    note: str = ""
    heads: Annotated[list[str], Field(min_length=1, max_length=_MOST_COLUMNS)]
    rows: Annotated[list[list[SheetCell]], Field(max_length=_MOST_ROWS)]


class Sheets(APIView):
    @extend_schema(request=SheetOfTable, responses={(200, _TYPE): OpenApiTypes.BINARY})
    def post(self, request: Request, study: int) -> HttpResponse:
        """An XLSX workbook of a table; it changes nothing."""
        found = study_for(request.user, study)
        asked = body(request, SheetOfTable)
        rows = [[_cell(cell) for cell in row] for row in asked.rows]
        file = io.BytesIO()
        try:
            write_grid(file, Grid(asked.title, asked.heads, rows, asked.note), found.currency)
        except ValueError as problem:
            raise Problem(str(problem)) from problem
        return HttpResponse(file.getvalue(), content_type=_TYPE)


def _cell(cell: SheetCell) -> Cell:
    gone = isinstance(cell.value, float) and not math.isfinite(cell.value)
    return Cell(None if gone else cell.value, cell.form, cell.shade)
