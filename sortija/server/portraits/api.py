"""Portraits over HTTP."""

from __future__ import annotations

from dataclasses import asdict, replace

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel, TypeAdapter, ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.portraits.tree import DEEPEST
from sortija.server.groups.models import Segment
from sortija.server.portraits.actions import change_segment, former_names
from sortija.server.portraits.against import AgainstAsked, AgainstPage, against_page
from sortija.server.portraits.division import AGAINST, Against
from sortija.server.portraits.offers import OffersAsked, OffersPage, offers_page
from sortija.server.portraits.pairs import (
    FirstPage,
    MultiplesPage,
    PairAsked,
    first_page,
    multiples_page,
)
from sortija.server.portraits.rules import FROM, RulesPage, rules_page
from sortija.server.portraits.spread import SpreadAsked, SpreadPage, spread_page
from sortija.server.portraits.views import Asked, PortraitsPage, portraits_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import whole_number
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import window_from

SEPARATION = ("means", "ranks")
MOST_PANELS = 24
AGAINST_WHAT = OpenApiParameter(
    "against", str, enum=list(AGAINST), description="columns: segments, or the lens beside these"
)


class SegmentChange(BaseModel):
    """What changes; ``owner``: a member's number, 0 for nobody."""

    name: str | None = None
    short: str | None = None
    notes: str | None = None
    mark: int | None = None
    owner: int | None = None


class SegmentNow(BaseModel):
    name: str
    short: str
    notes: str
    mark: int
    owner: str
    revision: int


class FormerName(BaseModel):
    name: str
    short: str
    until: str
    who: str


class FormerNames(BaseModel):
    """Names that a segment had before, the last one first."""

    names: list[FormerName]


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
        window = window_from(request, default_window(found))
        return reply(portraits_page(found, window, _asked(request)))


def _against(request: Request) -> Against:
    asked = request.query_params.get("against") or "segments"
    for known in AGAINST:
        if asked == known:
            return known
    raise Problem(f"“{asked}” is none of {', '.join(AGAINST)}.", 400)


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
    return Asked(rows, pair, _against(request), query.get("lens", ""), by == "ranks")


class RulesView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("depth", int, enum=list(range(1, DEEPEST + 1)),
                             description="questions in a row"),
            OpenApiParameter("about", str, enum=list(FROM),
                             description="what the questions may be about"),
        ],
        responses=RulesPage,
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        """Rules that retell the segments, and how well they do on customers held back."""
        found = study_for(request.user, study)
        window = window_from(request, default_window(found))
        depth = whole_number(request.query_params.get("depth") or "3")
        if depth is None or not 1 <= depth <= DEEPEST:
            raise Problem(f"Between 1 and {DEEPEST} questions can be asked in a row.", 400)
        about = request.query_params.get("about") or "shaping"
        if about not in FROM:
            raise Problem(f"“{about}” is none of {', '.join(FROM)}.", 400)
        return reply(rules_page(found, window, depth, about))


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
        asked = SpreadAsked(
            rows, _against(request), query.get("lens", ""), query.get("customers") == "1"
        )
        return reply(spread_page(found, window_from(request, default_window(found)), asked))


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
        asked = AgainstAsked(query.get("by", ""), _against(request), query.get("lens", ""))
        return reply(against_page(found, window_from(request, default_window(found)), asked))


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
        return reply(multiples_page(found, window_from(request, default_window(found)), asked))


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
        return reply(first_page(found, window_from(request, default_window(found)), asked))


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
        asked = OffersAsked(
            _against(request), query.get("lens", ""), _chosen(query.get("chosen", ""))
        )
        return reply(offers_page(found, window_from(request, default_window(found)), asked))


def _chosen(written: str) -> dict[str, str]:
    if not written:
        return {}
    try:
        return TypeAdapter(dict[str, str]).validate_json(written)
    except ValidationError as problem:
        raise Problem("A mailing's attributes are told as JSON, a text each.", 400) from problem


def _pair_asked(request: Request, *names: str) -> PairAsked:
    query = request.query_params
    measures = tuple(query[name] for name in names if query.get(name))
    return PairAsked(measures, _against(request), query.get("lens", ""))


class OneSegment(APIView):
    @extend_schema(parameters=[REVISION], request=SegmentChange, responses=SegmentNow)
    def put(self, request: Request, study: int, segment: int) -> Response:
        """Rename a segment, mark it, give it an owner, or write notes to it."""
        row = _segment(study_for(request.user, study, "analyst"), segment)
        changes = body(request, SegmentChange).model_dump(exclude_none=True)
        row = change_segment(row, request.user, changes, expected_revision(request))
        return reply(
            SegmentNow(name=row.name, short=row.short, notes=row.notes, mark=row.mark,
                       owner=row.owner.username if row.owner else "", revision=row.revision)
        )  # fmt: skip


class NamesOfSegment(APIView):
    @extend_schema(responses=FormerNames)
    def get(self, request: Request, study: int, segment: int) -> Response:
        """The names that a segment had before."""
        row = _segment(study_for(request.user, study), segment)
        return reply(FormerNames(names=[FormerName(**asdict(each)) for each in former_names(row)]))


def _segment(study: Study, number: int) -> Segment:
    row = Segment.objects.filter(pk=number, yardstick__study=study).first()
    if row is None:
        raise Http404("There is no such segment here.")
    return row
