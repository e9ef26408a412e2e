"""Portraits over HTTP."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.groups.models import Segment
from sortija.server.portraits.actions import change_segment
from sortija.server.portraits.views import PortraitsPage, portraits_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import window_from


class SegmentChange(BaseModel):
    name: str | None = None
    short: str | None = None
    notes: str | None = None


class SegmentNow(BaseModel):
    name: str
    short: str
    notes: str
    revision: int


class PortraitsView(APIView):
    @extend_schema(parameters=WINDOW, responses=PortraitsPage)
    def get(self, request: Request, study: int) -> Response:
        """Every segment's profile, and who stands on the border."""
        found = study_for(request.user, study)
        return reply(portraits_page(found, window_from(request, default_window(found))))


class OneSegment(APIView):
    @extend_schema(parameters=[REVISION], request=SegmentChange, responses=SegmentNow)
    def put(self, request: Request, study: int, segment: int) -> Response:
        """Rename a segment, or write notes to it."""
        found = study_for(request.user, study, "analyst")
        row = Segment.objects.filter(pk=segment, yardstick__study=found).first()
        if row is None:
            raise Http404("There is no such segment here.")
        changes = body(request, SegmentChange).model_dump(exclude_none=True)
        row = change_segment(row, request.user, changes, expected_revision(request))
        return reply(
            SegmentNow(name=row.name, short=row.short, notes=row.notes, revision=row.revision)
        )
