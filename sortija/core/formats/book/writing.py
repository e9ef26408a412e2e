"""One entry to every kind of file that a book can be."""

from __future__ import annotations

from collections.abc import Callable

from sortija.core.formats.book.markdown import markdown_of
from sortija.core.formats.book.pdf import pdf_of
from sortija.core.formats.book.web_page import Fonts, web_page
from sortija.core.formats.book.word import word_file
from sortija.core.portraits.book.pages import Book

__all__ = ["KINDS", "file_of"]

#: Kind of file → its media type.
KINDS = {
    "html": "text/html; charset=utf-8",
    "pdf": "application/pdf",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "md": "text/markdown; charset=utf-8",
}
_WRITERS: dict[str, Callable[[Book, Fonts], bytes]] = {
    "html": lambda book, fonts: web_page(book, fonts).encode(),
    "pdf": pdf_of,
    "docx": lambda book, fonts: word_file(book),
    "md": lambda book, fonts: markdown_of(book).encode(),
}


def file_of(book: Book, kind: str, fonts: Fonts | None = None) -> bytes:
    """The book as one file.

    Parameters
    ----------
    kind : one of :data:`KINDS`
    fonts : family → a font file (WOFF2), set into web page and PDF

    Raises
    ------
    BookFileError
        What sets PDF is missing on this machine.
    """
    return _WRITERS[kind](book, fonts or {})
