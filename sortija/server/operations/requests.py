"""Every request has an id: in its answer, in each line of the log, in what is told of a failure."""

from __future__ import annotations

import logging
import re
import secrets
import time
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from sortija.server.operations.logs import about

__all__ = ["RequestIds"]

log = logging.getLogger(__name__)
_SOUND = re.compile(r"[A-Za-z0-9_-]{8,64}")


class RequestIds:
    """Takes the id that a proxy gave a request, or gives it one, and logs how it was answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-Id", "")
        name = given if _SOUND.fullmatch(given) else secrets.token_hex(8)
        token, began = about.set({"request": name}), time.monotonic()
        try:
            response = self.get_response(request)
            response["X-Request-Id"] = name
            if request.path.startswith("/api/"):
                _tell(request, response, time.monotonic() - began)
            return response
        finally:
            about.reset(token)


def _tell(request: HttpRequest, response: HttpResponse, seconds: float) -> None:
    """Queries stay out of the log: they may hold what somebody looked for."""
    user = getattr(request, "user", None)
    told = {
        "method": request.method, "path": request.path[:200], "status": response.status_code,
        "milliseconds": round(seconds * 1000), "person": user.pk if user else None,
    }  # fmt: skip
    log.info("answered", extra={"told": told})
