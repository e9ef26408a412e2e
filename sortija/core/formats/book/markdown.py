"""The book as Markdown (CommonMark, with tables as GitHub reads them)."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from sortija.core.portraits.book.pages import Book, Page, Section

__all__ = ["markdown_of"]

_SIGNS = re.compile(r"([\\`*_{}\[\]<>|#~&])")
_BEGINS = re.compile(r"^(\s*)([-+]|\d+[.)])(?=\s)", re.M)


def markdown_of(book: Book) -> str:
    """The whole book, a heading a segment."""
    lines = [f"# {_plain(book.title)}", "", _plain(book.subtitle), ""]
    for section in book.cover:
        lines += _section(section, "##", heading=not section.key.endswith(".intro"))
        if section.key.endswith(".intro"):
            lines += [*_glance(book), ""]
    if not any(section.key.endswith(".intro") for section in book.cover):
        lines += [*_glance(book), ""]
    for page in book.pages:
        lines += _page(page)
    if book.foot:
        lines += ["---", "", _plain(book.foot), ""]
    return "\n".join(lines)


def _page(page: Page) -> Iterable[str]:
    yield from (f"## {_plain(page.name)}", "", f"**{_plain(page.size)}**, {_plain(page.part)}", "")
    for section in page.sections:
        lead = section.key.endswith(".lead")
        yield from _section(section, "###", heading=not lead)
        if lead and page.threads:
            rows = [(row.label, row.value, row.rest) for row in page.threads]
            yield from (*_table(("What sets them apart", "They", "Everyone else"), rows), "")


def _section(section: Section, level: str, heading: bool) -> Iterable[str]:
    if heading:
        yield from (f"{level} {_plain(section.title)}", "")
    said = " ".join(
        "".join(_bold(r.text) if r.key else _plain(r.text) for r in sentence)
        for sentence in section.sentences
    )
    yield from (said.replace("\n", "  \n"), "")


def _glance(book: Book) -> list[str]:
    heads = ("Segment", "Customers", "Of all", "Of the spend", *book.columns)
    rows = [(r.name, r.customers, r.share, r.money, *r.figures) for r in book.glance]
    return _table(heads, rows)


def _table(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> list[str]:
    lines = [heads, *rows]
    told = [f"| {' | '.join(_plain(cell) for cell in line)} |" for line in lines]
    rule = f"|---|{'---:|' * (len(heads) - 1)}"
    return [told[0], rule, *told[1:]]


def _bold(text: str) -> str:
    """Bold words; blanks at their ends stand outside, or the stars would be read as stars.

    >>> _bold("38%"), _bold(" a ")
    ('**38%**', ' **a** ')
    """
    words = text.strip()
    return text.replace(words, f"**{_plain(words)}**", 1) if words else text


def _plain(text: str) -> str:
    """Words whose signs mean nothing but themselves.

    >>> _plain("5 * 3 [see <b>]")
    '5 \\\\* 3 \\\\[see \\\\<b\\\\>\\\\]'
    """
    return _BEGINS.sub(r"\1\\\2", _SIGNS.sub(r"\\\1", text))
