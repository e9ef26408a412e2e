"""Files of lists over HTTP: asked for, watched, fetched."""

from __future__ import annotations

from django.http import FileResponse, Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.lens.evaluation import kept_clauses
from sortija.server.lens.export_rows import ExportRow, export_row
from sortija.server.lens.exports import ask_export, dictionary_of, export_of, file_of
from sortija.server.lens.listing import usual_fields
from sortija.server.lens.models import Export
from sortija.server.lens.requests import LISTED
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import body, reply
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in


class NewExport(BaseModel):
    """``kind``: csv, xlsx or parquet."""

    kind: str


class ExportList(BaseModel):
    exports: list[ExportRow]


class ExportsView(APIView):
    """The newest files of lists, and a new one. Taking one is kept on record."""

    @extend_schema(responses=ExportList, operation_id="exports_newest")
    def get(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        rows = Export.objects.filter(study=found, person_id=request.user.pk or 0).order_by("-id")[
            :10
        ]
        return reply(ExportList(exports=[export_row(row) for row in rows]))

    @extend_schema(parameters=LISTED, request=NewExport, responses={201: ExportRow})
    def post(self, request: Request, study: int) -> Response:
        found = study_for(request.user, study, "analyst")
        window = window_in(request, found)
        if window is None:
            raise Problem("There is nobody to list yet. Import a log first.")
        asked = request.query_params
        fields = [key for key in asked.get("fields", "").split(",") if key]
        row = ask_export(
            found, request.user, body(request, NewExport).kind, window,
            kept_clauses(found, asked.get("lens", "")), fields or usual_fields(found, window),
            asked.get("order", ""), asked.get("down") == "1",
        )  # fmt: skip
        return reply(export_row(row), 201)


def _fetched(request: Request, study: int, export: int) -> Export:
    row = export_of(study_for(request.user, study, "analyst"), export)
    if not row.file:
        raise Http404("This file is still being written.")
    return row


class OneExport(APIView):
    @extend_schema(responses=ExportRow)
    def get(self, request: Request, study: int, export: int) -> Response:
        """One file of a list: how far it is."""
        return reply(export_row(export_of(study_for(request.user, study, "analyst"), export)))


class ExportFile(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, study: int, export: int) -> HttpResponseBase:
        """The file of a list."""
        row = _fetched(request, study, export)
        return FileResponse(
            file_of(row).open("rb"), as_attachment=True, filename=f"{row.what}.{row.kind}"
        )


class ExportDictionary(APIView):
    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, study: int, export: int) -> HttpResponseBase:
        """What the columns of a list mean, as CSV."""
        row = _fetched(request, study, export)
        return FileResponse(
            dictionary_of(row).open("rb"), as_attachment=True,
            filename="customers-dictionary.csv", content_type="text/csv; charset=utf-8",
        )  # fmt: skip
