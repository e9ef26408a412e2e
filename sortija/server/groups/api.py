"""Groups over HTTP: recipe, string, adoption, what was kept."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel, Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.groups.actions import adopt, open_candidate, run_recipe, take_up
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.recipe.inputs import Draft, change_draft
from sortija.server.groups.runs.run_history import KeptPage, change_kept, kept_page
from sortija.server.groups.views import GroupsPage, groups_page
from sortija.server.groups.yardsticks.carry_over import swap
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body
from sortija.server.groups.yardsticks.ladder import keep_present_ladder
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import (
    REVISION,
    WINDOW,
    JobRow,
    body,
    expected_revision,
    job_row,
    reply,
)
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in
from sortija.server.studies.windows import WindowInView


class RecipeRevision(BaseModel):
    revision: int


class GroupingChoice(BaseModel):
    grouping: int


class YardstickChoice(BaseModel):
    yardstick: int


class KeptChange(BaseModel):
    """What is not given stays as it is."""

    starred: bool | None = None
    note: str | None = Field(default=None, max_length=300)
    deleted: bool | None = None


class SegmentPair(BaseModel):
    first: int
    second: int


def window_of(request: Request, study: Study) -> WindowInView:
    """The window in view; a problem where there is nothing to look at."""
    window = window_in(request, study)
    if window is None:
        raise Problem("There is no log yet. Import one at the Ledger.")
    return window


def grouping_of(study: Study, pk: int) -> Grouping:
    row = Grouping.objects.filter(study=study, pk=pk, binned=False).select_related("labels").first()
    if row is None:
        raise Http404("There is no such grouping here. Run the recipe again.")
    return row


def adopted_reply(study: Study) -> Response:
    adopted = adopted_body(study)
    if adopted is None:
        raise Http404("Nothing is adopted.")
    return reply(adopted)


class KeptNow(BaseModel):
    revision: int


class GroupsView(APIView):
    @extend_schema(
        parameters=[*WINDOW, OpenApiParameter("run", str, description="rows tried before")],
        responses=GroupsPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """The recipe, the string of k and the suggestion."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(groups_page(found, window, request.query_params.get("run", "")))


class RecipeView(APIView):
    @extend_schema(parameters=[REVISION], request=Draft, responses=RecipeRevision)
    def put(self, request: Request, study: int) -> Response:
        """Change the draft recipe."""
        found = study_for(request.user, study, "analyst")
        draft = body(request, Draft)
        revision = change_draft(found, request.user, draft, expected_revision(request))
        return reply(RecipeRevision(revision=revision))


class RunView(APIView):
    @extend_schema(request=None, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int) -> Response:
        """Group by every k that the recipe asks for."""
        found = study_for(request.user, study, "analyst")
        return reply(job_row(run_recipe(found, request.user, window_of(request, found))), 202)


class AdoptView(APIView):
    """If-Match: the number of the yardstick that is seen in use, 0 for none."""

    @extend_schema(parameters=[REVISION], request=GroupingChoice, responses=Adopted)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        row = grouping_of(found, body(request, GroupingChoice).grouping)
        adopt(found, request.user, row, expected_revision(request))
        return adopted_reply(found)


class LadderView(APIView):
    """Keep the ladder of Scores as the yardstick. If-Match: the yardstick seen in use."""

    @extend_schema(request=None, parameters=[*WINDOW, REVISION], responses=Adopted)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        window = window_of(request, found)
        keep_present_ladder(found, request.user, window, expected_revision(request))
        return adopted_reply(found)


class TakeUpView(APIView):
    """Put an earlier yardstick in use again. If-Match: the yardstick seen in use."""

    @extend_schema(parameters=[REVISION], request=YardstickChoice, responses=Adopted)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        pk = body(request, YardstickChoice).yardstick
        row = Yardstick.objects.filter(study=found, pk=pk).first()
        if row is None:
            raise Http404("There is no such yardstick here.")
        take_up(found, request.user, row, expected_revision(request))
        return adopted_reply(found)


class SwapView(APIView):
    """Two segments change identities. If-Match: the yardstick seen in use."""

    @extend_schema(parameters=[REVISION], request=SegmentPair, responses=Adopted)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        pair = body(request, SegmentPair)
        swap(found, request.user, pair.first, pair.second, expected_revision(request))
        return adopted_reply(found)


class OpenView(APIView):
    """Look closer at a candidate: a hundred resamplings."""

    @extend_schema(request=None, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int, grouping: int) -> Response:
        found = study_for(request.user, study, "analyst")
        row = grouping_of(found, grouping)
        job = open_candidate(found, request.user, window_of(request, found), row)
        return reply(job_row(job), 202)


class KeptView(APIView):
    @extend_schema(parameters=WINDOW, responses=KeptPage)
    def get(self, request: Request, study: int) -> Response:
        """Every run that was tried, and every yardstick that was in use."""
        found = study_for(request.user, study)
        return reply(kept_page(found, window_in(request, found)))


class KeptOne(APIView):
    @extend_schema(parameters=[REVISION], request=KeptChange, responses=KeptNow)
    def patch(self, request: Request, study: int, grouping: int) -> Response:
        """Star a grouping, write a note to it, or delete it."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, KeptChange)
        changes: dict[str, Any] = {
            "starred": asked.starred, "note": asked.note, "binned": asked.deleted
        }  # fmt: skip
        given = {name: value for name, value in changes.items() if value is not None}
        row = change_kept(found, request.user, grouping, given, expected_revision(request))
        return reply(KeptNow(revision=row.revision))
