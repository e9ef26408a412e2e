"""Attached logs over HTTP: attach, look for new files, detach."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.ledger.intake import attaching
from sortija.server.ledger.intake.preview import IntakeRow, intake_row
from sortija.server.ledger.models import Attachment
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, JobRow, body, expected_revision, job_row, reply


class NewAttachment(BaseModel):
    """``url``: a folder of the server, or such as s3://bucket/prefix."""

    url: str


class LookedAgain(BaseModel):
    """``job``: what reads the new files; null: there are none."""

    job: JobRow | None


class Attachments(APIView):
    @extend_schema(request=NewAttachment, responses=IntakeRow)
    def post(self, request: Request, study: int) -> Response:
        """Review the first file of a log that stays where it lies."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewAttachment)
        return reply(intake_row(attaching.attach(found, request.user, asked.url)), 201)


def _attachment(request: Request, study: int, attachment: int) -> Attachment:
    found = study_for(request.user, study, "analyst")
    row = Attachment.objects.select_related("study").filter(pk=attachment, study=found).first()
    if row is None:
        raise Http404("There is no such log here.")
    return row


class OneAttachment(APIView):
    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, attachment: int) -> Response:
        """Stop counting an attached log; undo brings it back."""
        row = _attachment(request, study, attachment)
        attaching.detach(row, request.user, expected_revision(request))
        return Response(status=204)


class LookAgain(APIView):
    @extend_schema(request=None, responses=LookedAgain)
    def post(self, request: Request, study: int, attachment: int) -> Response:
        """Look for files that are new or changed, and read these alone."""
        job = attaching.look(_attachment(request, study, attachment), request.user)
        return reply(LookedAgain(job=job_row(job) if job else None), 202)
