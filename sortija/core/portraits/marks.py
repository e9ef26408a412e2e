"""Marks of segments: twelve shapes, eight colours, told as one number."""

from __future__ import annotations

from collections.abc import Sequence

__all__ = [
    "COLOURS",
    "HUES",
    "MARKS",
    "SHAPES",
    "changed_marks",
    "colour_of",
    "mark_of",
    "shape_of",
]

#: The eight colours, as the screen draws them.
HUES = (
    "#0f3b83", "#6ea124", "#7d34ce", "#c57576", "#2a92ae", "#6a2910", "#ad78fc", "#481645",
)  # fmt: skip
SHAPES, COLOURS = 12, len(HUES)
#: Marks 0 to 11 have a shape each and the colours in turn; beyond, a colour was chosen.
MARKS = SHAPES * (COLOURS + 1)


def shape_of(mark: int) -> int:
    """0 to 11.

    >>> shape_of(9), shape_of(mark_of(9, 5))
    (9, 9)
    """
    return mark % SHAPES


def colour_of(mark: int) -> int:
    """0 to 7.

    >>> colour_of(9), colour_of(mark_of(9, 5))
    (1, 5)
    """
    return mark % COLOURS if mark < SHAPES else mark // SHAPES - 1


def mark_of(shape: int, colour: int) -> int:
    """The mark of a shape and a colour, the smallest number that means both.

    >>> mark_of(9, 1), mark_of(9, 2)
    (9, 45)
    """
    return shape if shape % COLOURS == colour else shape + SHAPES * (colour + 1)


def changed_marks(marks: Sequence[int], place: int, wanted: int) -> list[int]:
    """All marks once one of them is changed: whoever had the wanted shape takes the former one,
    and so with the colour, as long as there are enough colours for everybody.

    >>> changed_marks([0, 1, 2], 0, 1)
    [1, 0, 2]
    >>> changed_marks([0, 1, 2], 0, mark_of(0, 2))
    [36, 1, 14]
    """
    former = marks[place]
    out = []
    for n, mark in enumerate(marks):
        shape, colour = shape_of(mark), colour_of(mark)
        if n != place:
            shape = shape_of(former) if shape == shape_of(wanted) else shape
            if len(marks) <= COLOURS and colour == colour_of(wanted):
                colour = colour_of(former)
        out.append(wanted if n == place else mark_of(shape, colour))
    return out
