"""Errors as RFC 9457 problem documents, each with a sentence that a person can act on."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from typing import Any

from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation
from django.db import DataError
from django.http import Http404, HttpRequest, HttpResponse
from pydantic import BaseModel, ConfigDict, ValidationError
from rest_framework import exceptions
from rest_framework.response import Response

from sortija.server.jobs.passing import Passing, passing
from sortija.server.operations.logs import about

__all__ = ["ApiErrors", "ChangedMeanwhile", "Conflict", "Problem", "ProblemDocument", "handler"]

log = logging.getLogger(__name__)


class ProblemDocument(BaseModel):
    """What went wrong (RFC 9457): ``detail`` is a sentence that a person can act on.

    Some say more, such as who made the change that is in the way.
    """

    model_config = ConfigDict(extra="allow")

    title: str
    status: int
    detail: str


class Problem(Exception):
    """Something a person asked for cannot be done; ``detail`` says what, where and what to do."""

    def __init__(self, detail: str, status: int = 400, **extra: Any) -> None:
        super().__init__(detail)
        self.detail, self.status, self.extra = detail, status, extra


class Conflict(Problem):
    """Somebody else changed the same thing since it was read."""

    def __init__(self, detail: str, **extra: Any) -> None:
        super().__init__(detail, 409, **extra)


class ChangedMeanwhile(Conflict, Passing):
    """What was being read was dropped or made anew at that moment; a second look finds its way."""

    def __init__(self) -> None:
        super().__init__("This was changed while it was being read. Load the page again.")


_TITLES = {
    400: "This cannot be done",
    401: "Please sign in",
    403: "Not allowed",
    404: "Not found",
    409: "Changed by someone else meanwhile",
    413: "Too large",
    428: "Which revision?",
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
    if isinstance(error, RequestDataTooBig):
        return problem(413, "The request is too large. Send it in smaller parts.")
    if _unkeepable(error):
        return problem(400, UNKEEPABLE)
    return None


UNKEEPABLE = (
    "The request holds something that cannot be kept: a character that is no text, a number out of "
    "reach, a word too long, or brackets nested too deep."
)


def _unkeepable(error: BaseException | None) -> bool:
    """Whether what was sent, and not the server, is why it failed."""
    while error is not None:
        if isinstance(error, DataError | UnicodeError | RecursionError | OverflowError):
            return True
        if isinstance(error, ValueError) and ("NUL" in str(error) or "null byte" in str(error)):
            return True
        error = error.__cause__
    return False


class ApiErrors:
    """Every error below ``/api/`` is a problem document, whoever raised it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        kind = response.headers.get("Content-Type", "")
        if not request.path.startswith("/api/") or response.status_code < 400 or "json" in kind:
            return response
        status = response.status_code
        return _document(status, _WORDS.get(status, "This cannot be done. Try again."))

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """What no view foresaw: told in the log, and to the person in a sentence."""
        if not request.path.startswith("/api/"):
            return None
        if isinstance(error, SuspiciousOperation) or _unkeepable(error):
            return _document(400, UNKEEPABLE)
        if passing(error):
            log.warning("%s %s gave up: %r", request.method, request.path, error)
            return _document(503, _WORDS[503])
        log.exception("%s %s failed", request.method, request.path)
        return _document(500, _WORDS[500])


_WORDS = {
    400: UNKEEPABLE,
    403: "This request did not come from a page of Sortija. Reload the page and try again.",
    404: "There is nothing at this address.",
    405: "This cannot be done at this address.",
    503: "The database could not be reached at that moment. Nothing was changed. Try again; if it "
    "stays so, the server's log says more.",
    500: "Something went wrong that we did not foresee. Nothing was changed. Try again; the "
    "server's log says more.",
}


def _document(status: int, detail: str) -> HttpResponse:
    body = {"title": _TITLES.get(status, "Failed"), "status": status, "detail": detail}
    if status >= 500:
        body |= dict(about.get())  # the request's id, to find it in the log by
    return HttpResponse(json.dumps(body), status=status, content_type="application/problem+json")
