"""Campaigns over HTTP."""

from __future__ import annotations

from datetime import date

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel, Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.formats.book.pdf import BookFileError
from sortija.core.formats.exports import FileKind
from sortija.core.formats.report.writing import KINDS, report_file
from sortija.server.campaigns import actions, past, standing
from sortija.server.campaigns.actions import campaign_for
from sortija.server.campaigns.audience import audience_of
from sortija.server.campaigns.costs import CostsBody
from sortija.server.campaigns.do_not_contact import (
    DoNotContact,
    choose_list,
    do_not_contact_body,
)
from sortija.server.campaigns.fork import ProofBody, proof_of
from sortija.server.campaigns.handing import hand_over
from sortija.server.campaigns.later import CampaignLater, later_of
from sortija.server.campaigns.of_customer import CustomerCampaigns, campaigns_of_customer
from sortija.server.campaigns.report import ReportPage, report_at, report_page
from sortija.server.campaigns.result import CampaignResult, result_of
from sortija.server.campaigns.standing import StandingBody
from sortija.server.campaigns.views import (
    CampaignRow,
    CampaignsPage,
    campaign_row,
    campaigns_page,
)
from sortija.server.campaigns.worked import WhatWorked, what_worked
from sortija.server.lens.export_rows import ExportRow, export_row
from sortija.server.lens.requests import ClauseBody, clause_of
from sortija.server.portraits.book.fonts import fonts
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.numbers import whole_number
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

#: Customers of the largest list that is asked about.
MOST_PROVED = 100_000_000


class CampaignPlan(BaseModel):
    """``versions``: the share of those written to that each has, one alone where there are none."""

    name: str
    send_on: date
    read_on: date
    holdout: float = 0.2
    rest_days: int = 0
    versions: list[float] = []


class Moved(BaseModel):
    """By so many ``days``, earlier ones less than 0."""

    days: int = Field(ge=-3660, le=3660)


class PastCampaign(BaseModel):
    """Sent from elsewhere; ``list``: a CSV with the columns card and group, written or held."""

    name: str
    send_on: date
    read_on: date
    list: str


class ListAsked(BaseModel):
    """``columns``: fields of the lens that the list has besides; ``pseudonyms``: instead of
    cards."""

    kind: FileKind = "csv"
    columns: list[str] = []
    pseudonyms: bool = False


class ListChosen(BaseModel):
    kept: int | None


class StandingAsked(BaseModel):
    share: float


class NewCampaign(BaseModel):
    """Without dates it is sent in a week, and read six weeks later. ``offer``: what is offered, as
    attributes of past offers."""

    name: str
    send_on: date | None = None
    read_on: date | None = None
    holdout: float = 0.2
    clauses: list[ClauseBody] = []
    offer: dict[str, str] = {}


class CampaignsView(APIView):
    @extend_schema(responses=CampaignsPage)
    def get(self, request: Request, study: int) -> Response:
        """Every campaign, as a stream from its lens to the two arms."""
        return reply(campaigns_page(study_for(request.user, study)))

    @extend_schema(parameters=WINDOW, request=NewCampaign, responses=CampaignRow)
    def post(self, request: Request, study: int) -> Response:
        """Plan a campaign from a lens."""
        found = study_for(request.user, study, "analyst")
        window = window_in(request, found)
        if window is None:
            raise Problem("There are no customers yet. Import a log at the Ledger.")
        asked = body(request, NewCampaign)
        campaign = actions.plan(
            found, request.user, window, [clause_of(each) for each in asked.clauses], asked.name,
            asked.send_on, asked.read_on, asked.holdout, asked.offer,
        )  # fmt: skip
        return reply(campaign_row(campaign), 201)


