"""Districts over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.portraits.api.asked import AGAINST_WHAT, compared
from sortija.server.portraits.places.page import PlacesAsked, PlacesPage, places_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.trail import window_in

__all__ = ["PlacesView"]


class PlacesView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("by", str, description="the trait whose values are places"),
            OpenApiParameter("shade", str, description="what places are shaded by"),
            OpenApiParameter("mix", str, description="how the customers of a place are told apart"),
            OpenApiParameter("place", str, description="one to set beside those that are like it"),
            OpenApiParameter("like", str, description="traits that places are alike by, by commas"),
            AGAINST_WHAT,
        ],
        responses=PlacesPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Customers by district: reach, money, mixes, and one district beside its like."""
        found = study_for(request.user, study)
        query = request.query_params
        against, lens = compared(request)
        like = query.get("like")
        asked = PlacesAsked(
            query.get("by", ""), query.get("shade", ""), query.get("mix", ""),
            query.get("place", ""),
            None if like is None else tuple(name for name in like.split(",") if name),
            against, lens,
        )  # fmt: skip
        return reply(places_page(found, window_in(request, found), asked))
