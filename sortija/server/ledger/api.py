"""The Ledger over HTTP: uploads, intakes, the waterline, its rules and the lines behind it."""

from __future__ import annotations

from typing import Any

from django.http import Http404, StreamingHttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.parsers import BaseParser, JSONParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.ledger import actions, uploads, views
from sortija.server.ledger.customers import CustomerPage, customer_page
from sortija.server.ledger.models import Intake, Original
from sortija.server.ledger.preview import IntakeRow, intake_row
from sortija.server.studies.actions import record, study_for
from sortija.server.studies.http import JobRow, body, expected_revision, job_row, reply
from sortija.server.studies.problems import Problem

__all__ = ["urls"]


class NewUpload(BaseModel):
    name: str
    size: int


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
    mapping: dict[str, Any]


class Switch(BaseModel):
    on: bool


class RulesOn(BaseModel):
    on: list[str]
    revision: int


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
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewUpload)
        return reply(_upload(uploads.begin_upload(found, asked.name, asked.size)), 201)


class UploadParts(APIView):
    parser_classes = [Bytes, JSONParser]

    @extend_schema(
        request={"application/octet-stream": bytes},
        parameters=[OpenApiParameter("offset", int, required=True)],
        responses=Upload,
    )
    def put(self, request: Request, study: int, upload: int) -> Response:
        found = study_for(request.user, study, "analyst")
        original = Original.objects.filter(pk=upload, study=found).first()
        if original is None:
            raise Http404("This upload was swept away. Begin it again.")
        offset = request.query_params.get("offset", "")
        if not offset.isdigit():
            raise Problem("Say at which offset this part belongs.")
        part: Any = request.data
        return reply(_upload(uploads.add_part(original, int(offset), part)))


class Intakes(APIView):
    @extend_schema(request=NewIntake, responses=IntakeRow)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        asked = body(request, NewIntake)
        original = Original.objects.filter(pk=asked.upload, study=found).first()
        if original is None:
            raise Http404("There is no such upload here.")
        if asked.role not in ("", Intake.LOG, Intake.MEMBERS):
            raise Problem("A file is a log or a members table.")
        return reply(intake_row(actions.review(found, request.user, original, asked.role)), 201)


def _intake(request: Request, study: int, intake: int, role: str = "analyst") -> Intake:
    found = study_for(request.user, study, role)
    row = Intake.objects.select_related("study", "original").filter(pk=intake, study=found).first()
    if row is None:
        raise Http404("There is no such file here.")
    return row


class OneIntake(APIView):
    @extend_schema(responses=IntakeRow)
    def get(self, request: Request, study: int, intake: int) -> Response:
        return reply(intake_row(_intake(request, study, intake, "reader")))

    @extend_schema(request=Mapping, responses=IntakeRow)
    def put(self, request: Request, study: int, intake: int) -> Response:
        row = actions.change_mapping(
            _intake(request, study, intake), body(request, Mapping).mapping
        )
        return reply(intake_row(row))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, study: int, intake: int) -> Response:
        row = _intake(request, study, intake)
        if row.state == Intake.COUNTED:
            actions.take_back_intake(row, request.user)
        else:
            actions.drop_review(row)
        return Response(status=204)


class CountIntake(APIView):
    @extend_schema(request=None, responses=JobRow)
    def post(self, request: Request, study: int, intake: int) -> Response:
        job = actions.count_intake(_intake(request, study, intake), request.user)
        return reply(job_row(job), 202)


class LedgerView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("preview", str, description="a rule tried the other way")],
        responses=views.LedgerPage,
    )
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        return reply(views.ledger_page(found, request.query_params.get("preview", "")))


class RuleSwitch(APIView):
    @extend_schema(request=Switch, responses=RulesOn)
    def put(self, request: Request, study: int, rule: str) -> Response:
        found = study_for(request.user, study, "analyst")
        on = body(request, Switch).on
        chosen, revision = actions.switch_rule(
            found, request.user, rule, on, expected_revision(request)
        )
        return reply(RulesOn(on=chosen, revision=revision))


class StaffBody(BaseModel):
    patterns: list[str]


class StaffRevision(BaseModel):
    revision: int


class StaffView(APIView):
    @extend_schema(request=StaffBody, responses=StaffRevision)
    def put(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        patterns = body(request, StaffBody).patterns
        revision = actions.choose_staff(found, request.user, patterns, expected_revision(request))
        return reply(StaffRevision(revision=revision))


LINES = [
    OpenApiParameter("month", int, description="months since 1970-01"),
    OpenApiParameter("rule", str, description="a rule, or 'counted'"),
    OpenApiParameter("after", int, description="how many lines to pass over"),
]


def _asked_lines(request: Request) -> tuple[int | None, str, int]:
    """Month, rule, and how many lines to pass over, as the address says."""
    asked = request.query_params
    month, after = asked.get("month", ""), asked.get("after", "0")
    if (month and not month.lstrip("-").isdigit()) or not after.isdigit():
        raise Problem("month and after are whole numbers.")
    return (int(month) if month else None), asked.get("rule", ""), int(after)


class LinesView(APIView):
    @extend_schema(parameters=LINES, responses=views.LinesPage)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        return reply(views.lines_page(found, *_asked_lines(request)))


class LinesFile(APIView):
    """The same lines as a file, each with the reason why it does not count. On record."""

    @extend_schema(
        parameters=LINES[:2], request=None, responses={(200, "text/csv"): OpenApiTypes.STR}
    )
    def post(self, request: Request, study: int) -> HttpResponseBase:
        found = study_for(request.user, study, "analyst")
        month, rule, _ = _asked_lines(request)
        count, lines = views.lines_file(found, month, rule)
        record(found, request.user, "save list", f"Saved {count:,} lines", "lines", None, rule)
        response = StreamingHttpResponse(lines, content_type="text/csv; charset=utf-8")
        response["Content-Disposition"] = 'attachment; filename="lines.csv"'
        return response


class CustomerView(APIView):
    @extend_schema(responses=CustomerPage)
    def get(self, request: Request, study: int, customer: int) -> Response:
        return reply(customer_page(study_for(request.user, study), customer))


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [
        ("studies/<int:study>/uploads", Uploads),
        ("studies/<int:study>/uploads/<int:upload>/parts", UploadParts),
        ("studies/<int:study>/intakes", Intakes),
        ("studies/<int:study>/intakes/<int:intake>", OneIntake),
        ("studies/<int:study>/intakes/<int:intake>/count", CountIntake),
        ("studies/<int:study>/ledger", LedgerView),
        ("studies/<int:study>/ledger/rules/<str:rule>", RuleSwitch),
        ("studies/<int:study>/ledger/lines", LinesView),
        ("studies/<int:study>/ledger/lines/file", LinesFile),
        ("studies/<int:study>/ledger/staff", StaffView),
        ("studies/<int:study>/customer/<int:customer>", CustomerView),
    ]
