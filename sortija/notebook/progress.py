"""A bar on one line while something takes its time, in a notebook as at a terminal."""

from __future__ import annotations

import sys
import time

from sortija.cli.terminal import Watch

__all__ = ["Bar"]

_WIDE = 24
_BETWEEN = 0.2


class Bar(Watch):
    """Progress as a bar where somebody watches: at a terminal, or in a notebook's cell."""

    def __init__(self) -> None:
        super().__init__()
        self._on = self._on or "ipykernel" in sys.modules
        self._wide = 0

    def __call__(self, stage: str, done: int, of: int) -> None:
        now = time.monotonic()
        if not self._on or now - self._spoke < _BETWEEN:
            return
        self._spoke = now
        self._say(bar(stage, done, of))

    def clear(self) -> None:
        """Leave the line empty."""
        if self._on:
            self._say("")

    def _say(self, words: str) -> None:
        # Notebooks know no code that empties a line: blanks write over what stood there.
        print(
            f"\r{words:<{self._wide}}", end="\r" if not words else "", file=sys.stderr, flush=True
        )
        self._wide = len(words)


def bar(stage: str, done: int, of: int) -> str:
    """
    >>> bar("grouping", 3, 6)
    'grouping ████████████············ 3 of 6'
    """
    if of <= 0:
        return f"{stage}: {done:,}"
    full = round(_WIDE * min(done, of) / of)
    return f"{stage} {'█' * full}{'·' * (_WIDE - full)} {done:,} of {of:,}"
