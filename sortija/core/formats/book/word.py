"""The book as DOCX: headings, tables and paragraphs of the format's own, ready to be changed."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Sequence

from docx import Document
from docx.document import Document as Written
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_BREAK
from docx.shared import Pt, RGBColor
from docx.text.paragraph import Paragraph

from sortija.core.portraits.book.pages import Book, Page, Section
from sortija.core.portraits.marks import HUES, colour_of

__all__ = ["quiet", "table_into", "word_file", "writable"]

_QUIET = RGBColor(0x5D, 0x69, 0x75)
#: What XML has no sign for.
_UNWRITABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


def word_file(book: Book) -> bytes:
    """The whole book, a page a segment."""
    file = Document()
    file.core_properties.title = writable(book.title)
    file.core_properties.author = ""
    file.add_heading(writable(book.title), 0)
    quiet(file.add_paragraph(), book.subtitle)
    first, others = list(book.cover[:1]), list(book.cover[1:])
    _sections(file, first, heading=False)
    heads = ("Segment", "Customers", "Of all", "Of the spend", *book.columns)
    rows = [(r.name, r.customers, r.share, r.money, *r.figures) for r in book.glance]
    table_into(file, heads, rows, [row.mark for row in book.glance])
    _sections(file, others, heading=True)
    _foot(file, book)
    for page in book.pages:
        file.add_paragraph().add_run().add_break(WD_BREAK.PAGE)
        _page(file, page)
        _foot(file, book)
    held = io.BytesIO()
    file.save(held)
    return held.getvalue()


def _page(file: Written, page: Page) -> None:
    head = file.add_heading("", 1)
    _dot(head, page.mark)
    head.add_run(writable(page.name))
    told = file.add_paragraph()
    told.add_run(writable(page.size)).bold = True
    told.add_run(writable(f", {page.part}"))
    lead = [s for s in page.sections if s.key.endswith(".lead")]
    _sections(file, lead, heading=False)
    if page.threads:
        rows = [(row.label, row.value, row.rest) for row in page.threads]
        table_into(file, ("What sets them apart", "They", "Everyone else"), rows)
    _sections(file, [s for s in page.sections if s not in lead], heading=True)


def _sections(file: Written, sections: Iterable[Section], heading: bool) -> None:
    for section in sections:
        if heading:
            file.add_heading(writable(section.title), 2)
        paragraph = file.add_paragraph()
        for place, sentence in enumerate(section.sentences):
            if place:
                paragraph.add_run(" ")
            for run in sentence:
                paragraph.add_run(writable(run.text)).bold = bool(run.key)


def table_into(
    file: Written, heads: Sequence[str], rows: Sequence[Sequence[str]], marks: Sequence[int] = ()
) -> None:
    """A table with heads; ``marks``: a dot of a segment's colour before each row's first cell."""
    table = file.add_table(rows=1, cols=len(heads), style="Light List")
    for cell, words in zip(table.rows[0].cells, heads, strict=True):
        cell.text = writable(words)
    for place, row in enumerate(rows):
        cells = table.add_row().cells
        for column, words in enumerate(row):
            paragraph = cells[column].paragraphs[0]
            if column == 0 and marks:
                _dot(paragraph, marks[place])
            paragraph.add_run(writable(words))
            if column:
                paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    for cell in table.rows[0].cells[1:]:
        cell.paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT


def _dot(paragraph: Paragraph, mark: int) -> None:
    """The segment's colour, as a dot before its name."""
    run = paragraph.add_run("● ")
    run.font.color.rgb = RGBColor.from_string(HUES[colour_of(mark)].removeprefix("#").upper())


def _foot(file: Written, book: Book) -> None:
    if book.foot:
        quiet(file.add_paragraph(), book.foot)


def quiet(paragraph: Paragraph, words: str) -> None:
    """Small, grey words."""
    run = paragraph.add_run(writable(words))
    run.font.size, run.font.color.rgb = Pt(9), _QUIET


def writable(text: str) -> str:
    """Text without what XML has no sign for."""
    return _UNWRITABLE.sub("", text)
