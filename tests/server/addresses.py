"""Every address of the server with the view behind it, however deep it is included."""

from collections.abc import Iterator
from typing import Any

from django.urls import URLPattern, URLResolver, get_resolver

__all__ = ["addresses"]


def addresses(resolver: URLResolver | None = None, before: str = "") -> Iterator[tuple[str, Any]]:
    """(route, view) of each pattern, such as ``api/studies/<int:study>/lens``."""
    for pattern in (resolver or get_resolver()).url_patterns:
        route = before + str(pattern.pattern)
        if isinstance(pattern, URLPattern):
            yield route, pattern.callback
        else:
            yield from addresses(pattern, route)
