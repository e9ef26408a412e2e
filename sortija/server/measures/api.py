"""Measures over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.measures.actions import choose
from sortija.server.measures.customer import CustomerMeasures, measures_of
from sortija.server.measures.made import Made, made_or_job
from sortija.server.measures.views import MeasuresPage, StepsBody, measures_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, body, expected_revision, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import default_window
from sortija.server.studies.windows import window_from

__all__ = ["urls"]


class MeasureChoice(BaseModel):
    role: str | None = None
    steps: StepsBody | None = None


class PlanRevision(BaseModel):
    revision: int


class MeasuresView(APIView):
    @extend_schema(parameters=WINDOW, responses=MeasuresPage)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        lens = request.query_params.get("lens", "")
        return reply(measures_page(found, window, lens, request.user))


class OneMeasure(APIView):
    @extend_schema(request=MeasureChoice, responses=PlanRevision)
    def put(self, request: Request, study: int, name: str) -> Response:
        found = study_for(request.user, study, "analyst")
        window = window_from(request, default_window(found))
        made = made_or_job(found, window) if window else None
        if not isinstance(made, Made) or name not in made.names:
            raise Problem(f"There is no measure called {name} in this window.", 404)
        asked = body(request, MeasureChoice)
        revision = choose(
            found, request.user, name, made.about(name).label, asked.role,
            asked.steps.model_dump() if asked.steps else None, expected_revision(request),
        )  # fmt: skip
        return reply(PlanRevision(revision=revision))


class CustomerMeasuresView(APIView):
    @extend_schema(parameters=WINDOW, responses=CustomerMeasures)
    def get(self, request: Request, study: int, customer: int) -> Response:
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        return reply(measures_of(found, window, customer))


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [
        ("studies/<int:study>/measures", MeasuresView),
        ("studies/<int:study>/measures/<str:name>", OneMeasure),
        ("studies/<int:study>/customer/<int:customer>/measures", CustomerMeasuresView),
    ]
