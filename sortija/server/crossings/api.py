"""Crossings over HTTP."""

from __future__ import annotations

from typing import cast, get_args

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.crossings.dates import By
from sortija.server.crossings.reasons import WhyPage, why_page
from sortija.server.crossings.views import CrossingsPage, crossings_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import window_from

BY = OpenApiParameter("by", str, enum=["year", "quarter"], description="what lies between dates")


def _by(request: Request) -> By:
    asked = request.query_params.get("by", "year")
    if asked not in get_args(By):
        raise Problem("Dates lie a year or a quarter apart.")
    return cast(By, asked)


class CrossingsView(APIView):
    @extend_schema(parameters=[*WINDOW, BY], responses=CrossingsPage)
    def get(self, request: Request, study: int) -> Response:
        """Segments at several dates, and who crossed between them."""
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        return reply(crossings_page(found, window, _by(request)))


class WhyView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            BY,
            OpenApiParameter("step", int, required=True, description="from 0, oldest first"),
            OpenApiParameter("origin", int, required=True, description="state, from 0"),
            OpenApiParameter("target", int, required=True, description="state, from 0"),
        ],
        responses=WhyPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Why the customers of one crossing crossed."""
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        asked = [request.query_params.get(name, "") for name in ("step", "origin", "target")]
        if window is None or not all(is_whole(value) for value in asked):
            raise Problem("step, origin and target are whole numbers from 0.")
        return reply(why_page(found, window, _by(request), *map(int, asked)))
