"""Groups over HTTP: profiles, comparison, maps, trees, proposals."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.centres import CentresPage, centres_page
from sortija.server.groups.pictures.maps import map_page
from sortija.server.groups.pictures.merges import MergesPage, grow_trees, merges_page
from sortija.server.groups.pictures.neighbourhood import lay_out
from sortija.server.groups.pictures.payloads import MapPage, PlanePage, WidthsPage
from sortija.server.groups.pictures.plane import map_points, plane_page
from sortija.server.groups.pictures.widths import widths_page
from sortija.server.groups.runs.candidate import (
    BalancePage,
    CandidatePage,
    balance_page,
    candidate_page,
)
from sortija.server.groups.runs.comparison import ComparePage, compare_page
from sortija.server.groups.runs.proposals import ProposalsPage, proposals_page, propose
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.requests import made_for
from sortija.server.studies.actions import study_for
from sortija.server.studies.arrow import ARROW, Arrow
from sortija.server.studies.http import WINDOW, JobRow, body, job_row, reply
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

AXES = [
    *WINDOW,
    OpenApiParameter("axes", str, description="keys divided by commas, 1 to 8"),
    OpenApiParameter("colour", str, description="group, a trait, or measure:<name>"),
]


class Budget(BaseModel):
    seconds: int = 60


def _looked_at(request: Request, study: int, grouping: int) -> tuple[Study, MeasureSet, Grouping]:
    """A grouping, and the measures of the window in view."""
    found = study_for(request.user, study)
    row = (
        Grouping.objects.filter(study=found, pk=grouping, binned=False)
        .select_related("labels")
        .first()
    )
    if row is None:
        raise Http404("There is no such grouping here. Run the recipe again.")
    return found, made_for(request, found), row


def _number(request: Request, name: str, usual: int) -> int:
    given = request.query_params.get(name, "")
    return int(given) if is_whole(given) else usual


def _axes(request: Request) -> list[str]:
    given = request.query_params.get("axes", "component:1,component:2")
    return [each for each in given.split(",") if each]


class CandidateView(APIView):
    @extend_schema(parameters=WINDOW, responses=CandidatePage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """Each group of a candidate in a line."""
        return reply(candidate_page(*_looked_at(request, study, grouping)))


class CentresView(APIView):
    @extend_schema(parameters=WINDOW, responses=CentresPage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """A candidate's centres in original and prepared units, with sums of squares."""
        _, made, row = _looked_at(request, study, grouping)
        return reply(centres_page(made, row))


class BalanceView(APIView):
    @extend_schema(parameters=[*WINDOW, OpenApiParameter("k", int)], responses=BalancePage)
    def get(self, request: Request, study: int) -> Response:
        """What the balance of numbers and categories would change."""
        found = study_for(request.user, study)
        return reply(balance_page(found, made_for(request, found), _number(request, "k", 6)))


class CompareView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("first", str, description="g12, y3, t.garden or ladder"),
            OpenApiParameter("second", str, description="g12, y3, t.garden or ladder"),
        ],
        responses=ComparePage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Two ways to divide the customers, side by side."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        if window is None:
            raise Problem("There is no log yet. Import one at the Ledger.")
        asked = request.query_params
        return reply(compare_page(found, window, asked.get("first", ""), asked.get("second", "")))


class MapView(APIView):
    @extend_schema(parameters=WINDOW, responses=MapPage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """Components of a candidate's customers, and where its groups lie on them."""
        _, made, row = _looked_at(request, study, grouping)
        return reply(map_page(made, row))


class PlaneView(APIView):
    @extend_schema(parameters=AXES, responses=PlanePage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """Customers of a candidate on two or three axes, as density or centres."""
        _, made, row = _looked_at(request, study, grouping)
        colour = request.query_params.get("colour", "")
        return reply(plane_page(made, row, _axes(request), colour))


class PointsView(APIView):
    """The points of a picture as an Arrow IPC stream."""

    content_negotiation_class = Arrow

    @extend_schema(
        parameters=[*AXES, OpenApiParameter("most", int, description="at most so many points")],
        responses={(200, ARROW): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, study: int, grouping: int) -> HttpResponse:
        _, made, row = _looked_at(request, study, grouping)
        asked = request.query_params
        most = _number(request, "most", 20_000)
        data = map_points(
            made, row, _axes(request), asked.get("colour", ""), asked.get("lens", ""), most
        )
        return HttpResponse(data, content_type=ARROW)


class WidthsView(APIView):
    @extend_schema(parameters=WINDOW, responses=WidthsPage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """Silhouette widths of a candidate, group by group."""
        _, made, row = _looked_at(request, study, grouping)
        return reply(widths_page(made, row, request.query_params.get("lens", "")))


class NeighbourhoodView(APIView):
    @extend_schema(request=None, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int, grouping: int) -> Response:
        """Lay customers out so that alike ones are side by side."""
        _, made, row = _looked_at(request, study, grouping)
        return reply(job_row(lay_out(made, request.user, row)), 202)


class MergesView(APIView):
    @extend_schema(parameters=WINDOW, responses=MergesPage)
    def get(self, request: Request, study: int) -> Response:
        """Trees of merges, cut at their topmost."""
        found = study_for(request.user, study)
        return reply(merges_page(found, made_for(request, found)))

    @extend_schema(request=None, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int) -> Response:
        """Grow the trees of four linkages."""
        found = study_for(request.user, study, "analyst")
        return reply(job_row(grow_trees(found, request.user, made_for(request, found))), 202)


class ProposalsView(APIView):
    @extend_schema(parameters=WINDOW, responses=ProposalsPage)
    def get(self, request: Request, study: int) -> Response:
        """Three groupings that differ in kind, with reasons and doubts."""
        found = study_for(request.user, study)
        return reply(proposals_page(found, made_for(request, found)))

    @extend_schema(request=Budget, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int) -> Response:
        """Look for three groupings by itself."""
        found = study_for(request.user, study, "analyst")
        made, seconds = made_for(request, found), body(request, Budget).seconds
        return reply(job_row(propose(found, request.user, made, seconds)), 202)
