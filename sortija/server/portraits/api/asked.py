"""What requests of Portraits have in common."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from sortija.server.portraits.division import AGAINST, Against
from sortija.server.studies.problems import Problem

__all__ = ["AGAINST_WHAT", "compared"]

AGAINST_WHAT = OpenApiParameter(
    "against", str, enum=list(AGAINST), description="columns: segments, or the lens beside these"
)


def compared(request: Request) -> tuple[Against, str]:
    """What the columns are, and the lens."""
    asked = request.query_params.get("against") or "segments"
    for known in AGAINST:
        if asked == known:
            return known, request.query_params.get("lens", "")
    raise Problem(f"“{asked}” is none of {', '.join(AGAINST)}.", 400)
