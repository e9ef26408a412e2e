"""What a terminal is told: progress while somebody watches, troubles in one sentence."""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence

__all__ = ["Trouble", "Watch", "columns"]

_SECONDS_BETWEEN = 0.2


class Trouble(Exception):
    """It cannot be done; the message names file, row and column where there are such."""


class Watch:
    """Progress on one line of standard error, only where a person is looking."""

    def __init__(self) -> None:
        self._on = sys.stderr.isatty()
        self._spoke = 0.0

    def __call__(self, stage: str, done: int, of: int) -> None:
        now = time.monotonic()
        if not self._on or now - self._spoke < _SECONDS_BETWEEN:
            return
        self._spoke = now
        share = f" of {of:,}" if of else ""
        print(f"\r\033[K{stage}: {done:,}{share}", end="", file=sys.stderr, flush=True)

    def clear(self) -> None:
        """Leave the line empty."""
        if self._on:
            print("\r\033[K", end="", file=sys.stderr, flush=True)


def columns(rows: Sequence[Sequence[str]]) -> list[str]:
    """Lines of a table, the first column to the left and the others to the right."""
    widths = [max(len(row[place]) for row in rows) for place in range(len(rows[0]))]
    return [
        "  ".join(
            cell.rjust(width) if place else cell.ljust(width)
            for place, (cell, width) in enumerate(zip(row, widths, strict=True))
        ).rstrip()
        for row in rows
    ]
