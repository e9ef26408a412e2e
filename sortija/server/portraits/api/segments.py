"""One segment: its name, mark, notes and owner."""

from __future__ import annotations

from dataclasses import asdict

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.groups.models import Segment
from sortija.server.portraits.actions import change_segment, former_names
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply
from sortija.server.studies.models import Study

__all__ = ["NamesOfSegment", "OneSegment"]


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
