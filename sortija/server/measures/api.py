"""Measures over HTTP: the page, one measure, and what is chosen about it."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.measures import actions
from sortija.server.measures.column_summaries import proposed_for
from sortija.server.measures.customer import CustomerMeasures, measures_of
from sortija.server.measures.detail import Fill, MeasureDetail, detail_of, fill_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import MeasuresPage, StepsBody
from sortija.server.measures.plan import prepared_steps, role_of
from sortija.server.measures.record import preparation_record
from sortija.server.measures.requests import OF, ROWS, made_for, rows_for
from sortija.server.measures.views import measures_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.trail import window_in
from sortija.server.studies.windows import read_window

__all__ = ["PlanRevision"]


class MeasureChoice(BaseModel):
    """``proposed``: back to the preparation that is proposed."""

    role: str | None = None
    steps: StepsBody | None = None
    proposed: bool = False


class PlanRevision(BaseModel):
    revision: int


class PlanChoice(BaseModel):
    """Prepare every measure by a preset, or by what was kept under a name; or keep what is."""

    preset: str = ""
    kept: str = ""
    keep_as: str = ""


class MeasuresView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("beside", str, description="a second window, as 2025-06-30:12"),
            OF,
        ],
        responses=MeasuresPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """One row per measure: figures, shape, preparation, role."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        lens = request.query_params.get("lens", "")
        to, _, back = request.query_params.get("beside", "").partition(":")
        beside = read_window(to, back or "12") if to else None
        of = request.query_params.get("of", "")
        return reply(measures_page(found, window, lens, request.user, beside, of))

    @extend_schema(parameters=[*ROWS, REVISION], request=PlanChoice, responses=PlanRevision)
    def put(self, request: Request, study: int) -> Response:
        """Prepare every measure at once, or keep the preparations under a name."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, PlanChoice)
        made = rows_for(request, found)
        expected = expected_revision(request)
        if asked.keep_as:
            plan, revision = actions.plan_of(found, made.of)
            if expected != revision:
                raise Conflict(
                    "The preparations were changed since you loaded this page. Load the page again."
                )
            actions.keep_plan(found, request.user, asked.keep_as, _whole(made, plan))
        elif asked.kept:
            revision = actions.follow_kept(found, request.user, asked.kept, expected, made.of)
        else:
            numbers = [n for n, s in made.sources.items() if s.kind == "number"]
            revision = actions.follow_preset(
                found, request.user, asked.preset, numbers, expected, made.of
            )
        return reply(PlanRevision(revision=revision))


def _whole(made: MeasureSet, plan: actions.Plan) -> actions.Plan:
    """Every measure's role and preparation, the proposed ones spelt out."""
    out: actions.Plan = {}
    for name, source in made.sources.items():
        steps = prepared_steps(made, plan, name) if source.kind == "number" else None
        out[name] = actions.PlanChoice(role=role_of(made, plan, name), steps=steps)
    return out


class KeptPreparation(APIView):
    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, name: str) -> Response:
        """Delete preparations kept under a name."""
        found = study_for(request.user, study, "analyst")
        actions.drop_kept(found, request.user, name, expected_revision(request))
        return Response(status=204)


class PreparationRecord(APIView):
    @extend_schema(parameters=WINDOW, responses={(200, "text/plain"): OpenApiTypes.STR})
    def get(self, request: Request, study: int) -> HttpResponse:
        """How every measure is prepared, as text."""
        found = study_for(request.user, study)
        text = preparation_record(found, made_for(request, found))
        return HttpResponse(text, content_type="text/plain; charset=utf-8")


class OneMeasure(APIView):
    @extend_schema(parameters=ROWS, responses=MeasureDetail)
    def get(self, request: Request, study: int, name: str) -> Response:
        """One measure opened: its histogram, fences, choices and what each would do."""
        found = study_for(request.user, study)
        made = rows_for(request, found)
        return reply(detail_of(made, found, name, request.query_params.get("lens", "")))

    @extend_schema(parameters=[*ROWS, REVISION], request=MeasureChoice, responses=PlanRevision)
    def put(self, request: Request, study: int, name: str) -> Response:
        """Choose a measure's role or preparation."""
        found = study_for(request.user, study, "analyst")
        made = rows_for(request, found)
        if name not in made.sources:
            raise Problem(f"There is no measure called {name} in this window.", 404)
        asked = body(request, MeasureChoice)
        steps = asked.steps.model_dump() if asked.steps else None
        if steps is not None and made.source(name).kind == "category":
            raise Problem(f"{made.about(name).label} is a category: it is taken as it is.")
        proposed = asked.proposed or (
            steps is not None and steps == proposed_for(made, name).__dict__
        )
        revision = actions.choose(
            found, request.user, name, made.about(name).label, asked.role,
            None if proposed else steps, expected_revision(request), proposed, made.of,
        )  # fmt: skip
        return reply(PlanRevision(revision=revision))


class MeasureFill(APIView):
    """Who would give one customer the value that is missing."""

    @extend_schema(parameters=WINDOW, responses=Fill)
    def get(self, request: Request, study: int, name: str, customer: int) -> Response:
        found = study_for(request.user, study)
        return reply(fill_of(made_for(request, found), found, name, customer))


class CustomerMeasuresView(APIView):
    @extend_schema(parameters=WINDOW, responses=CustomerMeasures)
    def get(self, request: Request, study: int, customer: int) -> Response:
        """One customer's measures, each with the sentence that explains it."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(measures_of(found, window, customer))
