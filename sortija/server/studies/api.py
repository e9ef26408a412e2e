"""Studies, their trail, pulse and history."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.calendar import date_of, last_day_before
from sortija.server.accounts.models import Person
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, again, ask_cancel, open_jobs
from sortija.server.studies import actions
from sortija.server.studies.http import WINDOW, JobRow, body, job_row, reply
from sortija.server.studies.models import Membership, Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import (
    coverage,
    default_window,
    facts,
    rows_of,
    whole_years,
)
from sortija.server.studies.windows import BACKS, WindowInView, window_from


class StudyRow(BaseModel):
    """``unit``, ``units``: what one of its rows is called, and several; ``has_log``: whether what
    they bought is known."""

    id: int
    name: str
    currency: str
    scale: int
    role: str
    revision: int
    unit: str
    units: str
    has_log: bool


class StudyList(BaseModel):
    studies: list[StudyRow]


class NewStudy(BaseModel):
    name: str
    currency: str = "£"


class StationFact(BaseModel):
    key: str
    name: str
    state: str
    words: str
    since: str


class WindowName(BaseModel):
    """A window as an address says it."""

    to: str
    back: str


class WindowRow(BaseModel):
    """The window in view; ``first``: its first day, empty where it looks back over all;
    ``covered``: what the log has of it, empty where it has it whole; ``earlier``, ``later``: the
    last days of the windows a month away."""

    first: str
    to: str
    back: str
    covered: str
    earlier: str
    later: str
    year_before: WindowName


def _window_row(study: Study, window: WindowInView) -> WindowRow:
    first = ""
    if window.back != "all":
        first = date_of(window.window.first_day(0)).isoformat()
    before = window.year_before
    return WindowRow(
        first=first, to=window.to.isoformat(), back=window.back, covered=coverage(study, window),
        earlier=last_day_before(window.to, 1).isoformat(),
        later=last_day_before(window.to, -1).isoformat(),
        year_before=WindowName(to=before.to.isoformat(), back=before.back),
    )  # fmt: skip


class Trail(BaseModel):
    """Seven facts, the window they speak of, and the windows on offer; ``years``: whole ones."""

    study: StudyRow
    window: WindowRow | None
    backs: list[str]
    years: list[int]
    stations: list[StationFact]


class Pulse(BaseModel):
    revision: int
    jobs: list[JobRow]


class HistoryRow(BaseModel):
    id: int
    who: str
    words: str
    at: str
    undone: bool


class History(BaseModel):
    entries: list[HistoryRow]


class Step(BaseModel):
    """What was undone or redone."""

    words: str
    revision: int


def _row(member: Membership) -> StudyRow:
    study = member.study
    rows = rows_of(study)
    return StudyRow(
        id=study.pk, name=study.name, currency=study.currency, scale=study.scale,
        role=member.role, revision=study.revision, unit=rows.one, units=rows.many,
        has_log=rows.has_log,
    )  # fmt: skip


def signed_in(request: Request) -> Person:
    """The person who asks; views that anyone may see do not come here."""
    assert isinstance(request.user, Person)
    return request.user


class Studies(APIView):
    @extend_schema(responses=StudyList)
    def get(self, request: Request) -> Response:
        """The studies one works on."""
        members = Membership.objects.filter(person=signed_in(request), study__binned_at=None)
        members = members.select_related("study").order_by("study_id")
        return reply(StudyList(studies=[_row(m) for m in members]))

    @extend_schema(request=NewStudy, responses=StudyRow)
    def post(self, request: Request) -> Response:
        """Create a study, as its owner."""
        wanted = body(request, NewStudy)
        person = signed_in(request)
        study = actions.start_study(person, wanted.name, wanted.currency)
        return reply(_row(actions.membership(person, study.pk)), 201)


class TrailView(APIView):
    @extend_schema(parameters=WINDOW, responses=Trail)
    def get(self, request: Request, study: int) -> Response:
        """The study, the window in view, and one fact per station."""
        member = actions.membership(request.user, study)
        # Worked out whatever is named: every page asks here, and lines that another version of
        # Sortija left in its own order are put in order by it.
        window = window_from(request, default_window(member.study))
        return reply(
            Trail(
                study=_row(member),
                window=_window_row(member.study, window) if window else None,
                backs=list(BACKS),
                years=whole_years(member.study),
                stations=[
                    StationFact(key=key, name=name, state=f.state, words=f.words, since=f.since)
                    for key, name, f in facts(member.study, window)
                ],
            )
        )


class PulseView(APIView):
    @extend_schema(responses=Pulse)
    def get(self, request: Request, study: int) -> Response:
        """The study's revision and its jobs, for screens that watch."""
        found = actions.study_for(request.user, study)
        jobs = [job_row(job) for job in open_jobs(found.pk)]
        return reply(Pulse(revision=found.revision, jobs=jobs))


def _job(request: Request, study: int, number: int) -> Job:
    """A job of a study in which the person may change things, or a 404."""
    found = actions.study_for(request.user, study, "analyst")
    row = Job.objects.filter(pk=number, study=found.pk).first()
    if row is None:
        raise Http404("There is no such job here.")
    return row


class CancelJob(APIView):
    @extend_schema(request=None, responses=JobRow)
    def post(self, request: Request, study: int, job: int) -> Response:
        """Ask a job to stop."""
        row = _job(request, study, job)
        ask_cancel(row)
        row.refresh_from_db()
        return reply(job_row(row))


class RepeatJob(APIView):
    @extend_schema(request=None, responses=JobRow)
    def post(self, request: Request, study: int, job: int) -> Response:
        """Start a job again that broke off."""
        try:
            return reply(job_row(again(_job(request, study, job), request.user)))
        except JobError as problem:
            raise Problem(str(problem)) from problem


class HistoryView(APIView):
    @extend_schema(responses=History)
    def get(self, request: Request, study: int) -> Response:
        """What was changed last, by whom."""
        found = actions.study_for(request.user, study)
        rows = found.history.select_related("person").order_by("-id")[:50]
        return reply(
            History(
                entries=[
                    HistoryRow(
                        id=h.pk,
                        who=h.person.username if h.person else "somebody",
                        words=h.words,
                        at=h.at.isoformat(),
                        undone=h.undone_at is not None,
                    )
                    for h in rows
                ]
            )
        )


class Undo(APIView):
    @extend_schema(request=None, responses=Step)
    def post(self, request: Request, study: int) -> Response:
        """Undo one's own last change."""
        found = actions.study_for(request.user, study, "analyst")
        entry = actions.undo(found, request.user)
        return reply(Step(words=entry.words, revision=found.revision))


class Redo(APIView):
    @extend_schema(request=None, responses=Step)
    def post(self, request: Request, study: int) -> Response:
        """Redo one's own change that was undone last."""
        found = actions.study_for(request.user, study, "analyst")
        entry = actions.redo(found, request.user)
        return reply(Step(words=entry.words, revision=found.revision))
