"""What a request asks the measures of: a window, and whose rows."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from sortija.server.measures.availability import measures_to_show
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.http import WINDOW
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in

__all__ = ["OF", "ROWS", "made_for", "rows_for"]


#: Levels of this trait in the place of customers.
OF = OpenApiParameter("of", str, description="a trait: its levels in the place of customers")


ROWS = [*WINDOW, OF]


def made_for(request: Request, study: Study, of: str = "") -> MeasureSet:
    """The customers' measures in the window that is asked for, current or from before a change.

    ``of``: the levels of this trait in the place of customers.

    Raises
    ------
    Problem
        404 without any, 503 while they are being made.
    """
    window = window_in(request, study)
    at = measures_to_show(study, window, request.user, of) if window else None
    if at is None or (at.made is None and at.job is None):
        raise Problem("There are no measures yet. Import a log at the Ledger.", 404)
    if at.made is None:
        raise Problem("The measures of this window are still being derived.", 503)
    return at.made


def rows_for(request: Request, study: Study) -> MeasureSet:
    """The same for whatever rows the request asks for: customers, or the levels of a trait."""
    return made_for(request, study, request.query_params.get("of", ""))
