"""One request per screen: the lens's clauses, every chart's bars, a clause tried out."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel, Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.lens.dock import choose_dock, dock_of
from sortija.server.lens.evaluation import LensAnswer, evaluate
from sortija.server.lens.fields import customer_names, field_names
from sortija.server.lens.keeping import INSIDE, drop_kept, keep_lens, kept_lenses, rename_kept
from sortija.server.lens.listing import CustomerList
from sortija.server.lens.models import KeptLens, Lens
from sortija.server.lens.requests import LISTED, ClauseBody, LensClauses, clause_of, listing_for
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window, window_in
from sortija.server.studies.windows import WindowInView


class LensQuestion(BaseModel):
    """``spend``: the window whose money is told, as ``2026-03-31:12``; empty: the one in view."""

    clauses: list[ClauseBody] = Field(default=[], max_length=20)
    charts: list[str] = Field(default=[], max_length=24)
    preview: ClauseBody | None = None
    spend: str = ""


class LensView(APIView):
    @extend_schema(parameters=WINDOW, request=LensQuestion, responses=LensAnswer)
    def post(self, request: Request, study: int) -> Response:
        """Evaluate the lens: everyone in it, every chart, a clause tried out."""
        found = study_for(request.user, study)
        asked = body(request, LensQuestion)
        window = window_in(request, found)
        clauses = [clause_of(c) for c in asked.clauses]
        preview = clause_of(asked.preview) if asked.preview else None
        return reply(evaluate(found, window, clauses, asked.charts, preview, asked.spend))


class FieldRow(BaseModel):
    """A field on offer for clauses and charts."""

    field: str
    label: str
    kind: str
    unit: str
    group: str
    labels: dict[str, str]


class FieldList(BaseModel):
    """``dock``: fields that whoever asks has chosen for the dock; empty while they chose none."""

    fields: list[FieldRow]
    dock: list[str]


class DockBody(BaseModel):
    """Fields of the dock's charts, in their order; empty for the usual ones."""

    fields: list[str]


class FieldsView(APIView):
    @extend_schema(parameters=WINDOW, responses=FieldList)
    def get(self, request: Request, study: int) -> Response:
        """What a lens can speak of in this window."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        names = field_names(found, window) if window else []
        rows = [
            FieldRow(
                field=n.key,
                label=n.label,
                kind=n.kind,
                unit=n.unit,
                group=n.group,
                labels=n.labels,
            )
            for n in names
        ]
        return reply(FieldList(fields=rows, dock=dock_of(found, request.user)))


class DockView(APIView):
    @extend_schema(request=DockBody, responses=DockBody)
    def put(self, request: Request, study: int) -> Response:
        """Choose which charts stand in one's own dock."""
        found = study_for(request.user, study)
        return reply(
            DockBody(fields=choose_dock(found, request.user, body(request, DockBody).fields))
        )


class LensByDigest(APIView):
    @extend_schema(responses=LensClauses)
    def get(self, request: Request, study: int, digest: str) -> Response:
        """The clauses of a lens that was looked through before."""
        found = study_for(request.user, study)
        row = Lens.objects.filter(study=found, digest=digest).first()
        if row is None:
            raise Http404("This lens is not known here. Start again from everyone.")
        clauses: list[dict[str, Any]] = row.clauses
        return reply(LensClauses(clauses=[ClauseBody(**c) for c in clauses]))


class KeptRow(BaseModel):
    """A kept lens; ``customers`` is null where it speaks of what is no longer here."""

    id: int
    name: str
    kind: str
    clauses: list[ClauseBody]
    customers: int | None
    by: str
    at: str
    revision: int


class KeptList(BaseModel):
    kept: list[KeptRow]


class KeepBody(BaseModel):
    name: str
    kind: str = "rule"
    clauses: list[ClauseBody] = Field(max_length=20)


class KeptName(BaseModel):
    name: str


def _row(kept: KeptLens, window: WindowInView | None) -> KeptRow:
    """A list opens as the clause on its members, a rule as its own clauses."""
    as_list = kept.kind == KeptLens.LIST
    clauses = (
        [ClauseBody(field=f"kept:{kept.pk}", values=[INSIDE])]
        if as_list
        else [ClauseBody(**c) for c in kept.clauses]
    )
    customers: int | None = kept.customers
    if not as_list and window is not None:
        try:
            now = evaluate(kept.study, window, [clause_of(c) for c in clauses], [])
            customers = now.lens.customers if now.ready else None
        except Problem:
            customers = None
    person = kept.person
    return KeptRow(
        id=kept.pk, name=kept.name, kind=kept.kind, clauses=clauses, customers=customers,
        by=(person.get_full_name() or person.username) if person else "",
        at=kept.kept_at.isoformat(), revision=kept.revision,
    )  # fmt: skip


def _kept(request: Request, study: int, kept: int) -> KeptLens:
    found = study_for(request.user, study, "analyst")
    row = KeptLens.objects.filter(study=found, pk=kept, dropped=False).first()
    if row is None:
        raise Http404("There is no such lens here.")
    return row


class KeptView(APIView):
    @extend_schema(parameters=WINDOW, responses=KeptList)
    def get(self, request: Request, study: int) -> Response:
        """Lenses kept under a name."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(KeptList(kept=[_row(kept, window) for kept in kept_lenses(found)]))

    @extend_schema(parameters=WINDOW, request=KeepBody, responses={201: KeptRow})
    def post(self, request: Request, study: int) -> Response:
        """Keep the lens under a name, as a rule or as a list."""
        found = study_for(request.user, study, "analyst")
        asked = body(request, KeepBody)
        window = window_in(request, found)
        if window is None:
            raise Problem("There is nobody to keep yet. Import a log first.")
        clauses = [clause_of(c) for c in asked.clauses]
        kept = keep_lens(found, request.user, asked.name, asked.kind, clauses, window)
        return reply(_row(kept, window), 201)


class OneKept(APIView):
    @extend_schema(parameters=[REVISION], request=KeptName, responses=KeptRow)
    def put(self, request: Request, study: int, kept: int) -> Response:
        """Rename a kept lens."""
        row = _kept(request, study, kept)
        name = body(request, KeptName).name
        row = rename_kept(row, request.user, name, expected_revision(request))
        return reply(_row(row, default_window(row.study)))

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, kept: int) -> Response:
        """Delete a kept lens; undo brings it back."""
        drop_kept(_kept(request, study, kept), request.user, expected_revision(request))
        return Response(status=204)


class CustomerNames(BaseModel):
    names: list[str]


class NamesView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("numbers", str, description="divided by commas, up to 100")],
        responses=CustomerNames,
    )
    def get(self, request: Request, study: int) -> Response:
        """What customers are called, in the order asked."""
        found = study_for(request.user, study)
        asked = request.query_params.get("numbers", "").split(",")
        if len(asked) > 100 or not all(is_whole(number) for number in asked):
            raise Problem("Ask for up to 100 customers by their numbers.")
        return reply(CustomerNames(names=customer_names(found, [int(n) for n in asked])))


class CustomersView(APIView):
    """The customers of a lens, a page of them."""

    @extend_schema(
        parameters=[*LISTED, OpenApiParameter("first", int, description="place of the first")],
        responses=CustomerList,
    )
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study)
        first = request.query_params.get("first", "0")
        if not is_whole(first):
            raise Problem("A list begins at a whole number.")
        return reply(listing_for(request, found).page(int(first)))
