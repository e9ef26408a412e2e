"""Files over HTTP: uploads part by part, reviews, and what becomes of counted files."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.parsers import BaseParser, JSONParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.ledger.intake import actions, uploads
from sortija.server.ledger.intake.currency import choose_currency
from sortija.server.ledger.intake.preview import IntakeRow, intake_row
from sortija.server.ledger.intake.stored import MappingBody
from sortija.server.ledger.models import Intake, Original
from sortija.server.studies.actions import changing, study_for
from sortija.server.studies.http import REVISION, JobRow, body, expected_revision, job_row, reply
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Conflict, Problem

ROLES = (Intake.LOG, Intake.MEMBERS, Intake.RESPONSES, Intake.OFFERS, Intake.AREAS)


class NewUpload(BaseModel):
    """``modified``: when the file was last changed, in milliseconds; one that broke off goes on."""

    name: str
    size: int
    modified: int = 0


class Upload(BaseModel):
    """A file on its way in: the next byte wanted is ``received``."""

    id: int
    name: str
    size: int
    received: int
    part_bytes: int
    whole: bool


class NewIntake(BaseModel):
    upload: int
    role: str = ""


class Mapping(BaseModel):
    mapping: MappingBody


class Bytes(BaseParser):
    """A part's bytes as they are."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        return stream.read(uploads.PART_BYTES + 1)


def _upload(original: Original) -> Upload:
    return Upload(
        id=original.pk, name=original.name, size=original.size, received=original.received,
        part_bytes=uploads.PART_BYTES, whole=original.whole,
    )  # fmt: skip


class Uploads(APIView):
    @extend_schema(request=NewUpload, responses=Upload)
    def post(self, request: Request, study: int) -> Response:
        """Begin to send a file, or go on with one."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewUpload)
        return reply(
            _upload(uploads.begin_upload(found, asked.name, asked.size, asked.modified)), 201
        )


class UploadParts(APIView):
    parser_classes = [Bytes, JSONParser]

    @extend_schema(
        request={"application/octet-stream": bytes},
        parameters=[OpenApiParameter("offset", int, required=True)],
        responses=Upload,
    )
    def put(self, request: Request, study: int, upload: int) -> Response:
        """Send the bytes of a file from an offset on."""
        found = study_for(request.user, study, "analyst")
        original = Original.objects.filter(pk=upload, study=found).first()
        if original is None:
            raise Http404("This upload has expired. Start it again.")
        offset = request.query_params.get("offset", "")
        if not is_whole(offset):
            raise Problem("Say at which offset this part belongs.")
        part: Any = request.data
        return reply(_upload(uploads.add_part(original, int(offset), part)))


def _checked(role: str) -> str:
    if role not in ROLES:
        raise Problem(f"A file is one of these: {', '.join(ROLES)}.")
    return role


class Intakes(APIView):
    @extend_schema(request=NewIntake, responses=IntakeRow)
    def post(self, request: Request, study: int) -> Response:
        """Review an uploaded file: guess what its columns are."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewIntake)
        original = Original.objects.filter(pk=asked.upload, study=found).first()
        if original is None:
            raise Http404("There is no such upload here.")
        if asked.role:
            _checked(asked.role)
        return reply(intake_row(actions.review(found, request.user, original, asked.role)), 201)


def _intake(request: Request, study: int, intake: int, role: str = "analyst") -> Intake:
    found = study_for(request.user, study, role)
    rows = Intake.objects.select_related("study", "original", "heads")
    row = rows.filter(pk=intake, study=found).first()
    if row is None:
        raise Http404("There is no such file here.")
    return row


@contextmanager
def _changing(request: Request, study: int, intake: int) -> Iterator[Intake]:
    """The intake as the writer saw it; within this nobody else changes it."""
    row = _intake(request, study, intake)
    expected = expected_revision(request)
    with changing(row.study_id):
        now = Intake.objects.filter(pk=row.pk).values_list("revision", flat=True)
        if list(now) != [expected]:
            raise Conflict(
                f"How {row.original.name} is read was changed since you loaded this page. "
                "The present state is shown; change it again if it is not what you want."
            )
        yield row


