"""Points travel as Arrow: a column each, as bytes."""

from __future__ import annotations

from rest_framework.negotiation import BaseContentNegotiation

__all__ = ["ARROW", "Arrow"]


ARROW = "application/vnd.apache.arrow.stream"


class Arrow(BaseContentNegotiation):
    """A stream of columns is sent as it is, whatever is asked for; problems go as JSON."""

    def select_parser(self, request, parsers):  # type: ignore[no-untyped-def]
        return parsers[0]

    def select_renderer(self, request, renderers, format_suffix=None):  # type: ignore[no-untyped-def]
        return renderers[0], renderers[0].media_type
