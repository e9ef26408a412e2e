"""The groups in use over HTTP: the model as a file, and a file placed by it."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.views import APIView

from sortija.server.groups.yardsticks.model import MOST_BYTES, model_file, place_file
from sortija.server.studies.actions import study_for
from sortija.server.studies.problems import Problem

_KINDS = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "parquet": "application/vnd.apache.parquet",
    "jsonl": "application/jsonl",
}


class WholeFile(BaseParser):
    """A file's bytes, kept aside as they come; its place."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        aside = tempfile.NamedTemporaryFile(prefix="placed-")  # noqa: SIM115 - the view closes it
        taken = 0
        while part := stream.read(1 << 20):
            taken += len(part)
            if taken > MOST_BYTES:
                aside.close()
                raise Problem(
                    f"Files of up to {MOST_BYTES >> 20} MB are placed here. Take the recipe and "
                    "place larger ones at a terminal: sortija place."
                )
            aside.write(part)
        aside.flush()
        return aside


class ModelView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("kind", str, description="recipe or pmml")],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, study: int) -> HttpResponse:
        """The model in use: a recipe that a terminal places by, or PMML."""
        found = study_for(request.user, study)
        text, ending = model_file(found, request.query_params.get("kind", "recipe"))
        kind = "application/xml" if ending == "pmml" else "application/json"
        name = f"segments.{ending}"
        return HttpResponse(
            text,
            content_type=kind,
            headers={"Content-Disposition": f'attachment; filename="{name}"'},
        )


class PlaceFileView(APIView):
    parser_classes = [WholeFile]

    @extend_schema(
        request={"application/octet-stream": bytes},
        parameters=[
            OpenApiParameter("name", str, description="what the file is called"),
            OpenApiParameter("kind", str, description="csv, xlsx, parquet or jsonl"),
        ],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def post(self, request: Request, study: int) -> HttpResponse:
        """Place a table of measures by the groups in use; it never comes into the study."""
        found = study_for(request.user, study)
        kind: Any = request.query_params.get("kind", "csv")
        if kind not in _KINDS:
            raise Problem(f"Ask for one of these: {', '.join(_KINDS)}.")
        name = request.query_params.get("name", "") or "the file"
        aside: Any = request.data
        with aside:
            placed = place_file(found, Path(aside.name), name, kind)
        return HttpResponse(
            placed.data, content_type=_KINDS[kind],
            headers={"X-Rows": str(placed.rows), "X-Placed": str(placed.placed)},
        )  # fmt: skip
