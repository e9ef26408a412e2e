"""A report as DOCX: headings, tables and paragraphs of the format's own, and its pictures."""

from __future__ import annotations

import io

from docx import Document
from docx.document import Document as Written
from docx.shared import Cm

from sortija.core.campaigns.report import Report, ReportSection
from sortija.core.formats.book.pdf import html_to_pdf
from sortija.core.formats.book.word import quiet, table_into, writable
from sortija.core.formats.report.web_page import pictures_of

__all__ = ["report_word"]

_WIDE = Cm(16)
#: Dots an inch of a picture, so that it prints well.
_DOTS = 200


def report_word(report: Report) -> bytes:
    """The report, ready to be changed.

    Raises
    ------
    BookFileError
        What draws its pictures is missing on this machine.
    """
    file = Document()
    file.core_properties.title = writable(report.title)
    file.core_properties.author = ""
    file.add_heading(writable(report.title), 0)
    quiet(file.add_paragraph(), report.subtitle)
    pictures = pictures_of(report)
    for section in report.sections:
        _section(file, section, pictures.get(section.key, ""))
    quiet(file.add_paragraph(), report.foot)
    held = io.BytesIO()
    file.save(held)
    return held.getvalue()


def _section(file: Written, section: ReportSection, picture: str) -> None:
    file.add_heading(writable(section.title), 2)
    paragraph = file.add_paragraph()
    if section.strong:
        paragraph.add_run(writable(section.strong)).bold = True
    paragraph.add_run(writable(section.text))
    if picture:
        file.add_picture(io.BytesIO(_drawn(picture)), width=_WIDE)
    if section.rows:
        table_into(file, section.heads, section.rows)


def _drawn(picture: str) -> bytes:
    """An SVG as PNG, by way of a page of its own size."""
    import pypdfium2

    page = (
        "<style>@page { size: 670px 270px; margin: 0 } body { margin: 0 } "
        f"svg {{ display: block }}</style>{picture}"
    )
    document = pypdfium2.PdfDocument(html_to_pdf(page))
    image = document[0].render(scale=_DOTS / 72).to_pil().convert("RGB")
    document.close()
    tall = _DOTS * _height(picture) / 96
    held = io.BytesIO()
    image.crop((0, 0, image.width, min(image.height, round(tall)))).save(held, "PNG")
    return held.getvalue()


def _height(picture: str) -> float:
    """Pixels that a drawing is high."""
    return float(picture.partition(' height="')[2].partition('"')[0])
