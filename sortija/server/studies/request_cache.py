"""What a request asks for again and again is looked up once.

Many views of one answer ask for the ledger, the traits or the measures of the same study. While
something is only read, nothing changes under it on purpose, so the first answer serves the rest
of the request. Requests that change something, and jobs, look afresh every time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

from django.http import HttpRequest
from django.http.response import HttpResponseBase

from sortija.server.studies.models import Study

__all__ = ["PerRequest", "is_reading", "once", "reading"]

P = ParamSpec("P")
Result = TypeVar("Result")
_found: ContextVar[dict[Any, Any] | None] = ContextVar("found", default=None)


def once(
    function: Callable[Concatenate[Study, P], Result],
) -> Callable[Concatenate[Study, P], Result]:
    """Remember what a function of a study (and arguments that can be hashed) found."""

    @wraps(function)
    def asked(study: Study, /, *args: P.args, **kwargs: P.kwargs) -> Result:
        found = _found.get()
        if found is None:
            return function(study, *args, **kwargs)
        key = (function, study.pk, args, tuple(sorted(kwargs.items())))
        if key not in found:
            found[key] = function(study, *args, **kwargs)
        result: Result = found[key]
        return result

    return asked


def is_reading() -> bool:
    """Whether what was found once is not looked up again just now."""
    return _found.get() is not None


@contextmanager
def reading() -> Iterator[None]:
    """Within this, what was found once is not looked up again."""
    token = _found.set({} if _found.get() is None else _found.get())
    try:
        yield
    finally:
        _found.reset(token)


class PerRequest:
    """Middleware: every request that only reads looks things up once."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        with reading():
            return self.get_response(request)
