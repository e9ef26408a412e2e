"""The outbox, the delivery service and responses over HTTP."""

from __future__ import annotations

import time
from datetime import datetime

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel, Field, ValidationError
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.formats.exports import FileKind
from sortija.server.campaigns.actions import campaign_for
from sortija.server.campaigns.delivery import outbox
from sortija.server.campaigns.delivery.events import KINDS, Event, Taken, take_events
from sortija.server.campaigns.delivery.letters import LettersPage, letters_page
from sortija.server.campaigns.delivery.response_files import (
    FileMapping,
    FileTaken,
    LookedAt,
    look_at,
    take_file,
)
from sortija.server.campaigns.delivery.service import (
    ServiceAsked,
    ServiceBody,
    service_body,
    set_service,
)
from sortija.server.campaigns.delivery.signature import WrongSignature, check
from sortija.server.campaigns.handing import left_again
from sortija.server.campaigns.models import DeliveryService, Departure
from sortija.server.lens.export_rows import ExportRow, export_row
from sortija.server.studies.actions import membership, study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply
from sortija.server.studies.problems import Problem

#: Events of one call.
MOST_EVENTS = 10_000


class ToSend(BaseModel):
    """``columns``: fields of the lens that the list has besides; ``pseudonyms``: instead of
    cards."""

    columns: list[str] = []
    pseudonyms: bool = False


class AgainAsked(BaseModel):
    kind: FileKind = "csv"


class ResponseFile(BaseModel):
    """A file that was uploaded."""

    upload: int


class ResponseFileAsked(BaseModel):
    """A file that was uploaded, and how it is read."""

    upload: int
    mapping: FileMapping


class ToldEvent(BaseModel):
    """``reference``: of the message, as it was sent; ``kind``: what became of it; ``at``: when."""

    reference: str = Field(max_length=60)
    kind: str
    at: datetime


class ToldEvents(BaseModel):
    events: list[ToldEvent] = Field(max_length=MOST_EVENTS)


class ServiceView(APIView):
    """Who delivers the study's letters."""

    @extend_schema(responses=ServiceBody)
    def get(self, request: Request, study: int) -> Response:
        """The service; what it signs with is shown to owners."""
        member = membership(request.user, study)
        return reply(service_body(member.study, member.at_least("owner")))

    @extend_schema(parameters=[REVISION], request=ServiceAsked, responses=ServiceBody)
    def put(self, request: Request, study: int) -> Response:
        """Say which service it is; for owners."""
        found = study_for(request.user, study, "owner")
        set_service(found, request.user, body(request, ServiceAsked), expected_revision(request))
        return reply(service_body(found, True))


class LettersView(APIView):
    @extend_schema(responses=LettersPage)
    def get(self, request: Request, study: int, campaign: int) -> Response:
        """What left of a campaign, and what became of it."""
        return reply(letters_page(campaign_for(request.user, study, campaign, "reader")))


class OutboxView(APIView):
    @extend_schema(parameters=[REVISION], request=ToSend, responses={201: LettersPage})
    def post(self, request: Request, study: int, campaign: int) -> Response:
        """Put the list into the outbox; it goes to the service when its time has come."""
        row = campaign_for(request.user, study, campaign)
        asked = body(request, ToSend)
        outbox.put(row, request.user, expected_revision(request), asked.columns, asked.pseudonyms)
        return reply(letters_page(row), 201)


class StopView(APIView):
    @extend_schema(request=None, responses=LettersPage)
    def post(self, request: Request, study: int, campaign: int) -> Response:
        """Stop what waits in the outbox, or the rest of what is leaving; anybody of the study
        can."""
        row = campaign_for(request.user, study, campaign, "reader")
        outbox.stop(row, request.user)
        return reply(letters_page(row))


class LeftAgainView(APIView):
    @extend_schema(request=AgainAsked, responses={201: ExportRow})
    def post(self, request: Request, study: int, campaign: int, departure: int) -> Response:
        """A file of what left, exactly as it left."""
        row = campaign_for(request.user, study, campaign)
        left = Departure.objects.filter(campaign=row, pk=departure).first()
        if left is None or not left.sent:
            raise Http404("Nothing of it has left.")
        left.campaign = row
        return reply(export_row(left_again(left, request.user, body(request, AgainAsked).kind)),
                     201)  # fmt: skip


class ResponseFileView(APIView):
    """Responses that come as a file."""

    @extend_schema(request=ResponseFile, responses=LookedAt)
    def post(self, request: Request, study: int, campaign: int) -> Response:
        """How an uploaded file is most likely to be read."""
        row = campaign_for(request.user, study, campaign)
        return reply(look_at(row, body(request, ResponseFile).upload))

    @extend_schema(request=ResponseFileAsked, responses=FileTaken)
    def put(self, request: Request, study: int, campaign: int) -> Response:
        """Take the responses of a file."""
        row = campaign_for(request.user, study, campaign)
        asked = body(request, ResponseFileAsked)
        return reply(take_file(row, request.user, asked.upload, asked.mapping))


_SIGNED = [
    OpenApiParameter(name, str, OpenApiParameter.HEADER, description="see Standard Webhooks 1.0")
    for name in ("webhook-id", "webhook-timestamp", "webhook-signature")
]


class EventsView(APIView):
    """What a delivery service tells us, signed with the study's secret; no person signs in."""

    authentication_classes = []
    permission_classes = [AllowAny]

    @extend_schema(parameters=_SIGNED, request=ToldEvents, responses=Taken)
    def post(self, request: Request, study: int) -> Response:
        """Take what became of letters. Telling the same again changes nothing."""
        service = DeliveryService.objects.filter(study=study, study__binned_at=None).first()
        try:
            # Without a service no secret fits, and nobody learns which studies there are.
            secret = service.secret if service else "whsec_"
            check(secret, request.headers, request.body, time.time())
        except (WrongSignature, ValueError) as problem:
            raise Problem(str(problem), 401) from problem
        if service is None:
            raise Problem("The signature does not fit. Is it made with this study's secret?", 401)
        try:
            told = ToldEvents.model_validate_json(request.body)
        except ValidationError as problem:
            first = problem.errors()[0]
            where = ".".join(str(each) for each in first["loc"])
            raise Problem(f"{where or 'The body'}: {first['msg']}.") from problem
        return reply(_take(service, told.events))


def _take(service: DeliveryService, events: list[ToldEvent]) -> Taken:
    by_departure: dict[int, list[Event]] = {}
    for event in events:
        if event.kind not in KINDS:
            raise Problem(f"“{event.kind}” is none of {', '.join(KINDS)}.")
        sent, _, customer = event.reference.partition("-")
        if not sent.isdigit() or not customer.isdigit() or len(event.reference) > 24:
            raise Problem(f"“{event.reference}” is no reference of ours.")
        if event.at.tzinfo is None:
            raise Problem(f"{event.at.isoformat()} has no time zone. Write 2026-07-03T14:05:00Z.")
        by_departure.setdefault(int(sent), []).append(Event(int(customer), event.kind, event.at))
    rows = Departure.objects.filter(campaign__study=service.study_id, pk__in=list(by_departure))
    known = {row.pk: row.campaign for row in rows.select_related("campaign__study")}
    total = Taken(taken=0, known=0, not_written=0, opted_out=0)
    for departure, told in by_departure.items():
        campaign = known.get(departure)
        if campaign is None:
            total.not_written += len(told)
            continue
        taken = take_events(campaign, told)
        total.taken += taken.taken
        total.known += taken.known
        total.not_written += taken.not_written
        total.opted_out += taken.opted_out
    return total
