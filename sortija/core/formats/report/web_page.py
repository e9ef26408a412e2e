"""A report as one web page, and the same set for paper."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from sortija.core.campaigns.report import Report, ReportSection
from sortija.core.formats.book.web_page import Fonts, faces
from sortija.core.formats.report.pictures import arms_svg, segments_svg

__all__ = ["pictures_of", "report_page"]

_STYLE = """
@page { size: A4; margin: 16mm 18mm 14mm; }
* { box-sizing: border-box; }
body { margin: 0; background: #f4f6f8; color: #18212b; font: 14.5px/1.55 Figtree, "Helvetica Neue",
  Arial, sans-serif; }
h1, h2 { font-family: "Bricolage Grotesque", Figtree, "Helvetica Neue", Arial, sans-serif;
  line-height: 1.2; margin: 0; }
h1 { font-size: 28px; } h2 { font-size: 15px; margin-top: 20px; }
p { margin: 3px 0 0; } b { font-weight: 600; }
.quiet { color: #5d6975; font-size: 12.5px; }
.page { background: #fff; border: 1px solid #dbe0e5; border-radius: 6px; max-width: 760px;
  margin: 18px auto; padding: 34px 44px; }
.lead p { font-size: 16px; }
svg { max-width: 100%; height: auto; margin-top: 8px; }
table { border-collapse: collapse; width: 100%; font-size: 12.5px; margin-top: 6px; }
th, td { text-align: right; font-weight: 400; padding: 3px 0 3px 10px; }
th:first-child, td:first-child { text-align: left; padding-left: 0; }
th { color: #5d6975; } tbody tr { border-top: 1px solid #dbe0e5; }
.foot { margin-top: 20px; border-top: 1px solid #dbe0e5; padding-top: 8px; }
"""

_SCREEN = """
@media print { body { background: #fff; } .page { border: 0; margin: 0; padding: 0;
  max-width: none; } }
@media (max-width: 640px) { .page { margin: 0; border-radius: 0; padding: 24px 18px; } }
"""

#: So that it stays one page with a handful of segments.
_PAPER = """
body { background: #fff; font-size: 12.5px; line-height: 1.45; }
.page { border: 0; margin: 0; padding: 0; max-width: none; }
h1 { font-size: 23px; } h2 { font-size: 13.5px; margin-top: 12px; } .lead p { font-size: 14px; }
.quiet, table { font-size: 11px; } th, td { padding-top: 2px; padding-bottom: 2px; }
svg { width: 520px; margin-top: 4px; } .foot { margin-top: 12px; }
"""


def pictures_of(report: Report) -> dict[str, str]:
    """Section's key → its drawing (SVG)."""
    found = {}
    if report.arms:
        found["arms"] = arms_svg(report.arms)
    if report.segments:
        found["segments"] = segments_svg(report.segments)
    return found


def report_page(report: Report, fonts: Fonts, paper: bool = False) -> str:
    """One HTML document with everything in it; ``paper``: letters as paper takes them."""
    pictures = pictures_of(report)
    sections = "".join(
        _section(section, pictures, "lead" if place == 0 else "")
        for place, section in enumerate(report.sections)
    )
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8">'
        f"<title>{escape(report.title)}</title>"
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f"<style>{faces(fonts, paper)}{_STYLE}{_PAPER if paper else _SCREEN}</style></head>\n"
        f'<body><main class="page"><h1>{escape(report.title)}</h1>'
        f'<p class="quiet">{escape(report.subtitle)}</p>{sections}'
        f'<p class="foot quiet">{escape(report.foot)}</p></main></body></html>\n'
    )


def _section(section: ReportSection, pictures: Mapping[str, str], look: str) -> str:
    strong = f"<b>{escape(section.strong)}</b>" if section.strong else ""
    picture = pictures.get(section.key, "")
    return (
        f'<section class="{look}"><h2>{escape(section.title)}</h2>'
        f"<p>{strong}{escape(section.text)}</p>{picture}{_table(section)}</section>"
    )


def _table(section: ReportSection) -> str:
    if not section.rows:
        return ""
    heads = "".join(f'<th scope="col">{escape(head)}</th>' for head in section.heads)
    rows = "".join(
        f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in row)}</tr>" for row in section.rows
    )
    return f"<table><thead><tr>{heads}</tr></thead><tbody>{rows}</tbody></table>"
