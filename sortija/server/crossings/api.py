"""Crossings over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.crossings.views import CrossingsPage, WhyPage, crossings_page, why_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import default_window
from sortija.server.studies.windows import window_from

__all__ = ["urls"]


class CrossingsView(APIView):
    @extend_schema(parameters=WINDOW, responses=CrossingsPage)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        return reply(crossings_page(found, window_from(request, default_window(found))))


class WhyView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("step", int, required=True, description="from 0, oldest first"),
            OpenApiParameter("origin", int, required=True, description="state, from 0"),
            OpenApiParameter("target", int, required=True, description="state, from 0"),
        ],
        responses=WhyPage,
    )
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        asked = [request.query_params.get(name, "") for name in ("step", "origin", "target")]
        if window is None or not all(value.isdigit() for value in asked):
            raise Problem("step, origin and target are whole numbers from 0.")
        return reply(why_page(found, window, *(int(value) for value in asked)))


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [
        ("studies/<int:study>/crossings", CrossingsView),
        ("studies/<int:study>/crossings/why", WhyView),
    ]
