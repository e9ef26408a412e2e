"""Watches over HTTP."""

from __future__ import annotations

from datetime import date

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.crossings.models import Watch
from sortija.server.crossings.watches import actions
from sortija.server.crossings.watches.page import WatchesPage, WatchRow, watch_row, watches_page
from sortija.server.crossings.watches.readings import read_or_job
from sortija.server.crossings.watches.watched import Kind, Rule, Watched, months_between
from sortija.server.lens.requests import ClauseBody
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in


class NewWatch(BaseModel):
    """What is to be watched, as it was just looked at.

    ``dates``: last days of the windows of the step, or of the path; ``origin``, ``target``: states
    from 0; ``pattern``: as of a path; ``clauses``: those of a sign, whose windows follow the date.
    Without a ``name`` it is called by what it is about.
    """

    name: str = ""
    kind: Kind
    dates: list[date] = []
    origin: int = 0
    target: int = 0
    pattern: str = ""
    clauses: list[ClauseBody] = []
    rule: Rule
    number: int | None = None


class WatchChange(BaseModel):
    name: str
    rule: Rule
    number: int | None = None


class WatchesView(APIView):
    @extend_schema(responses=WatchesPage)
    def get(self, request: Request, study: int) -> Response:
        """What is watched, and what was read at each date."""
        return reply(watches_page(study_for(request.user, study)))

    @extend_schema(parameters=WINDOW, request=NewWatch, responses={201: WatchRow})
    def post(self, request: Request, study: int) -> Response:
        """Watch a crossing, a size, a path or a sign from now on."""
        found = study_for(request.user, study, "analyst")
        window = window_in(request, found)
        if window is None:
            raise Problem("There is nothing to watch yet. Import a log at the Ledger.")
        asked = body(request, NewWatch)
        back = window.back if window.months else "12"
        row = actions.watch(
            found, request.user, asked.name, _watched(asked), back, asked.rule, asked.number
        )  # fmt: skip
        read_or_job(found)
        return reply(watch_row(row), 201)


def _watched(asked: NewWatch) -> Watched:
    dates = sorted(asked.dates)
    if asked.kind == "sign":
        plain = [each.model_copy(update={"window": ""}) for each in asked.clauses]
        return Watched(kind="sign", clauses=plain)
    if len(dates) < 2 or (asked.kind != "path" and len(dates) > 2):
        raise Problem("Say between which dates, the earlier first.")
    ago = [months_between(each, dates[-1]) for each in dates[:-1]]
    if asked.kind == "path":
        return Watched(kind="path", ago=[*ago, 0], pattern=asked.pattern)
    return Watched(kind=asked.kind, months=ago[0], origin=asked.origin, target=asked.target)


class OneWatch(APIView):
    @extend_schema(parameters=[REVISION], request=WatchChange, responses=WatchRow)
    def put(self, request: Request, study: int, watch: int) -> Response:
        """Another name, or another number at which it fires."""
        row, asked = _row(request, study, watch), body(request, WatchChange)
        row = actions.change_watch(
            row, request.user, asked.name, asked.rule, asked.number, expected_revision(request)
        )
        read_or_job(row.study)
        return reply(watch_row(row))

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, watch: int) -> Response:
        """Watch it no longer; undo brings it back."""
        actions.drop_watch(_row(request, study, watch), request.user, expected_revision(request))
        return Response(status=204)


def _row(request: Request, study: int, watch: int) -> Watch:
    found = study_for(request.user, study, "analyst")
    row = Watch.objects.select_related("study", "person").filter(
        pk=watch, study=found, dropped=False
    ).first()  # fmt: skip
    if row is None:
        raise Http404("There is no such watch here.")
    return row
