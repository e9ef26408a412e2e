"""The Ledger over HTTP: the waterline, its rules, the lines behind it and looks at them."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.ledger.waterline import STEPS
from sortija.server.ledger import views
from sortija.server.ledger.customers.districts import DistrictsPage, districts_page
from sortija.server.ledger.rules import actions, listing, summaries
from sortija.server.ledger.rules.lines_export import save_lines
from sortija.server.ledger.rules.trying import Tried, try_own_rule
from sortija.server.lens.export_rows import ExportRow, export_row
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import window_from


class Switch(BaseModel):
    on: bool


class RulesOn(BaseModel):
    on: list[str]
    revision: int


class LedgerView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter("preview", str, description="a rule tried the other way"),
            OpenApiParameter("step", str, enum=list(STEPS)),
            OpenApiParameter("around", int, description="a day since 1970-01-01 to be shown"),
            *WINDOW[:2],
        ],
        responses=views.LedgerPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """The waterline under the rules that are on, the files, the choices."""
        found = study_for(request.user, study)
        asked = request.query_params
        step = next((s for s in STEPS if s == asked.get("step", "month")), None)
        if step is None:
            raise Problem(f"A waterline goes by {', '.join(STEPS)}.")
        window = window_from(request, None)
        around = _whole(request, "around")
        return reply(views.ledger_page(found, asked.get("preview", ""), step, around, window))


class RuleSwitch(APIView):
    @extend_schema(parameters=[REVISION], request=Switch, responses=RulesOn)
    def put(self, request: Request, study: int, rule: str) -> Response:
        """Switch a rule on or off."""
        found = study_for(request.user, study, "analyst")
        on = body(request, Switch).on
        chosen, revision = actions.switch_rule(
            found, request.user, rule, on, expected_revision(request)
        )
        return reply(RulesOn(on=chosen, revision=revision))


class StaffBody(BaseModel):
    patterns: list[str]


class SettingRevision(BaseModel):
    revision: int


class StaffView(APIView):
    @extend_schema(parameters=[REVISION], request=StaffBody, responses=SettingRevision)
    def put(self, request: Request, study: int) -> Response:
        """Choose which cards are the staff's."""
        found = study_for(request.user, study, "analyst")
        patterns = body(request, StaffBody).patterns
        revision = actions.choose_staff(found, request.user, patterns, expected_revision(request))
        return reply(SettingRevision(revision=revision))


class ReturnsBody(BaseModel):
    told: str


class ReturnsView(APIView):
    """On which day returns lower the spend."""

    @extend_schema(parameters=[REVISION], request=ReturnsBody, responses=SettingRevision)
    def put(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        told = body(request, ReturnsBody).told
        revision = actions.choose_returns(found, request.user, told, expected_revision(request))
        return reply(SettingRevision(revision=revision))


class RatesBody(BaseModel):
    """Shares of sales that are gross margin, by department's name; ``rest``: of the others."""

    departments: dict[str, float]
    rest: float | None = None


class RatesView(APIView):
    @extend_schema(parameters=[REVISION], request=RatesBody, responses=SettingRevision)
    def put(self, request: Request, study: int) -> Response:
        """Set the margins that stand in for costs."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, RatesBody)
        revision = actions.choose_rates(
            found, request.user, asked.departments, asked.rest, expected_revision(request)
        )
        return reply(SettingRevision(revision=revision))


class OwnBody(BaseModel):
    """A rule of the study's own; ``slot``: the one that is changed, nothing for a new one."""

    slot: int | None = None
    name: str
    column: str
    words: list[str] = []
    low: float | None = None
    high: float | None = None
    first: str = ""
    last: str = ""


class OwnKept(BaseModel):
    key: str
    revision: int


class OwnRules(APIView):
    @extend_schema(parameters=[REVISION], request=OwnBody, responses=OwnKept)
    def post(self, request: Request, study: int) -> Response:
        """Keep a rule of the study's own."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, OwnBody).model_dump()
        own, revision = actions.keep_own_rule(
            found, request.user, asked, expected_revision(request)
        )
        return reply(OwnKept(key=own.rule.key, revision=revision))


class TryOwnRule(APIView):
    @extend_schema(request=OwnBody, responses=Tried)
    def post(self, request: Request, study: int) -> Response:
        """What a rule would set aside, before it is kept."""
        found = study_for(request.user, study)
        return reply(try_own_rule(found, body(request, OwnBody).model_dump()))


class OneOwnRule(APIView):
    @extend_schema(parameters=[REVISION], responses={200: SettingRevision})
    def delete(self, request: Request, study: int, slot: int) -> Response:
        """Delete a rule of the study's own."""
        found = study_for(request.user, study, "analyst")
        revision = actions.drop_own_rule(found, request.user, slot, expected_revision(request))
        return reply(SettingRevision(revision=revision))


class PlacesView(APIView):
    @extend_schema(responses=DistrictsPage)
    def get(self, request: Request, study: int) -> Response:
        """Districts by the trait that names them, with their outlines."""
        return reply(districts_page(study_for(request.user, study)))


class SummariesView(APIView):
    @extend_schema(responses=summaries.LedgerSummaries)
    def get(self, request: Request, study: int) -> Response:
        """What the lines that count look like: when, where, what, who is new."""
        found = summaries.ledger_summaries(study_for(request.user, study))
        if found is None:
            raise Http404("There are no lines to look at yet.")
        return reply(found)


LINES = [
    OpenApiParameter("first", int, description="first day since 1970-01-01"),
    OpenApiParameter("last", int, description="last day, included"),
    OpenApiParameter("rule", str, description="a rule, or 'counted'"),
    OpenApiParameter("by", str, description="department, site, channel, item or hour"),
    OpenApiParameter("number", int, description="which one of those"),
    OpenApiParameter("after", int, description="how many lines to pass over"),
]


def _whole(request: Request, name: str) -> int | None:
    """A whole number from the address; None where it is not there."""
    text = request.query_params.get(name, "")
    if text and not text.removeprefix("-").isdecimal():
        raise Problem(f"{name} is a whole number.")
    return int(text) if text else None


def _picked(request: Request) -> listing.Picked:
    """Which lines the address asks for."""
    asked = request.query_params
    return listing.Picked(
        _whole(request, "first"), _whole(request, "last"), asked.get("rule", ""),
        asked.get("by", ""), _whole(request, "number") or 0,
    )  # fmt: skip


class LinesView(APIView):
    @extend_schema(parameters=LINES, responses=listing.LinesPage)
    def get(self, request: Request, study: int) -> Response:
        """The lines behind a part of the waterline, a hundred at a time."""
        found = study_for(request.user, study)
        after = max(0, _whole(request, "after") or 0)
        return reply(listing.lines_page(found, _picked(request), after))


class LinesFile(APIView):
    """The same lines as a file, each with the reason why it does not count. On record."""

    @extend_schema(parameters=LINES[:-1], request=None, responses={201: ExportRow})
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        return reply(export_row(save_lines(found, request.user, _picked(request))), 201)
