"""Whole numbers as they stand in addresses and headers, which anybody can write."""

from __future__ import annotations

__all__ = ["MOST_DIGITS", "is_whole", "whole_number"]

#: More digits than this are no number of anything here.
MOST_DIGITS = 18


def is_whole(text: str) -> bool:
    """Whether a text is a number of at most 18 digits 0 to 9, and nothing else.

    >>> is_whole("12"), is_whole("²"), is_whole("9" * 40), is_whole("-1"), is_whole("")
    (True, False, False, False, False)
    """
    return text.isascii() and text.isdigit() and len(text) <= MOST_DIGITS


def whole_number(text: str) -> int | None:
    """The number that such a text writes; None for anything else."""
    return int(text) if is_whole(text) else None
