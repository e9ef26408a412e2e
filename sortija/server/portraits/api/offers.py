"""Offers by segment."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import TypeAdapter, ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.portraits.api.asked import AGAINST_WHAT, compared
from sortija.server.portraits.offers import OffersAsked, OffersPage, offers_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

__all__ = ["OffersView"]


class OffersView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("chosen", str, description='the next mailing, as {"theme": "give"}'),
            AGAINST_WHAT,
        ],
        responses=OffersPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Past offers by segment, what the preferred ones share, and the next mailing."""
        found = study_for(request.user, study)
        query = request.query_params
        asked = OffersAsked(*compared(request), _chosen(query.get("chosen", "")))
        return reply(offers_page(found, window_in(request, found), asked))


def _chosen(written: str) -> dict[str, str]:
    if not written:
        return {}
    try:
        return TypeAdapter(dict[str, str]).validate_json(written)
    except ValidationError as problem:
        raise Problem("A mailing's attributes are told as JSON, a text each.", 400) from problem
