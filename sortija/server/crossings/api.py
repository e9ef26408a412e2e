"""Crossings over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.crossings.ahead import AheadPage, ahead_page
from sortija.server.crossings.cohorts import CohortsPage, cohorts_page
from sortija.server.crossings.customers import ChangedPage, changed_page
from sortija.server.crossings.dates import by_from
from sortija.server.crossings.fit import FitPage, fit_page
from sortija.server.crossings.one_customer import CustomerPath, customer_path
from sortija.server.crossings.one_step import cell_of
from sortija.server.crossings.reasons import WhyPage, why_page
from sortija.server.crossings.refit import RefitPage, refit_page
from sortija.server.crossings.signs import SignsPage, signs_page
from sortija.server.crossings.steady import SteadierPage, steadier_page
from sortija.server.crossings.views import CrossingsPage, crossings_page
from sortija.server.crossings.ways import PathsPage, paths_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import WINDOW, reply
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in
from sortija.server.studies.windows import WindowInView

BY = OpenApiParameter(
    "by", str,
    description="the dates: year (the same season a year before), years, half-year, quarter, month,"
    " or days such as 2025-01-31,2025-12-31",
)  # fmt: skip


HOLD = OpenApiParameter(
    "hold", float, description="customers stay in their segment until another's margin exceeds it"
)


def _hold(request: Request) -> float:
    try:
        return float(request.query_params.get("hold", "") or 0)
    except ValueError:
        raise Problem("hold is a margin from 0 to 1.") from None


def _by(request: Request, default: str = "year") -> str:
    return by_from(request.query_params.get("by", default))


class CrossingsView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            BY,
            HOLD,
            OpenApiParameter("step", int, description="told from chance"),
            OpenApiParameter("lens", str, description="of its customers alone"),
        ],
        responses=CrossingsPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Segments at several dates, and who crossed between them."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        step = request.query_params.get("step", "")
        looked_at = int(step) if is_whole(step) else -1
        lens = request.query_params.get("lens", "")
        return reply(crossings_page(found, window, _by(request), looked_at, lens, _hold(request)))


CELL = [
    *WINDOW,
    BY,
    HOLD,
    OpenApiParameter("step", int, required=True, description="from 0, oldest first"),
    OpenApiParameter("origin", int, required=True, description="state, from 0"),
    OpenApiParameter("target", int, required=True, description="state, from 0"),
]


def _cell(request: Request, study: int) -> tuple[Study, WindowInView, str, int, int, int, float]:
    """The crossing that is asked for."""
    found = study_for(request.user, study)
    window = window_in(request, found)
    asked = [request.query_params.get(name, "") for name in ("step", "origin", "target")]
    if window is None or not all(is_whole(value) for value in asked):
        raise Problem("step, origin and target are whole numbers from 0.")
    step, origin, target = map(int, asked)
    return found, window, _by(request), step, origin, target, _hold(request)


class WhyView(APIView):
    @extend_schema(parameters=CELL, responses=WhyPage)
    def get(self, request: Request, study: int) -> Response:
        """Why the customers of one crossing crossed."""
        return reply(why_page(*_cell(request, study)))


class SignsView(APIView):
    @extend_schema(parameters=CELL, responses=SignsPage)
    def get(self, request: Request, study: int) -> Response:
        """What could be seen beforehand of those who then crossed."""
        return reply(signs_page(cell_of(*_cell(request, study))))


class ChangedView(APIView):
    @extend_schema(parameters=CELL, responses=ChangedPage)
    def get(self, request: Request, study: int) -> Response:
        """The customers of one crossing, the likeliest to have changed first."""
        return reply(changed_page(cell_of(*_cell(request, study))))


class CohortsView(APIView):
    @extend_schema(parameters=WINDOW, responses=CohortsPage)
    def get(self, request: Request, study: int) -> Response:
        """Customers by the quarter of their first purchase, up to the window's last day."""
        found = study_for(request.user, study)
        return reply(cohorts_page(found, window_in(request, found)))


class FitView(APIView):
    @extend_schema(parameters=WINDOW, responses=FitPage)
    def get(self, request: Request, study: int) -> Response:
        """Whether the yardstick still fits."""
        found = study_for(request.user, study)
        return reply(fit_page(found, window_in(request, found)))


class RefitView(APIView):
    @extend_schema(parameters=WINDOW, responses=RefitPage)
    def get(self, request: Request, study: int) -> Response:
        """The yardstick's recipe on another window, its groups matched to the segments."""
        found = study_for(request.user, study)
        return reply(refit_page(found, window_in(request, found)))


class CustomerPathView(APIView):
    @extend_schema(parameters=WINDOW, responses=CustomerPath)
    def get(self, request: Request, study: int, customer: int) -> Response:
        """One customer's way over the dates that are compared."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(customer_path(found, window, customer))


class PathsView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            BY,
            OpenApiParameter("pattern", str, description="1.*.3.*: states from 1, or anything"),
        ],
        responses=PathsPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Ways through the dates of a series, and how many follow a pattern."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        pattern = request.query_params.get("pattern", "")
        return reply(paths_page(found, window, _by(request, "quarter"), pattern))


class SteadierView(APIView):
    @extend_schema(responses=SteadierPage)
    def get(self, request: Request, study: int, grouping: int) -> Response:
        """What would let more customers stand in the same group if the year happened again."""
        return reply(steadier_page(study_for(request.user, study), grouping))


class AheadView(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("origin", int, description="what if: from this segment, from 0"),
            OpenApiParameter("target", int, description="what if: to this state, from 0"),
            OpenApiParameter("rate", float, description="what if: this share a period, 0 to 1"),
        ],
        responses=AheadPage,
    )
    def get(self, request: Request, study: int) -> Response:
        """Sizes and money ahead if nothing changes, and with the rate of one way changed."""
        found = study_for(request.user, study)
        window = window_in(request, found)
        return reply(ahead_page(found, window, _what_if(request)))


def _what_if(request: Request) -> tuple[int, int, float] | None:
    origin, target, rate = (
        request.query_params.get(name, "") for name in ("origin", "target", "rate")
    )
    if not rate:
        return None
    try:
        share = float(rate)
    except ValueError:
        share = -1.0
    if not (is_whole(origin) and is_whole(target) and 0 <= share <= 1):
        raise Problem("A what-if names two states by whole numbers and a rate from 0 to 1.")
    return int(origin), int(target), share