class OneIntake(APIView):
    @extend_schema(responses=IntakeRow)
    def get(self, request: Request, study: int, intake: int) -> Response:
        """One file: its columns, guesses, first rows."""
        return reply(intake_row(_intake(request, study, intake, "reader")))

    @extend_schema(parameters=[REVISION], request=Mapping, responses=IntakeRow)
    def put(self, request: Request, study: int, intake: int) -> Response:
        """Correct which column plays which role."""
        with _changing(request, study, intake) as row:
            changed = actions.change_mapping(row, body(request, Mapping).mapping.said())
            return reply(intake_row(changed))

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, intake: int) -> Response:
        """Discard a review, or remove a file that counts; undo brings the file back."""
        with _changing(request, study, intake) as row:
            if row.state == Intake.COUNTED:
                actions.remove_intake(row, request.user)
            else:
                actions.drop_review(row)
        return Response(status=204)


class CountIntake(APIView):
    @extend_schema(parameters=[REVISION], request=None, responses=JobRow)
    def post(self, request: Request, study: int, intake: int) -> Response:
        """Import the file as it is mapped."""
        with _changing(request, study, intake) as row:
            job = actions.count_intake(row, request.user)
        return reply(job_row(job), 202)


class ChangeColumns(APIView):
    """A counted file under review again; nothing changes before it is counted anew."""

    @extend_schema(request=None, responses=IntakeRow)
    def post(self, request: Request, study: int, intake: int) -> Response:
        again = actions.change_columns(_intake(request, study, intake))
        return reply(intake_row(again), 201)


class WithoutHeads(APIView):
    """Lines under review read without the heads that were found for them."""

    @extend_schema(parameters=[REVISION], request=None, responses=IntakeRow)
    def post(self, request: Request, study: int, intake: int) -> Response:
        with _changing(request, study, intake) as row:
            return reply(intake_row(actions.part_heads(row)))


class RoleBody(BaseModel):
    role: str


class ReadAs(APIView):
    """A file under review taken for one of another kind: a log, a table of customers, …"""

    @extend_schema(parameters=[REVISION], request=RoleBody, responses=IntakeRow)
    def put(self, request: Request, study: int, intake: int) -> Response:
        with _changing(request, study, intake) as row:
            return reply(intake_row(actions.read_as(row, _checked(body(request, RoleBody).role))))


class EncodingBody(BaseModel):
    encoding: str


class ReadIn(APIView):
    @extend_schema(parameters=[REVISION], request=EncodingBody, responses=IntakeRow)
    def put(self, request: Request, study: int, intake: int) -> Response:
        """Read a file under review as text of another encoding."""
        with _changing(request, study, intake) as row:
            return reply(intake_row(actions.read_in(row, body(request, EncodingBody).encoding)))


class CurrencyBody(BaseModel):
    """``present``: the currency that whoever writes has seen."""

    present: str
    currency: str


class CurrencyView(APIView):
    @extend_schema(request=CurrencyBody, responses=CurrencyBody)
    def put(self, request: Request, study: int) -> Response:
        """Choose the currency that the study counts in."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, CurrencyBody)
        choose_currency(found, request.user, asked.present, asked.currency)
        return reply(CurrencyBody(present=found.currency, currency=found.currency))


class OverlapBody(BaseModel):
    choice: str


class OverlapView(APIView):
    @extend_schema(parameters=[REVISION], request=OverlapBody, responses=IntakeRow)
    def put(self, request: Request, study: int, intake: int) -> Response:
        """Choose which file gives way where two overlap."""
        with _changing(request, study, intake) as row:
            actions.choose_overlap(row, request.user, body(request, OverlapBody).choice)
        row.refresh_from_db()
        return reply(intake_row(row))
