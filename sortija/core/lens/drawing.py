"""Draw every chart of a screen for a lens, from what the lens before left where it can.

A chart's bars are drawn without the chart's own clause, so that it can be widened. While a lens is
narrowed step by step few customers go in or out at a time: bars that were drawn are moved by those
alone. Counts are whole numbers, so that this is the same as drawing them anew.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from weakref import ref

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.lens.bins import NO_BIN, Bins
from sortija.core.lens.evaluate import Selection

__all__ = ["Bars", "Chart", "Drawn", "Everyone", "count_everyone", "draw", "redraw"]

#: Beyond this share of customers that go in or out, bars are counted anew: it is as fast.
_FEW = 0.25


@dataclass(frozen=True)
class Chart:
    """A chart to draw: its field, its bins, and its window where it is fixed to one."""

    field: str
    bins: Bins
    window: str = ""


@dataclass(frozen=True)
class Everyone:
    """Customers a bar, whatever the lens, and how many have no value."""

    bars: NDArray[np.int64]
    missing: int


@dataclass(frozen=True)
class Bars:
    """Counts a bar for everyone and for the lens without the chart's own clause."""

    everyone: NDArray[np.int64]
    lens: NDArray[np.int64]
    everyone_missing: int
    lens_missing: int


@dataclass(frozen=True)
class Drawn:
    """What was drawn last: who was ``inside`` the lens, (n,) uint8, and beside the codes of each
    chart that has no clause of its own the (256,) counts by code. It keeps no codes alive."""

    inside: NDArray[np.uint8]
    counts: tuple[tuple[ref[NDArray[np.uint8]], NDArray[np.int64]], ...] = ()

    def of(self, codes: NDArray[np.uint8]) -> NDArray[np.int64] | None:
        """The counts of a chart by its codes: the very array, which must not have changed."""
        return next((counts for of, counts in self.counts if of() is codes), None)


@numba.njit(nogil=True, cache=True)
def _bars(codes: Any, counted: Any, bars: Any) -> None:
    """``counted``: 1 or 0 a row; ``bars`` (4, 256): four in turn, for rows of one bar that follow
    each other would wait for each other."""
    whole = len(codes) - len(codes) % 4
    for i in range(0, whole, 4):
        bars[0, codes[i]] += counted[i]
        bars[1, codes[i + 1]] += counted[i + 1]
        bars[2, codes[i + 2]] += counted[i + 2]
        bars[3, codes[i + 3]] += counted[i + 3]
    for i in range(whole, len(codes)):
        bars[0, codes[i]] += counted[i]


@numba.njit(nogil=True, cache=True)
def _move(codes: Any, changed: Any, inside: Any, bars: Any) -> None:
    """Those of the ``changed`` rows that came in are added, those that went out taken away."""
    for i in changed:
        bars[codes[i]] += 2 * np.int64(inside[i]) - 1


def _counted(
    jobs: Sequence[tuple[NDArray[np.uint8], NDArray[np.uint8]]], rows: int, engine: Engine
) -> list[NDArray[np.int64]]:
    """For pairs of codes and who counts, (rows,) each: the (256,) rows of each code that count."""

    def part(bounds: tuple[int, int]) -> NDArray[np.int64]:
        here = slice(*bounds)
        bars = np.zeros((len(jobs), 4, 256), np.int64)
        for place, (codes, counted) in enumerate(jobs):
            _bars(codes[here], counted[here], bars[place])
        return bars.sum(axis=1)

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts(reads=[(each, slice(*bounds)) for job in jobs for each in job])

    parts = engine.map(part, chunk_bounds(rows), touched)
    return list(sum(parts, np.zeros((len(jobs), 256), np.int64)))


def count_everyone(bins: Bins, known: NDArray[np.bool_], engine: Engine | None = None) -> Everyone:
    """The bars of a chart for everyone: the same for every lens."""
    jobs = [(bins.codes, known.view(np.uint8))]
    [total] = _counted(jobs, len(known), engine or Engine(1))
    return Everyone(total[: bins.count], int(total[NO_BIN]))


def draw(selection: Selection, charts: Sequence[Chart], engine: Engine | None = None) -> list[Bars]:
    """The bars of every chart of a screen."""
    everyone = [count_everyone(chart.bins, selection.known, engine) for chart in charts]
    return redraw(selection, charts, everyone, None, engine)[0]


def redraw(
    selection: Selection,
    charts: Sequence[Chart],
    everyone: Sequence[Everyone],
    last: Drawn | None,
    engine: Engine | None = None,
) -> tuple[list[Bars], Drawn]:
    """The same where the charts' bars for everyone are known, and from what was drawn last.

    Parameters
    ----------
    last : of the same customers

    Returns
    -------
    the bars, and what was drawn now
    """
    engine = engine or Engine(1)
    own = {(c.field, c.window): i for i, c in enumerate(selection.clauses)}
    places = [own.get((chart.field, chart.window)) for chart in charts]
    shared = [c for c, place in zip(charts, places, strict=True) if place is None]
    inside = selection.inside()
    moved = {} if last is None else _moved(last, inside, shared, engine)
    counts: list[NDArray[np.int64] | None] = [
        moved.get(id(chart.bins.codes)) if place is None else None
        for chart, place in zip(charts, places, strict=True)
    ]
    anew = [n for n, known in enumerate(counts) if known is None]
    jobs = [
        (charts[n].bins.codes, inside if (at := places[n]) is None else selection.inside(at))
        for n in anew
    ]
    for n, found in zip(anew, _counted(jobs, len(inside), engine), strict=True):
        counts[n] = found
    done = [each for each in counts if each is not None]
    bars = [
        Bars(of.bars, each[: chart.bins.count], of.missing, int(each[NO_BIN]))
        for chart, of, each in zip(charts, everyone, done, strict=True)
    ]
    kept = zip(charts, places, done, strict=True)
    drawn = [(ref(chart.bins.codes), each) for chart, place, each in kept if place is None]
    return bars, Drawn(inside, tuple(drawn))


def _moved(
    last: Drawn, inside: NDArray[np.uint8], charts: Sequence[Chart], engine: Engine
) -> dict[int, NDArray[np.int64]]:
    """Counts of the charts that were drawn last, moved by who came in and who went out."""
    changed = np.flatnonzero(inside != last.inside)
    if len(changed) > _FEW * len(inside):
        return {}

    def one(chart: Chart) -> NDArray[np.int64] | None:
        counts = last.of(chart.bins.codes)
        if counts is None:
            return None
        counts = counts.copy()
        _move(chart.bins.codes, changed, inside, counts)
        return counts

    found = engine.map(one, charts)
    return {
        id(chart.bins.codes): counts
        for chart, counts in zip(charts, found, strict=True)
        if counts is not None
    }
