"""What a report draws: both arms with their intervals, segments on their threads."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from sortija.core.campaigns.report import ArmShown, PartShown
from sortija.core.campaigns.telling import in_hundred, points
from sortija.core.formats.book.pictures import mark_svg

__all__ = ["arms_svg", "segments_svg"]

_INK, _QUIET, _LINE = "#18212b", "#5d6975", "#dbe0e5"
_SVG = 'xmlns="http://www.w3.org/2000/svg" font-family="Figtree, Arial, sans-serif"'


def _place(value: float, low: float, high: float, left: float, right: float) -> float:
    span = high - low
    return left + (value - low) / span * (right - left) if span > 0 else (left + right) / 2


def arms_svg(arms: Sequence[ArmShown], width: float = 640) -> str:
    """Both arms as dots with intervals on one axis of shares, and the gap between them.

    >>> both = [ArmShown("written to", 9, 0.4, 0.3, 0.5), ArmShown("held out", 9, 0.3, 0.2, 0.4)]
    >>> "+10.0 points" in arms_svg(both)
    True
    """
    first, second = arms
    low, high = min(a.low for a in arms), max(a.high for a in arms)
    room = max(0.02, (high - low) * 0.2)
    low, high = max(0.0, low - room), min(1.0, high + room)
    left, right = 130.0, width - 150
    xs = [_place(arm.share, low, high, left, right) for arm in arms]
    drawn = []
    for arm, x, y, colour in zip(arms, xs, (26, 74), (_INK, _QUIET), strict=True):
        ends = [_place(v, low, high, left, right) for v in (arm.low, arm.high)]
        drawn.append(
            f'<text x="0" y="{y + 4}" font-size="13">{escape(arm.words)}</text>'
            f'<text x="{left - 12:.1f}" y="{y + 4}" font-size="13" text-anchor="end" '
            f'fill="{_QUIET}">{arm.customers:,}</text>'
            f'<path d="M{ends[0]:.1f} {y}H{ends[1]:.1f}" stroke="{colour}" stroke-width="3"/>'
            f'<circle cx="{x:.1f}" cy="{y}" r="7" fill="{colour}"/>'
            f'<text x="{max(ends[1], x + 7) + 8:.1f}" y="{y + 4}" font-size="13" '
            f'font-weight="600">{in_hundred(arm.share)}%</text>'
        )
    gap = points(first.share - second.share)
    drawn.append(
        f'<path d="M{xs[0]:.1f} 36V50H{xs[1]:.1f}V64" fill="none" stroke="{_INK}"/>'
        f'<text x="{max(xs) + 12:.1f}" y="55" font-size="17" font-weight="600">{gap} points</text>'
        f'<path d="M{left} 98H{right}" stroke="{_QUIET}"/>'
    )
    for share in _ticks(low, high):
        x = _place(share, low, high, left, right)
        drawn.append(
            f'<path d="M{x:.1f} 98v4" stroke="{_QUIET}"/><text x="{x:.1f}" y="115" '
            f'font-size="11" text-anchor="middle" fill="{_QUIET}">{100 * share:.0f}%</text>'
        )
    return (
        f'<svg {_SVG} role="img" aria-label="Both arms" width="{width:g}" height="120" '
        f'viewBox="0 0 {width:g} 120">{"".join(drawn)}</svg>'
    )


def _ticks(low: float, high: float) -> list[float]:
    """Round shares within the axis, three to seven of them where that can be."""
    step = next((s for s in (0.01, 0.02, 0.05, 0.1, 0.2) if (high - low) / s <= 7), 0.25)
    first = -(-low // step)
    return [step * n for n in range(int(first), int(high / step) + 1)]


def segments_svg(parts: Sequence[PartShown], width: float = 640) -> str:
    """The effect in each segment with its interval, and the line of no effect."""
    told = [p for p in parts if p.difference is not None]
    ends = [0.0, *(v for p in told for v in (p.low, p.high) if v is not None)]
    low, high = min(ends), max(ends)
    left, right, row = 200.0, width - 90, 26
    zero = _place(0.0, low, high, left, right)
    tall = row * len(parts) + 8
    drawn = [f'<path d="M{zero:.1f} 2V{tall - 4}" stroke="{_QUIET}" stroke-dasharray="2 3"/>']
    for n, part in enumerate(parts):
        y = 4 + row * n + row / 2
        if part.mark is not None:
            drawn.append(f'<g transform="translate(0 {y - 8:.1f})">{mark_svg(part.mark)}</g>')
        drawn.append(f'<text x="24" y="{y + 4:.1f}" font-size="13">{escape(part.words)}</text>')
        if part.difference is None or part.low is None or part.high is None:
            drawn.append(
                f'<text x="{right + 12:.1f}" y="{y + 4:.1f}" font-size="12" fill="{_QUIET}">'
                "too few</text>"
            )
            continue
        a, x, b = (_place(v, low, high, left, right) for v in (part.low, part.difference,
                                                               part.high))  # fmt: skip
        drawn.append(
            f'<path d="M{left} {y:.1f}H{right}" stroke="{_LINE}"/>'
            f'<path d="M{a:.1f} {y:.1f}H{b:.1f}" stroke="{_INK}" stroke-width="2.5"/>'
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="5" fill="{_INK}"/>'
            f'<text x="{right + 12:.1f}" y="{y + 4:.1f}" font-size="13">'
            f"{points(part.difference)}</text>"
        )
    return (
        f'<svg {_SVG} role="img" aria-label="By segment" width="{width:g}" height="{tall}" '
        f'viewBox="0 0 {width:g} {tall}">{"".join(drawn)}</svg>'
    )
