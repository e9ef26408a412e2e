"""How accounts say no; the rest of the house has its own problems, which know of studies."""

from __future__ import annotations

from rest_framework.response import Response

__all__ = ["refuse"]


def refuse(detail: str, status: int = 400) -> Response:
    """A problem document with a sentence that a person can act on."""
    body = {"title": "This cannot be done", "status": status, "detail": detail}
    return Response(body, status=status, content_type="application/problem+json")