class PastView(APIView):
    @extend_schema(request=PastCampaign, responses={201: CampaignRow})
    def post(self, request: Request, study: int) -> Response:
        """Bring in a campaign that was sent from elsewhere; its result is told from the log."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, PastCampaign)
        arms = past.read_arms(asked.list)
        campaign = past.bring_in_past(
            found, request.user, asked.name, asked.send_on, asked.read_on, arms
        )  # fmt: skip
        return reply(campaign_row(campaign), 201)


class OneCampaign(APIView):
    @extend_schema(parameters=[REVISION], request=CampaignPlan, responses=CampaignRow)
    def put(self, request: Request, study: int, campaign: int) -> Response:
        """Change a plan that is not drawn yet."""
        row = campaign_for(request.user, study, campaign)
        asked = body(request, CampaignPlan)
        row = actions.change_plan(
            row, asked.name, asked.send_on, asked.read_on, asked.holdout,
            expected_revision(request), asked.rest_days, asked.versions,
        )  # fmt: skip
        return reply(campaign_row(row))

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, campaign: int) -> Response:
        """Delete a draft; undo brings it back."""
        row = campaign_for(request.user, study, campaign)
        actions.drop(row, request.user, expected_revision(request))
        return Response(status=204)


class CopyView(APIView):
    @extend_schema(parameters=WINDOW, request=None, responses={201: CampaignRow})
    def post(self, request: Request, study: int, campaign: int) -> Response:
        """Plan another one like it."""
        row = campaign_for(request.user, study, campaign)
        window = window_in(request, row.study)
        if window is None:
            raise Problem("There are no customers yet. Import a log at the Ledger.")
        return reply(campaign_row(actions.copy_plan(row, request.user, window)), 201)


class MoveView(APIView):
    @extend_schema(parameters=[REVISION], request=Moved, responses=CampaignRow)
    def put(self, request: Request, study: int, campaign: int) -> Response:
        """Move the dates of a plan that is not drawn yet."""
        row = campaign_for(request.user, study, campaign)
        row = actions.move(row, body(request, Moved).days, expected_revision(request))
        return reply(campaign_row(row))


class CostsView(APIView):
    @extend_schema(parameters=[REVISION], request=CostsBody, responses=CampaignRow)
    def put(self, request: Request, study: int, campaign: int) -> Response:
        """Say what a campaign costs and what is left of a sale."""
        row = campaign_for(request.user, study, campaign)
        asked = body(request, CostsBody)
        row = actions.set_costs(row, request.user, asked, expected_revision(request))
        return reply(campaign_row(row))


class ProofView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("customers", int, description="of the list")],
        responses=ProofBody,
    )
    def get(self, request: Request, study: int, campaign: int) -> Response:
        """What a list of a chosen size would prove, with the same share held out."""
        row = campaign_for(request.user, study, campaign, "reader")
        customers = whole_number(request.query_params.get("customers") or "")
        if customers is None or not 1 <= customers <= MOST_PROVED:
            raise Problem(f"Say how many customers, from 1 to {MOST_PROVED:,}.")
        rate = audience_of(row).base_rate
        return reply(proof_of(row, customers, rate.careful if rate else None))


class ResultView(APIView):
    @extend_schema(responses=CampaignResult)
    def get(self, request: Request, study: int, campaign: int) -> Response:
        """What a campaign did, as far as the log reaches."""
        return reply(result_of(campaign_for(request.user, study, campaign, "reader")))


class LaterView(APIView):
    @extend_schema(responses=CampaignLater)
    def get(self, request: Request, study: int, campaign: int) -> Response:
        """What became of both arms 3, 6 and 12 months after the day of sending."""
        return reply(later_of(campaign_for(request.user, study, campaign, "reader")))


class ReportView(APIView):
    @extend_schema(responses=ReportPage)
    def get(self, request: Request, study: int, campaign: int) -> Response:
        """The result as one page: sentences, tables and pictures."""
        return reply(report_page(campaign_for(request.user, study, campaign, "reader")))


class ReportFileView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("kind", str, enum=list(KINDS), description="kind of file")],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, study: int, campaign: int) -> HttpResponse:
        """The report as one web page, PDF or DOCX."""
        row = campaign_for(request.user, study, campaign, "reader")
        kind = request.query_params.get("kind") or "html"
        if kind not in KINDS:
            raise Problem(f"“{kind}” is none of {', '.join(KINDS)}.", 400)
        try:
            data = report_file(report_at(row), kind, fonts())
        except BookFileError as problem:
            raise Problem(str(problem), 503) from problem
        return HttpResponse(data, content_type=KINDS[kind])


class CustomerView(APIView):
    @extend_schema(responses=CustomerCampaigns)
    def get(self, request: Request, study: int, customer: int) -> Response:
        """Why a customer was written to, held out, or passed over."""
        return reply(campaigns_of_customer(study_for(request.user, study), customer))


class DoNotContactView(APIView):
    @extend_schema(parameters=[REVISION], request=ListChosen, responses=DoNotContact)
    def put(self, request: Request, study: int) -> Response:
        """Say which kept list holds those who are never written to; null for none."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, ListChosen)
        choose_list(found, request.user, asked.kept, expected_revision(request))
        return reply(do_not_contact_body(found))


class WorkedView(APIView):
    @extend_schema(responses=WhatWorked)
    def get(self, request: Request, study: int) -> Response:
        """What all campaigns that were read say together."""
        return reply(what_worked(study_for(request.user, study)))


class StandingView(APIView):
    """The standing control: customers whom no campaign writes to."""

    @extend_schema(request=StandingAsked, responses={201: StandingBody})
    def post(self, request: Request, study: int) -> Response:
        """Draw it, once a study."""
        found = study_for(request.user, study, "analyst")
        standing.draw_standing(found, request.user, body(request, StandingAsked).share)
        row = standing.standing_body(found)
        assert row is not None
        return reply(row, 201)

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int) -> Response:
        """End it; undo brings it back."""
        found = study_for(request.user, study, "analyst")
        standing.end_standing(found, request.user, expected_revision(request))
        return Response(status=204)


class DrawView(APIView):
    @extend_schema(parameters=[REVISION], request=None, responses=CampaignRow)
    def post(self, request: Request, study: int, campaign: int) -> Response:
        """Draw the holdout, and fix the audience with it."""
        row = campaign_for(request.user, study, campaign)
        row = actions.draw(row, request.user, expected_revision(request))
        return reply(campaign_row(row))


class ListView(APIView):
    """The list of those written to. Asking for it hands it over, which stays on record."""

    @extend_schema(parameters=[REVISION], request=ListAsked, responses={201: ExportRow})
    def post(self, request: Request, study: int, campaign: int) -> Response:
        row = campaign_for(request.user, study, campaign)
        asked = body(request, ListAsked)
        file = hand_over(
            row, request.user, expected_revision(request), asked.kind, asked.columns,
            asked.pseudonyms,
        )  # fmt: skip
        return reply(export_row(file), 201)
