"""Answers on their way out: compressed, and named by what is in them."""

from __future__ import annotations

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.middleware.http import ConditionalGetMiddleware

__all__ = ["CompressAnswers", "NameAnswers"]


class CompressAnswers(GZipMiddleware):
    """JSON travels compressed; a page of Measures is an eighth of its size then.

    Files of lists are whole files already, and pictures of points are numbers that hardly shrink.
    """

    def process_response(
        self, request: HttpRequest, response: HttpResponseBase
    ) -> HttpResponseBase:
        if "json" not in response.headers.get("Content-Type", ""):
            return response
        return super().process_response(request, response)


class NameAnswers(ConditionalGetMiddleware):
    """An answer that is the same as the last one is not sent again: an ETag names each.

    Browsers keep answers for the person who is signed in alone, and ask again each time.
    """

    def process_response(
        self, request: HttpRequest, response: HttpResponseBase
    ) -> HttpResponseBase:
        # If-Match names revisions here, not answers.
        if not request.path.startswith("/api/") or "If-Match" in request.headers:
            return response
        response.headers.setdefault("Cache-Control", "private, no-cache")
        return super().process_response(request, response)
