"""Scores over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.scores.views import ScoresPage, scores_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.stations import default_window
from sortija.server.studies.windows import window_from

__all__ = ["urls"]


class ScoresView(APIView):
    @extend_schema(parameters=WINDOW, responses=ScoresPage)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        return reply(scores_page(found, window, request.query_params.get("lens", "")))


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [("studies/<int:study>/scores", ScoresView)]
