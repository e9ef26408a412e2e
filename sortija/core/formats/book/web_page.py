"""The book as one web page: readable without a server, its pictures and letters in it."""

from __future__ import annotations

import base64
from collections.abc import Iterable, Mapping
from html import escape

from sortija.core.formats.book.pictures import mark_svg, thread_svg
from sortija.core.portraits.book.pages import Book, Page, Section

__all__ = ["Fonts", "faces", "web_page"]

#: Family → a font file (WOFF2).
Fonts = Mapping[str, bytes]

_STYLE = """
@page { size: A4; margin: 17mm 18mm 15mm; }
* { box-sizing: border-box; }
body { margin: 0; background: #f4f6f8; color: #18212b; font: 15px/1.6 Figtree, "Helvetica Neue",
  Arial, sans-serif; }
h1, h2, h3 { font-family: "Bricolage Grotesque", Figtree, "Helvetica Neue", Arial, sans-serif;
  line-height: 1.2; margin: 0; }
h1 { font-size: 30px; } h2 { font-size: 25px; } h3 { font-size: 14px; margin: 18px 0 3px; }
p { margin: 0; } b { font-weight: 600; }
.quiet { color: #5d6975; font-size: 13px; }
.page { background: #fff; border: 1px solid #dbe0e5; border-radius: 6px; max-width: 760px;
  margin: 18px auto; padding: 38px 44px; }
.head { display: flex; align-items: center; gap: 14px; }
.head .size { margin-left: auto; text-align: right; white-space: nowrap; }
.size b { font-family: "Bricolage Grotesque", Figtree, Arial, sans-serif; font-size: 19px; }
.lead { margin-top: 16px; font-size: 16px; } .lead h3 { display: none; }
.small p { font-size: 13.5px; line-height: 1.5; }
.columns { display: flex; flex-wrap: wrap; justify-content: space-between; }
.columns section { width: 47%; }
table { border-collapse: collapse; width: 100%; font-size: 13px; margin-top: 8px; }
th, td { text-align: left; font-weight: 400; padding: 5px 8px 5px 0; vertical-align: middle; }
th { color: #5d6975; } tbody tr { border-top: 1px solid #dbe0e5; }
.threads tbody tr { border: 0; } .threads td, .threads th { padding: 2px 8px 2px 0; }
.threads tbody th { color: #18212b; white-space: nowrap; }
.figure { text-align: right; padding-right: 0; }
th.figure, td.figure { padding-left: 12px; white-space: nowrap; }
.named { white-space: nowrap; } .named svg { vertical-align: -3px; margin-right: 6px; }
.foot { margin-top: 22px; border-top: 1px solid #dbe0e5; padding-top: 8px; }
@media print { body { background: #fff; } .page { border: 0; border-radius: 0; margin: 0;
  padding: 0; max-width: none; break-after: page; } .page:last-child { break-after: auto; } }
"""

_NARROW = """
@media (max-width: 640px) { .page { margin: 0; border-radius: 0; padding: 24px 18px; }
  .columns section { width: 100%; } .head { flex-wrap: wrap; } .threads svg { max-width: 40vw; }
  .scroll { overflow-x: auto; } }
"""

#: Set for paper without flexible boxes, which take a quarter longer to lay out.
_PAPER = """
.head { display: block; position: relative; padding: 0 160px 0 54px; }
.head > svg { position: absolute; left: 0; top: 4px; }
.head .size { position: absolute; right: 0; top: 2px; }
.columns { display: block; } .columns section { display: inline-block; vertical-align: top; }
.columns section:nth-child(odd) { margin-right: 6%; }
"""


def web_page(book: Book, fonts: Fonts, paper: bool = False) -> str:
    """One HTML document with everything in it; ``paper``: without what only screens take."""
    pages = "".join(_page(page, book, place) for place, page in enumerate(book.pages, 2))
    title = escape(f"{book.title}: customer segments")
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f'<meta name="viewport" content="width=device-width, initial-scale=1">'
        f"<style>{faces(fonts, paper)}{_STYLE}{_PAPER if paper else _NARROW}</style></head>\n"
        f"<body>{_cover(book)}{pages}</body></html>\n"
    )


