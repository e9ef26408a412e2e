"""The book as PDF: the same page, set for paper."""

from __future__ import annotations

from sortija.core.formats.book.web_page import Fonts, web_page
from sortija.core.portraits.book.pages import Book

__all__ = ["BookFileError", "html_to_pdf", "pdf_of"]


class BookFileError(Exception):
    """A book cannot be written on this machine; the message says what to do."""


def pdf_of(book: Book, fonts: Fonts) -> bytes:
    """A4, one page a segment where the text allows it.

    Raises
    ------
    BookFileError
        The library that sets letters is missing.
    """
    return html_to_pdf(web_page(book, fonts, paper=True))


def html_to_pdf(page: str) -> bytes:
    """A page as PDF; nothing is fetched from anywhere.

    Raises
    ------
    BookFileError
        The library that sets letters is missing.
    """
    try:
        from weasyprint import HTML
        from weasyprint.urls import URLFetcher
    except OSError as problem:
        raise BookFileError(
            "PDF needs the library Pango, which is missing on this machine. Install it "
            "(apt-get install libpango-1.0-0 libpangoft2-1.0-0), or take the web page and print it."
        ) from problem

    own = URLFetcher(allowed_protocols=["data"])
    data: bytes = HTML(string=page, url_fetcher=own).write_pdf()
    return data
