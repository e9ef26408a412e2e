"""Scores over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.measures.requests import ROWS, rows_for
from sortija.server.scores.codes import codes_page
from sortija.server.scores.drafts import ScoreDraft, change_draft, draft_of
from sortija.server.scores.payloads import CodesPage, ScoresPage, WorthPage
from sortija.server.scores.scored import ScoredAt, scored_at
from sortija.server.scores.views import Look, scores_page
from sortija.server.scores.worth import worth_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

LOOK = [
    OpenApiParameter("across", str, description="the measure that lies across"),
    OpenApiParameter("up", str, description="the measure that lies upwards"),
    OpenApiParameter("third", str, description="the measure of the small fields"),
    OpenApiParameter("shade", str, description="heads, customers, money, back, or measure:<name>"),
]


class ScoresRevision(BaseModel):
    revision: int


def _at(request: Request, study: Study) -> ScoredAt:
    draft, _ = draft_of(study, request.query_params.get("of", ""))
    found = scored_at(rows_for(request, study), draft)
    if found is None:
        raise Problem("There is nothing to score in this window.", 404)
    return found


class ScoresView(APIView):
    @extend_schema(parameters=[*ROWS, *LOOK], responses=ScoresPage)
    def get(self, request: Request, study: int) -> Response:
        """Bands on their rulers, the field, totals and the ladder."""
        found = study_for(request.user, study)
        asked = request.query_params
        look = Look(*(asked.get(name, "") for name in ("across", "up", "third", "shade", "lens")))
        window = window_in(request, found)
        return reply(scores_page(found, window, look, asked.get("of", "")))


class ScoreRecipeView(APIView):
    @extend_schema(parameters=[*ROWS, REVISION], request=ScoreDraft, responses=ScoresRevision)
    def put(self, request: Request, study: int) -> Response:
        """Change what scores are made from."""
        found = study_for(request.user, study, "analyst")
        draft, of = body(request, ScoreDraft), request.query_params.get("of", "")
        scored_at(rows_for(request, found), draft)  # what cannot be cut is refused, not kept
        revision = change_draft(found, request.user, draft, expected_revision(request), of)
        return reply(ScoresRevision(revision=revision))


class CodesView(APIView):
    @extend_schema(
        parameters=[
            *ROWS,
            OpenApiParameter("sort", str, description="customers, money, total or mean, or -…"),
            OpenApiParameter("mean", str, description="the measure whose mean is told"),
        ],
        responses=CodesPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Which bands go together, how often, and what those customers are like."""
        found = study_for(request.user, study)
        asked = request.query_params
        sort = asked.get("sort", "customers")
        return reply(codes_page(_at(request, found), sort, asked.get("mean", "")))


class WorthView(APIView):
    @extend_schema(
        parameters=[*ROWS, OpenApiParameter("months", int, description="1, 3, 6 or 12")],
        responses=WorthPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Who came back after a window, and what they spent, by band."""
        found = study_for(request.user, study)
        at = _at(request, found)
        if at.made.of:
            raise Problem("Worth is told of customers. Take customers for rows.", 404)
        months = request.query_params.get("months", "3")
        return reply(worth_page(found, at.made.window, at, int(months) if is_whole(months) else 0))
