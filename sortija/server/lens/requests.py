"""What requests for customers have in common: clauses as they travel, columns, an order."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter
from pydantic import BaseModel
from rest_framework.request import Request

from sortija.core.lens.clauses import Clause, ClauseError
from sortija.server.lens.evaluation import kept_clauses
from sortija.server.lens.listing import Listing, usual_fields
from sortija.server.studies.http import WINDOW
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

__all__ = ["LISTED", "ClauseBody", "LensClauses", "clause_of", "listing_for"]


class ClauseBody(BaseModel):
    """A clause as it travels; see ``core.lens.clauses``."""

    field: str
    values: list[str] = []
    ranges: list[tuple[float | None, float | None]] = []
    negated: bool = False
    window: str = ""


class LensClauses(BaseModel):
    clauses: list[ClauseBody]


def clause_of(given: ClauseBody) -> Clause:
    """The clause, or a 400 that says what is wrong with it."""
    try:
        return Clause.from_json(given.model_dump())
    except ClauseError as problem:
        raise Problem(str(problem)) from problem


def listing_for(request: Request, study: Study) -> Listing:
    window = window_in(request, study)
    if window is None:
        raise Problem("There is nobody to list yet. Import a log first.")
    asked = request.query_params
    fields = [key for key in asked.get("fields", "").split(",") if key]
    return Listing(
        study, window, kept_clauses(study, asked.get("lens", "")),
        fields or usual_fields(study, window), asked.get("order", ""), asked.get("down") == "1",
    )  # fmt: skip


LISTED = [
    *WINDOW,
    OpenApiParameter("fields", str, description="columns, divided by commas; empty: the usual"),
    OpenApiParameter("order", str, description="field to order by; empty: as cards came"),
    OpenApiParameter("down", str, description="1: largest first"),
]