def faces(fonts: Fonts, paper: bool) -> str:
    """The letters that a page brings along, as style."""
    weights = "" if paper else "font-weight: 200 900; "
    return "".join(
        f'@font-face {{ font-family: "{family}"; {weights}'
        f'src: url(data:font/woff2;base64,{base64.b64encode(data).decode()}) format("woff2"); }}\n'
        for family, data in fonts.items()
    )


def _cover(book: Book) -> str:
    intro = [s for s in book.cover if s.key.endswith(".intro")]
    others = [s for s in book.cover if s not in intro]
    return (
        f'<div class="page"><h1>{escape(book.title)}</h1>'
        f'<p class="quiet">{escape(book.subtitle)}</p>{_sections(intro, "lead")}{_glance(book)}'
        f"{_sections(others, 'small')}{_foot(book)}</div>\n"
    )


def _glance(book: Book) -> str:
    heads = ("Customers", "of all", "of the spend", *book.columns)
    top = "".join(f'<th scope="col" class="figure">{escape(head)}</th>' for head in heads)
    rows = "".join(
        f'<tr><th scope="row" class="named">{mark_svg(row.mark)}{escape(row.name)}</th>'
        + "".join(
            f'<td class="figure">{escape(cell)}</td>'
            for cell in (row.customers, row.share, row.money, *row.figures)
        )
        + "</tr>"
        for row in book.glance
    )
    return (
        f'<h3>At a glance</h3><div class="scroll"><table><thead><tr><th scope="col">Segment</th>'
        f"{top}</tr></thead><tbody>{rows}</tbody></table></div>"
    )


def _page(page: Page, book: Book, place: int) -> str:
    lead = [s for s in page.sections if s.key.endswith(".lead")]
    others = [s for s in page.sections if s not in lead]
    return (
        f'<div class="page"><div class="head">{mark_svg(page.mark, 40)}<div>'
        f'<h2>{escape(page.name)}</h2><p class="quiet">{escape(book.title)}. '
        f"Page {place} of {len(book.pages) + 1}</p></div>"
        f'<div class="size"><b>{escape(page.size)}</b><p class="quiet">{escape(page.part)}</p>'
        f"</div></div>{_sections(lead, 'lead')}{_threads(page)}"
        f'<div class="columns small">{_sections(others, "")}</div>{_foot(book)}</div>\n'
    )


def _threads(page: Page) -> str:
    if not page.threads:
        return ""
    rows = "".join(
        f'<tr><th scope="row">{escape(row.label)}</th><td>{thread_svg(row)}</td>'
        f'<td class="figure"><b>{escape(row.value)}</b></td>'
        f'<td class="figure quiet">{escape(row.rest)}</td></tr>'
        for row in page.threads
    )
    return (
        '<h3>What sets them apart</h3><table class="threads"><thead><tr><th></th><th></th>'
        '<th scope="col" class="figure">they</th><th scope="col" class="figure">everyone else</th>'
        f"</tr></thead><tbody>{rows}</tbody></table>"
    )


def _sections(sections: Iterable[Section], look: str) -> str:
    return "".join(_section(section, look) for section in sections)


def _section(section: Section, look: str) -> str:
    said = " ".join(
        "".join(f"<b>{escape(r.text)}</b>" if r.key else escape(r.text) for r in sentence)
        for sentence in section.sentences
    )
    paragraph = said.replace("\n", "<br>")
    return f'<section class="{look}"><h3>{escape(section.title)}</h3><p>{paragraph}</p></section>'


def _foot(book: Book) -> str:
    return f'<p class="foot quiet">{escape(book.foot)}</p>' if book.foot else ""
