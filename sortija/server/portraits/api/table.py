"""The table of Portraits, spreads and rules."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.portraits.tree import DEEPEST
from sortija.server.portraits.api.asked import AGAINST_WHAT, compared
from sortija.server.portraits.rules import FROM, USUAL_DEPTH, RulesAsked, RulesPage, rules_page
from sortija.server.portraits.spread import SpreadAsked, SpreadPage, spread_page
from sortija.server.portraits.views import Asked, PortraitsPage, portraits_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.numbers import whole_number
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

__all__ = ["PortraitsView", "RulesView", "SpreadView"]

SEPARATION = ("means", "ranks")
MOST_PANELS = 24


class PortraitsView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("rows", str, description="rows beside the usual ones, by commas"),
            OpenApiParameter("pair", str, description="two columns to compare, as 1,3"),
            AGAINST_WHAT,
            OpenApiParameter("by", str, enum=list(SEPARATION),
                             description="numbers are set apart by their means or their ranks"),
        ],
        responses=PortraitsPage,
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        """Every segment's profile, and who stands on the border."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(portraits_page(found, window, _asked(request)))


def _asked(request: Request) -> Asked:
    """How the table is looked at, from the address."""
    query = request.query_params
    rows = tuple(sorted({name for name in query.get("rows", "").split(",") if name}))
    pair = None
    if query.get("pair"):
        numbers = [whole_number(part) for part in query["pair"].split(",")]
        if len(numbers) != 2 or None in numbers:
            raise Problem("Two columns are compared by their numbers, as 1,3.", 400)
        pair = (numbers[0] or 0, numbers[1] or 0)
    by = query.get("by") or "means"
    if by not in SEPARATION:
        raise Problem(f"“{by}” is none of {', '.join(SEPARATION)}.", 400)
    return Asked(rows, pair, *compared(request), by == "ranks")


class RulesView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("depth", int, enum=list(range(1, DEEPEST + 1)),
                             description="questions in a row"),
            OpenApiParameter("about", str, enum=list(FROM),
                             description="what the questions may be about"),
            AGAINST_WHAT,
        ],
        responses=RulesPage,
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        """Rules that retell the segments, and how well they do on customers held back."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        depth = whole_number(request.query_params.get("depth") or str(USUAL_DEPTH))
        if depth is None or not 1 <= depth <= DEEPEST:
            raise Problem(f"Between 1 and {DEEPEST} questions can be asked in a row.", 400)
        about = request.query_params.get("about") or "shaping"
        if about not in FROM:
            raise Problem(f"“{about}” is none of {', '.join(FROM)}.", 400)
        return reply(rules_page(found, window, RulesAsked(depth, about, *compared(request))))


class SpreadView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("rows", str, description="measures in their order, by commas"),
            AGAINST_WHAT,
            OpenApiParameter("customers", str, description="1: some customers one by one"),
        ],
        responses=SpreadPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """How every segment spreads over each measure."""
        found = study_for(request.user, study)
        query = request.query_params
        rows = tuple(dict.fromkeys(name for name in query.get("rows", "").split(",") if name))
        if len(rows) > MOST_PANELS:
            raise Problem(f"At most {MOST_PANELS} measures stand side by side.", 400)
        asked = SpreadAsked(rows, *compared(request), query.get("customers") == "1")
        return reply(spread_page(found, window_in(request, found), asked))
