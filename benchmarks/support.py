"""Two sides timed in turns in one run, medians of seven, as a ratio; only on an idle machine."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Row", "forget_peak", "interleave", "peak", "timed", "wait_until_idle"]

TIMES = 7
BUSY = 0.3
#: Libraries' threads spin for a while after their work; neither side should meet the other's.
PAUSE = 0.15


@dataclass(frozen=True)
class Row:
    """One line of the table: what, ours, the reference's, and what is asked for."""

    name: str
    ours: str
    reference: str
    ratio: float
    asked: str
    good: bool

    def line(self) -> str:
        word = "yes" if self.good else "**no**"
        return (
            f"| {self.name} | {self.ours} | {self.reference} | {self.ratio:.2f} | {self.asked} | "
            f"{word} |"
        )


def wait_until_idle(seconds: float = 120) -> None:
    """Wait until nothing else computes; timings on a busy machine lie.

    Reads how busy the processors were over a second, not the load average, which remembers the
    benchmark before.
    """
    end = time.monotonic() + seconds
    while _busy() > BUSY:
        if time.monotonic() > end:
            raise SystemExit("The machine is busy with something else. Try again when it is idle.")


def _busy() -> float:
    """Processors at work, other than idling, over the last second."""

    def read() -> tuple[int, int]:
        with Path("/proc/stat").open(encoding="ascii") as file:
            parts = [int(part) for part in file.readline().split()[1:]]
        return sum(parts), parts[3] + parts[4]

    total, idle = read()
    time.sleep(1)
    total_now, idle_now = read()
    share = 1 - (idle_now - idle) / max(total_now - total, 1)
    return share * (os.cpu_count() or 1)


def timed(function: Callable[[], object]) -> float:
    """Seconds of one call."""
    begun = time.perf_counter()
    function()
    return time.perf_counter() - begun


def interleave(*sides: Callable[[], object], times: int = TIMES) -> list[float]:
    """Median seconds of every side, all called in turns; one call each goes before."""
    for side in sides:
        side()
    seconds: list[list[float]] = [[] for _ in sides]
    for _ in range(times):
        for place, side in enumerate(sides):
            time.sleep(PAUSE)
            seconds[place].append(timed(side))
    return [statistics.median(each) for each in seconds]


def forget_peak() -> None:
    """From here on :func:`peak` tells of what follows only."""
    Path("/proc/self/clear_refs").write_text("5")


def peak() -> float:
    """The largest resident size of this process so far, in MiB."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024
