"""Work that nobody watches takes less of a busy machine than answers that somebody waits for."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

__all__ = ["let_screens_go_first"]

_NICE = 5


def let_screens_go_first() -> None:
    """Make this process nicer than the server is."""
    os.nice(_NICE)
    if os.getsid(0) == os.getpid():
        # Linux may weigh whole sessions against each other, each with a niceness of its own.
        with suppress(OSError):
            Path("/proc/self/autogroup").write_text(f"{_NICE}\n", encoding="ascii")
