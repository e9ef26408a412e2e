"""Errors as RFC 9457 problem documents, each with a sentence that a person can act on."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from pydantic import ValidationError
from rest_framework import exceptions
from rest_framework.response import Response

__all__ = ["Conflict", "Problem", "handler"]


class Problem(Exception):
    """Something a person asked for cannot be done; ``detail`` says what, where and what to do."""

    def __init__(self, detail: str, status: int = 400, **extra: Any) -> None:
        super().__init__(detail)
        self.detail, self.status, self.extra = detail, status, extra


class Conflict(Problem):
    """Somebody else changed the same thing since it was read."""

    def __init__(self, detail: str, **extra: Any) -> None:
        super().__init__(detail, 409, **extra)


_TITLES = {
    400: "This cannot be done",
    401: "Please sign in",
    403: "Not allowed",
    404: "Not found",
    409: "Changed by someone else meanwhile",
    413: "Too large",
    503: "Not ready yet",
}


def problem(status: int, detail: str, **extra: Any) -> Response:
    """A response of the problem type."""
    body = {"title": _TITLES.get(status, "Failed"), "status": status, "detail": detail, **extra}
    return Response(body, status=status, content_type="application/problem+json")


def handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """Turn what a view raised into a problem document; None for what nobody foresaw."""
    if isinstance(error, Problem):
        return problem(error.status, error.detail, **error.extra)
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the request"
        return problem(400, f"{where}: {first['msg']}")
    if isinstance(error, Http404):
        return problem(404, str(error) or "This is not here, or not yours to see.")
    if isinstance(error, PermissionDenied):
        return problem(403, str(error) or "Your role in this study does not allow this.")
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return problem(401, "Sign in first.")
    if isinstance(error, exceptions.APIException):
        return problem(error.status_code, str(error.detail))
    return None
