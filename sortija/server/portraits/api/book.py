"""The book over HTTP: read, written, changed, taken away as a file."""

from __future__ import annotations

from typing import Literal

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.core.formats.book.pdf import BookFileError
from sortija.core.formats.book.writing import KINDS, file_of
from sortija.core.portraits.book.facts import BookFacts
from sortija.server.groups.models import Yardstick
from sortija.server.portraits.book.actions import arrange, draft_anew, edit, settle, write
from sortija.server.portraits.book.facts import facts_of
from sortija.server.portraits.book.fonts import fonts
from sortija.server.portraits.book.page import (
    BookPage,
    FigureOption,
    book_page,
    figures_of,
    pages_at,
)
from sortija.server.portraits.placed import placed_or_status
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, WINDOW, body, expected_revision, reply
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import whole_number
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import window_in
from sortija.server.studies.windows import WindowInView

__all__ = ["BookFigures", "BookFile", "BookView"]


class BookChange(BaseModel):
    """One change: a part's ``text``; a part drafted ``anew``; figures that changed taken as they
    are now or kept as written (``settle``), of a ``part`` and a ``sentence`` or everywhere; the
    ``order`` of the segments; parts ``left_out``."""

    part: str = ""
    text: str | None = None
    anew: bool = False
    settle: Literal["take", "keep"] | None = None
    sentence: int | None = None
    order: list[int] | None = None
    left_out: list[str] | None = None


class FigureOptions(BaseModel):
    figures: list[FigureOption]


class BookView(APIView):
    @extend_schema(parameters=WINDOW, responses=BookPage)
    def get(self, request: Request, study: int) -> Response:
        """The book of the segments; a draft while none is written."""
        found = study_for(request.user, study)
        return reply(book_page(found, window_in(request, found)))

    @extend_schema(parameters=[*WINDOW, REVISION], request=None, responses={201: BookPage})
    def post(self, request: Request, study: int) -> Response:
        """Write the book from the figures as they are now."""
        found = study_for(request.user, study, "analyst")
        window, yardstick, facts = _at(request, found)
        write(yardstick, request.user, facts, window, expected_revision(request))
        return reply(book_page(found, window), 201)

    @extend_schema(parameters=[*WINDOW, REVISION], request=BookChange, responses=BookPage)
    def put(self, request: Request, study: int) -> Response:
        """Change the book, one thing at a time."""
        found = study_for(request.user, study, "analyst")
        window, yardstick, facts = _at(request, found)
        _change(request, yardstick, facts, body(request, BookChange))
        return reply(book_page(found, window))


def _at(request: Request, study: Study) -> tuple[WindowInView, Yardstick, BookFacts]:
    window = window_in(request, study)
    placed, status = placed_or_status(study, window, "The book tells of adopted groups.")
    if placed is None or window is None:
        raise Problem(status.words, 409)
    return window, placed.yardstick, facts_of(placed)


def _change(request: Request, yardstick: Yardstick, facts: BookFacts, asked: BookChange) -> None:
    seen, person = expected_revision(request), request.user
    if asked.order is not None or asked.left_out is not None:
        arrange(yardstick, person, seen, asked.order, asked.left_out)
    elif asked.settle is not None:
        take = asked.settle == "take"
        settle(yardstick, person, facts, seen, take, asked.part, asked.sentence)
    elif asked.anew:
        draft_anew(yardstick, person, facts, seen, asked.part)
    elif asked.text is not None:
        edit(yardstick, person, facts, seen, asked.part, asked.text)
    else:
        raise Problem("Say what should change: a text, figures, the order or the parts.")


class BookFigures(APIView):
    @extend_schema(
        parameters=[*WINDOW, OpenApiParameter("page", str, description="cover, or a segment")],
        responses=FigureOptions,
    )
    def get(self, request: Request, study: int) -> Response:
        """Figures that a text of a page can hold."""
        found = study_for(request.user, study)
        _, _, facts = _at(request, found)
        page = request.query_params.get("page") or "cover"
        number = whole_number(page) if page != "cover" else None
        segment = facts.segment(number) if number is not None else None
        if page != "cover" and segment is None:
            raise Problem(f"The book has no page “{page}”.", 404)
        return reply(FigureOptions(figures=figures_of(facts, segment)))


class BookFile(APIView):
    @extend_schema(
        parameters=[
            *WINDOW,
            OpenApiParameter("kind", str, enum=list(KINDS), description="kind of file"),
        ],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, study: int) -> HttpResponse:
        """The book as one web page, PDF, DOCX or Markdown."""
        found = study_for(request.user, study)
        kind = request.query_params.get("kind") or "html"
        if kind not in KINDS:
            raise Problem(f"“{kind}” is none of {', '.join(KINDS)}.", 400)
        pages, status = pages_at(found, window_in(request, found))
        if pages is None:
            raise Problem(status.words, 409)
        try:
            data = file_of(pages, kind, fonts())
        except BookFileError as problem:
            raise Problem(str(problem), 503) from problem
        return HttpResponse(data, content_type=KINDS[kind])
