"""What could be seen beforehand of those who then crossed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import last_day_before
from sortija.core.crossings.signs import LEAST as LEAST_SIDE
from sortija.core.crossings.signs import (
    Cut,
    Pair,
    Sign,
    has_cut,
    pairs_before,
    signs_before,
    tried_on,
)
from sortija.core.measures.intervals import newcombe
from sortija.core.table import Column, Table
from sortija.server.crossings.one_step import Cell, placed_step
from sortija.server.groups.yardsticks.assignments import frozen
from sortija.server.ledger.store.coverage import covered
from sortija.server.lens.requests import ClauseBody
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["SignsPage", "signs_page"]

#: Signs that are listed at the most.
MOST = 8
MOST_PAIRS = 3
#: Of fewer who crossed or stayed nothing is looked for.
LEAST = 30


class SignRow(BaseModel):
    """One sign: rates with and without it.

    ``defines``: the column shapes the segments, so that it is part of what is told; ``tried``: how
    it went on the step before: *held*, *not then* or *not known*; ``now``: how many of those in
    the first state have it at the later date; ``clauses``: the lens that picks them.
    """

    name: str
    label: str
    unit: str
    low: float | None
    high: float | None
    level: str
    having: int
    crossed: int
    lacking: int
    others: int
    lift: float | None
    defines: bool
    tried: str
    now: int
    clauses: list[ClauseBody]


class PairRow(BaseModel):
    """Two signs together, by their names: rates with both, and with the first alone; ``tried``,
    ``now`` and ``clauses`` as of one."""

    one: str
    other: str
    having: int
    crossed: int
    alone: int
    alone_crossed: int
    tried: str
    now: int
    clauses: list[ClauseBody]


class SignsPage(BaseModel):
    """Signs of one crossing, the least chance first; ``words``: why there are none.

    ``looked_at``: how many columns; ``before``: the step on which they were tried, if the log has
    it whole.
    """

    customers: int
    stayed: int
    looked_at: int
    rows: list[SignRow]
    pairs: list[PairRow]
    before: list[str]
    words: str


def signs_page(cell: Cell) -> SignsPage:
    """Signs of those who crossed against those who stayed."""
    crossed, stayed = int(cell.crossed.sum()), int(cell.stayed.sum())
    page = SignsPage(
        customers=crossed, stayed=stayed, looked_at=0, rows=[], pairs=[], before=[], words=""
    )  # fmt: skip
    if cell.origin >= cell.before.placement.k:
        page.words = "Signs are looked for in those who were in a segment before."
        return page
    if cell.origin == cell.target:
        page.words = "These are the ones who stayed. Pick a move to see what came before it."
        return page
    if crossed < LEAST or stayed < LEAST:
        fewer = crossed if crossed < LEAST else stayed
        page.words = f"{fewer} customers are too few to look for signs in. It takes {LEAST}."
        return page
    stamp = (cell.before.stamp, cell.after.stamp, cell.origin, cell.target)
    names, found, pairs = _found(Keyed(stamp, cell))
    page.looked_at = len(names)
    earlier = _step_before(cell)
    if earlier is not None:
        page.before = [earlier.before.window.to.isoformat(), earlier.after.window.to.isoformat()]
    told = [sign for sign in found if sign.told and sign.difference[0] > 0][:MOST]
    page.rows = [_row(cell, earlier, sign) for sign in told]
    page.pairs = [_pair(cell, earlier, pair) for pair in pairs[:MOST_PAIRS]]
    if not told:
        page.words = (
            f"Of {len(names)} columns none told beforehand who would go, beyond what chance makes."
        )
    return page


@remembered
def _found(key: Keyed[Cell]) -> tuple[tuple[str, ...], list[Sign], list[Pair]]:
    cell = key.value
    made = cell.before.made
    who = np.flatnonzero(cell.crossed | cell.stayed)
    names = [name for name, source in made.sources.items() if source.kind in ("number", "category")]
    table = Table(tuple(_column(made, name, who) for name in names))
    crossed, stayed = cell.crossed[who], cell.stayed[who]
    found = signs_before(table, crossed, stayed)
    best = [sign for sign in found if sign.told and sign.difference[0] > 0]
    pairs = [pair for pair in pairs_before(table, best, crossed, stayed) if pair.told]
    return table.names, found, pairs


def _column(made: MeasureSet, name: str, who: NDArray[np.int64] | slice) -> Column:
    column = made.column(name)
    values = np.asarray(column.values)[who]
    if column.kind not in ("number", "category"):
        return Column(name, "number", values.astype(np.float64), column.unit)
    return Column(name, column.kind, values, column.unit, column.levels)


def _step_before(cell: Cell) -> Cell | None:
    """The same crossing one step earlier; None where the log does not reach so far."""
    study, first, second = cell.yardstick.study, cell.before.window, cell.after.window
    months = (second.to.year - first.to.year) * 12 + second.to.month - first.to.month
    window = WindowInView(last_day_before(first.to, months), first.back)
    if covered(study, window):
        return None
    try:
        before, after = placed_step(study, cell.yardstick, [window, first], cell.after.hold)
    except Problem:
        return None  # still being placed: what it says comes with the next look
    return Cell(cell.yardstick, before, after, cell.origin, cell.target)


def _row(cell: Cell, earlier: Cell | None, sign: Sign) -> SignRow:
    about = cell.before.made.about(sign.name)
    column = cell.before.made.column(sign.name)
    level = column.levels[sign.cut.level - 1] if sign.cut.level else ""
    now = np.asarray(cell.after.placement.state == cell.origin)
    again = _same_level(cell.after.made, sign, level)
    having = int((has_cut(*again) & now).sum()) if again else 0
    return SignRow(
        name=sign.name, label=about.label, unit=about.unit, low=sign.cut.low, high=sign.cut.high,
        level=level, having=sign.having, crossed=sign.crossed, lacking=sign.lacking,
        others=sign.others, lift=sign.lift if np.isfinite(sign.lift) else None,
        defines=sign.name in frozen(cell.yardstick).names, tried=_tried(earlier, sign, level),
        now=having, clauses=_clauses(cell, sign, level),
    )  # fmt: skip


def _pair(cell: Cell, earlier: Cell | None, pair: Pair) -> PairRow:
    now = np.asarray(cell.after.placement.state == cell.origin)
    clauses: list[ClauseBody] = []
    known = True
    for sign in (pair.stronger, pair.other):
        column = cell.before.made.column(sign.name)
        level = column.levels[sign.cut.level - 1] if sign.cut.level else ""
        again = _same_level(cell.after.made, sign, level)
        known = known and again is not None
        if again is not None:
            now = now & has_cut(*again)[: len(now)]
        # The state is picked by the first clause of both.
        clauses += _clauses(cell, sign, level)[1 if clauses else 0 :]
    return PairRow(
        one=pair.stronger.name, other=pair.other.name, having=pair.having, crossed=pair.crossed,
        alone=pair.lacking, alone_crossed=pair.others, tried=_tried_pair(cell, earlier, pair),
        now=int(now.sum()) if known else 0, clauses=clauses,
    )  # fmt: skip


def _tried_pair(cell: Cell, earlier: Cell | None, pair: Pair) -> str:
    """Whether those with both went more often than all others on the step before, too."""
    if earlier is None:
        return "not known"
    both = earlier.crossed | earlier.stayed
    having = both.copy()
    for sign in (pair.stronger, pair.other):
        column = cell.before.made.column(sign.name)
        level = column.levels[sign.cut.level - 1] if sign.cut.level else ""
        again = _same_level(earlier.before.made, sign, level)
        if again is None:
            return "not known"
        having &= has_cut(again[0], again[1])[: len(having)]
    counts = [int((each & who).sum()) for who in (having, both & ~having)
              for each in (both, earlier.crossed)]  # fmt: skip
    if counts[0] < LEAST_SIDE or counts[2] < LEAST_SIDE:
        return "not known"
    low, _ = newcombe((counts[1], counts[0]), (counts[3], counts[2]))
    return "held" if low > 0 else "not then"


def _same_level(made: MeasureSet, sign: Sign, level: str) -> tuple[Column, Cut] | None:
    """The column and the cut at another date, where levels can have other codes."""
    if sign.name not in made.sources:
        return None
    column = _column(made, sign.name, slice(None))
    if not level:
        return column, sign.cut
    return (column, Cut(level=column.levels.index(level) + 1)) if level in column.levels else None


def _tried(earlier: Cell | None, sign: Sign, level: str) -> str:
    again = _same_level(earlier.before.made, sign, level) if earlier else None
    if earlier is None or again is None:
        return "not known"
    column, cut = again
    size = len(earlier.before.placement.state)
    other = Sign(
        sign.name, cut, sign.having, sign.crossed, sign.lacking, sign.others, sign.difference,
        sign.p,
    )  # fmt: skip
    found = tried_on(other, column.first(size), earlier.crossed, earlier.stayed)
    if found is None:
        return "not known"
    return "held" if found.difference[0] > 0 else "not then"


def _clauses(cell: Cell, sign: Sign, level: str) -> list[ClauseBody]:
    """The lens on those in the first state who have the sign at the later date."""
    window = cell.after.window.key
    field = sign.name if ":" in sign.name else f"measure:{sign.name}"
    here = ClauseBody(field="segment:now", values=[str(cell.origin + 1)], window=window)
    if level:
        return [here, ClauseBody(field=field, values=[level], window=window)]
    return [here, ClauseBody(field=field, ranges=[(sign.cut.low, sign.cut.high)], window=window)]
