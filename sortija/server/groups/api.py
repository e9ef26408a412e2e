"""Groups over HTTP."""

from __future__ import annotations

from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.groups.actions import adopt, run_recipe
from sortija.server.groups.inputs import Draft, change_draft
from sortija.server.groups.models import Grouping
from sortija.server.groups.views import Adopted, GroupsPage, adopted_body, groups_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, JobRow, body, expected_revision, job_row, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import default_window
from sortija.server.studies.windows import window_from

__all__ = ["urls"]


class RecipeRevision(BaseModel):
    revision: int


class GroupingChoice(BaseModel):
    grouping: int


class GroupsView(APIView):
    @extend_schema(parameters=WINDOW, responses=GroupsPage)
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        return reply(groups_page(found, window_from(request, default_window(found))))


class RecipeView(APIView):
    @extend_schema(request=Draft, responses=RecipeRevision)
    def put(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        draft = body(request, Draft)
        revision = change_draft(found, request.user, draft, expected_revision(request))
        return reply(RecipeRevision(revision=revision))


class RunView(APIView):
    @extend_schema(request=None, parameters=WINDOW, responses=JobRow)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        window = window_from(request, default_window(found))
        if window is None:
            raise Problem("There is no log yet. Bring one in at the Ledger.")
        return reply(job_row(run_recipe(found, request.user, window)), 202)


class AdoptView(APIView):
    @extend_schema(request=GroupingChoice, responses=Adopted)
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        row = Grouping.objects.filter(
            study=found, pk=body(request, GroupingChoice).grouping
        ).first()
        if row is None:
            raise Http404("There is no such grouping here. Run the recipe again.")
        adopt(found, request.user, row)
        adopted = adopted_body(found)
        assert adopted is not None
        return reply(adopted)


def urls() -> list[tuple[str, type[APIView]]]:
    """Paths below ``/api/`` and their views."""
    return [
        ("studies/<int:study>/groups", GroupsView),
        ("studies/<int:study>/groups/recipe", RecipeView),
        ("studies/<int:study>/groups/run", RunView),
        ("studies/<int:study>/groups/adopt", AdoptView),
    ]
