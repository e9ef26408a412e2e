"""One request a screen: the lens's clauses, every chart's bars, a clause tried out."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel, Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.lens.clauses import Clause, ClauseError
from sortija.server.lens.evaluation import LensAnswer, evaluate
from sortija.server.lens.fields import field_names
from sortija.server.lens.models import Lens
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import body, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import default_window
from sortija.server.studies.windows import window_from

__all__ = ["urls"]


class ClauseBody(BaseModel):
    """A clause as it travels; see ``core.lens.clauses``."""

    field: str
    values: list[str] = []
    ranges: list[tuple[float | None, float | None]] = []
    negated: bool = False
    window: str = ""


class LensQuestion(BaseModel):
    clauses: list[ClauseBody] = Field(default=[], max_length=20)
    charts: list[str] = Field(default=[], max_length=24)
    preview: ClauseBody | None = None


class LensClauses(BaseModel):
    clauses: list[ClauseBody]


def clause_of(given: ClauseBody) -> Clause:
    """The clause, or a 400 that says what is wrong with it."""
    try:
        return Clause.from_json(given.model_dump())
    except ClauseError as problem:
        raise Problem(str(problem)) from problem


class LensView(APIView):
    @extend_schema(request=LensQuestion, responses=LensAnswer)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        asked = body(request, LensQuestion)
        window = window_from(request, default_window(found))
        clauses = [clause_of(c) for c in asked.clauses]
        preview = clause_of(asked.preview) if asked.preview else None
        return reply(evaluate(found, window, clauses, asked.charts, preview))


class FieldRow(BaseModel):
    """A field on offer for clauses and charts."""

    field: str
    label: str
    kind: str
    unit: str
    group: str
    labels: dict[str, str]


class FieldList(BaseModel):
    fields: list[FieldRow]


class FieldsView(APIView):
    @extend_schema(responses=FieldList)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        names = field_names(found, window) if window else []
        rows = [
            FieldRow(
                field=n.key,
                label=n.label,
                kind=n.kind,
                unit=n.unit,
                group=n.group,
                labels=n.labels,
            )
            for n in names
        ]
        return reply(FieldList(fields=rows))


class KeptLens(APIView):
    @extend_schema(responses=LensClauses)
    def get(self, request: Request, study: int, digest: str) -> Response:
        found = study_for(request.user, study)
        row = Lens.objects.filter(study=found, digest=digest).first()
        if row is None:
            raise Http404("This lens is not known here. Start again from everyone.")
        clauses: list[dict[str, Any]] = row.clauses
        return reply(LensClauses(clauses=[ClauseBody(**c) for c in clauses]))


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [
        ("studies/<int:study>/fields", FieldsView),
        ("studies/<int:study>/lens", LensView),
        ("studies/<int:study>/lens/<str:digest>", KeptLens),
    ]
