"""Measures over HTTP: against each other, over time, and the study's own."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.measures.formula import FUNCTIONS
from sortija.server.measures import formulas
from sortija.server.measures.formulas import Checked, OwnMeasure, Word
from sortija.server.measures.levels import LevelsPage, levels_page
from sortija.server.measures.pairs import (
    AlikePage,
    MatrixPage,
    PairPage,
    alike_page,
    matrix_page,
    pair_page,
    pair_points,
)
from sortija.server.measures.requests import ROWS, rows_for
from sortija.server.measures.series import SeriesPage, series_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.arrow import ARROW, Arrow
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

PAIR = [*ROWS, OpenApiParameter("x", str), OpenApiParameter("y", str)]


class AlikeView(APIView):
    @extend_schema(
        parameters=[
            *ROWS,
            OpenApiParameter("rank", str, description="1: by ranks (Spearman)"),
            OpenApiParameter("every", str, description="1: those left out too"),
        ],
        responses=AlikePage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Correlation or association of every two measures, ordered by likeness."""
        found = study_for(request.user, study)
        asked = request.query_params
        made = rows_for(request, found)
        return reply(alike_page(made, found, asked.get("rank") == "1", asked.get("every") == "1"))


class PairView(APIView):
    @extend_schema(parameters=PAIR, responses=PairPage)
    def get(self, request: Request, study: int) -> Response:
        """Two measures against each other."""
        found = study_for(request.user, study)
        asked = request.query_params
        page = pair_page(rows_for(request, found), found, asked.get("x", ""), asked.get("y", ""),
                         asked.get("lens", ""))  # fmt: skip
        return reply(page)


class PairPoints(APIView):
    """The points of two measures as an Arrow IPC stream."""

    content_negotiation_class = Arrow

    @extend_schema(parameters=PAIR, responses={(200, ARROW): OpenApiTypes.BINARY})
    def get(self, request: Request, study: int) -> HttpResponse:
        found = study_for(request.user, study)
        asked = request.query_params
        data = pair_points(rows_for(request, found), found, asked.get("x", ""), asked.get("y", ""),
                           asked.get("lens", ""))  # fmt: skip
        return HttpResponse(data, content_type=ARROW)


class MatrixView(APIView):
    @extend_schema(
        parameters=[*ROWS, OpenApiParameter("names", str, description="divided by commas")],
        responses=MatrixPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Several measures against each other, in pairs."""
        found = study_for(request.user, study)
        names = [n for n in request.query_params.get("names", "").split(",") if n]
        lens = request.query_params.get("lens", "")
        return reply(matrix_page(rows_for(request, found), found, names, lens))


class LevelsView(APIView):
    @extend_schema(parameters=ROWS, responses=LevelsPage)
    def get(self, request: Request, study: int) -> Response:
        """The levels of a trait, one per row, by their measures."""
        found = study_for(request.user, study)
        return reply(levels_page(rows_for(request, found), found))


class SeriesView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("step", str, description="month, quarter or year"),
            OpenApiParameter("shares", str, description="1: shares of sales too"),
        ],
        responses=SeriesPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """The measures over a series of windows."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        step = request.query_params.get("step", "month")
        shares = request.query_params.get("shares") == "1"
        return reply(series_page(found, window, step, request.user, shares))


class FunctionRow(BaseModel):
    name: str
    shown: str
    words: str


class FormulaHelp(BaseModel):
    """What a formula can speak of and call."""

    words: list[Word]
    functions: list[FunctionRow]
    signs: list[str]


class FormulaText(BaseModel):
    """``name``: the own measure that the formula is to replace."""

    formula: str
    name: str = ""


class NewOwn(BaseModel):
    label: str
    formula: str


class OwnKept(BaseModel):
    own: OwnMeasure
    revision: int


class OwnMeasures(APIView):
    @extend_schema(parameters=ROWS, responses=FormulaHelp)
    def get(self, request: Request, study: int) -> Response:
        """The words and functions of formulas."""
        found = study_for(request.user, study)
        rows = [FunctionRow(name=f.name, shown=f.shown, words=f.words) for f in FUNCTIONS.values()]
        signs = ["+", "-", "*", "/", "^", "<", "<=", ">", ">=", "=", "!=", "and", "or", "not"]
        words = formulas.words_of(rows_for(request, found))
        return reply(FormulaHelp(words=words, functions=rows, signs=signs))

    @extend_schema(parameters=[*ROWS, REVISION], request=NewOwn, responses={201: OwnKept})
    def post(self, request: Request, study: int) -> Response:
        """Keep a formula as a measure."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewOwn)
        mine, revision = formulas.keep(
            rows_for(request, found), request.user, asked.label, asked.formula,
            expected=expected_revision(request),
        )  # fmt: skip
        return reply(OwnKept(own=mine, revision=revision), 201)


class FormulaCheck(APIView):
    """Read a formula, and try it on everyone without keeping it."""

    @extend_schema(parameters=ROWS, request=FormulaText, responses=Checked)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        asked = body(request, FormulaText)
        return reply(formulas.check(rows_for(request, found), asked.formula, asked.name))


class OneOwn(APIView):
    @extend_schema(parameters=[*ROWS, REVISION], request=NewOwn, responses=OwnKept)
    def put(self, request: Request, study: int, name: str) -> Response:
        """Change the formula of a measure."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewOwn)
        if not name:
            raise Problem("Say which measure.", 404)
        mine, revision = formulas.keep(
            rows_for(request, found), request.user, asked.label, asked.formula, name,
            expected_revision(request),
        )  # fmt: skip
        return reply(OwnKept(own=mine, revision=revision))

    @extend_schema(parameters=[*ROWS, REVISION], responses={204: None})
    def delete(self, request: Request, study: int, name: str) -> Response:
        """Delete a measure of the study's own."""
        found = study_for(request.user, study, "analyst")
        formulas.drop(rows_for(request, found), request.user, name, expected_revision(request))
        return Response(status=204)
