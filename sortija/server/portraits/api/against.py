"""Segments against categories and measures, and their first customers."""

from __future__ import annotations

from dataclasses import replace

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.portraits.against import AgainstAsked, AgainstPage, against_page
from sortija.server.portraits.api.asked import AGAINST_WHAT, compared
from sortija.server.portraits.pairs import (
    FirstPage,
    MultiplesPage,
    PairAsked,
    first_page,
    multiples_page,
)
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.trail import window_in

__all__ = ["AgainstView", "FirstView", "MultiplesView"]


class AgainstView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("by", str, description="what the columns are set against"),
            AGAINST_WHAT,
        ],
        responses=AgainstPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Segments against tiers, a trait, a kept lens, older segments, or what they spend on."""
        found = study_for(request.user, study)
        query = request.query_params
        asked = AgainstAsked(query.get("by", ""), *compared(request))
        return reply(against_page(found, window_in(request, found), asked))


class MultiplesView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("x", str, description="the measure across"),
            OpenApiParameter("y", str, description="the measure up"),
            AGAINST_WHAT,
        ],
        responses=MultiplesPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Two measures against each other, segment by segment."""
        found = study_for(request.user, study)
        asked = _pair_asked(request, "x", "y")
        return reply(multiples_page(found, window_in(request, found), asked))


class FirstView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("by", str, description="the measure they are ordered by"),
            OpenApiParameter("least", str, description="1: from the least on"),
            AGAINST_WHAT,
        ],
        responses=FirstPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """The first customers of every segment by a measure."""
        found = study_for(request.user, study)
        asked = _pair_asked(request, "by")
        asked = replace(asked, least=request.query_params.get("least") == "1")
        return reply(first_page(found, window_in(request, found), asked))


def _pair_asked(request: Request, *names: str) -> PairAsked:
    query = request.query_params
    measures = tuple(query[name] for name in names if query.get(name))
    return PairAsked(measures, *compared(request))
