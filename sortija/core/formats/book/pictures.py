"""Marks and threads of a book as SVG, drawn as the screen draws them."""

from __future__ import annotations

import math

import numpy as np

from sortija.core.portraits.book.pages import ThreadRow
from sortija.core.portraits.marks import HUES, colour_of, shape_of

__all__ = ["mark_svg", "thread_svg"]

#: Where a mark is open: top, right, bottom, left, in degrees; and how wide.
_TURNS, _GAP = (-90, 0, 90, 180), 80
_QUIET, _LINE, _MIDDLE = "#b9c1c9", "#dbe0e5", "#cbd1d7"
_SVG = 'xmlns="http://www.w3.org/2000/svg"'


def mark_svg(mark: int, size: float = 16, hue: str = "") -> str:
    """A segment's mark as a drawing of its own; ``hue``: another colour than its own.

    >>> mark_svg(0).startswith('<svg xmlns="http://www.w3.org/2000/svg" width="16"')
    True
    """
    return (
        f'<svg {_SVG} width="{size:g}" height="{size:g}" viewBox="0 0 {size:g} {size:g}">'
        f"{_mark(mark, size / 2, size / 2, size, hue)}</svg>"
    )


def _mark(mark: int, x: float, y: float, size: float, hue: str = "") -> str:
    """A mark centred on (x, y): an open ring, one with a dot, or a notched disc."""
    shape, colour = shape_of(mark), hue or HUES[colour_of(mark)]
    turn, body = _TURNS[shape % 4], shape // 4
    r = size / 2 - size * 0.12
    if body == 2:
        return (
            f'<path d="{_arc(x, y, r * 1.12, turn)}L{x:.2f} {y:.2f}Z" fill="{colour}" '
            f'stroke="#fff" stroke-width="1"/>'
        )
    arc = _arc(x, y, r, turn)
    drawn = (
        f'<path d="{arc}" fill="none" stroke="#fff" stroke-width="{size * 0.36:.2f}" '
        f'stroke-opacity="0.85"/>'
        f'<path d="{arc}" fill="none" stroke="{colour}" stroke-width="{size * 0.21:.2f}"/>'
    )
    if body == 1:
        drawn += f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{size * 0.14:.2f}" fill="{colour}"/>'
    return drawn


def _arc(x: float, y: float, r: float, turn: float) -> str:
    """Most of a circle, open where the mark is."""
    ends = [math.radians(turn + _GAP / 2), math.radians(turn + 360 - _GAP / 2)]
    (x1, y1), (x2, y2) = ((x + r * math.cos(a), y + r * math.sin(a)) for a in ends)
    return f"M{x1:.2f} {y1:.2f}A{r:.2f} {r:.2f} 0 1 1 {x2:.2f} {y2:.2f}"


def thread_svg(row: ThreadRow, width: float = 290, height: float = 20) -> str:
    """A thread: everyone's middle half, every segment's mark in grey, this one in its colour."""
    edge, y, size = 10.0, height / 2, 13.0
    places = row.axis.place(np.array([*row.quartiles, *row.means], np.float64))
    xs = edge + np.nan_to_num(places) * (width - 2 * edge)
    low, high, *segments = xs.tolist()
    drawn = [
        f'<line x1="0" x2="{width:g}" y1="{y:g}" y2="{y:g}" stroke="{_LINE}" stroke-width="1.5"/>',
        f'<line x1="{low:.1f}" x2="{high:.1f}" y1="{y:g}" y2="{y:g}" stroke="{_MIDDLE}" '
        f'stroke-width="5"/>',
    ]
    others = [n for n in range(len(segments)) if n != row.own and math.isfinite(row.means[n])]
    drawn += [_mark(row.marks[n], segments[n], y, size, _QUIET) for n in others]
    if math.isfinite(row.means[row.own]):
        drawn.append(_mark(row.marks[row.own], segments[row.own], y, size * 1.35))
    return (
        f'<svg {_SVG} width="{width:g}" height="{height:g}" viewBox="0 0 {width:g} {height:g}">'
        f"{''.join(drawn)}</svg>"
    )
