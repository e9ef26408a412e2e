"""One entry to every kind of file that a report can be."""

from __future__ import annotations

from collections.abc import Callable

from sortija.core.campaigns.report import Report
from sortija.core.formats.book.pdf import html_to_pdf
from sortija.core.formats.book.web_page import Fonts
from sortija.core.formats.book.writing import KINDS as BOOK_KINDS
from sortija.core.formats.report.web_page import report_page
from sortija.core.formats.report.word import report_word

__all__ = ["KINDS", "report_file"]

#: Kind of file → its media type.
KINDS = {kind: BOOK_KINDS[kind] for kind in ("html", "pdf", "docx")}
_WRITERS: dict[str, Callable[[Report, Fonts], bytes]] = {
    "html": lambda report, fonts: report_page(report, fonts).encode(),
    "pdf": lambda report, fonts: html_to_pdf(report_page(report, fonts, paper=True)),
    "docx": lambda report, fonts: report_word(report),
}


def report_file(report: Report, kind: str, fonts: Fonts | None = None) -> bytes:
    """The report as one file.

    Parameters
    ----------
    kind : one of :data:`KINDS`
    fonts : family → a font file (WOFF2), set into web page and PDF

    Raises
    ------
    BookFileError
        What sets PDF and draws pictures is missing on this machine.
    """
    return _WRITERS[kind](report, fonts or {})
