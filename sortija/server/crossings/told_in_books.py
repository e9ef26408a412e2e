"""What a book says of movement: only what has been told from chance already."""

from __future__ import annotations

import numpy as np

from sortija.core.portraits.book.facts import MovementFact, WayFact
from sortija.server.crossings import chance
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_from
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.derivation import column_rows, stamp_of
from sortija.server.measures.measure_set import from_columns
from sortija.server.portraits.book.movement import gives_movement

__all__: list[str] = []


@gives_movement
def _movement(placed: AssignmentAt) -> tuple[dict[int, MovementFact], float | None]:
    study, ledger = placed.yardstick.study, ledger_of(placed.yardstick.study)
    if ledger is None or placed.window.months is None:
        return {}, None
    window = placed.window.year_before
    if covered(study, window) or covered(study, placed.window):
        return {}, None
    stamp = stamp_of(ledger, window)
    rows = column_rows(study, window, stamp)
    if not rows:
        return {}, None
    made = from_columns(study, window, rows, stamp, "")
    before = assignment_from(study, placed.yardstick, made)
    found = chance.kept(before, placed)
    if found is None:
        return {}, None
    then = f"{window.to.day} {window.to:%b %Y}"
    k = placed.placement.k
    facts = {n + 1: fact for n in range(k) if (fact := _fact(found.details, k, n, then))}
    return facts, found.details.steadiness.mean[0]


def _fact(details: chance.ChanceDetails, k: int, origin: int, then: str) -> MovementFact | None:
    states = k + 3
    row = slice(origin * states, (origin + 1) * states)
    seen = np.array(details.seen[row])
    mean, low, high = (
        np.array(part[row], np.float64)
        for part in (details.moves.mean, details.moves.low, details.moves.high)
    )
    if seen.sum() == 0 or np.nansum(mean) == 0:
        return None
    ways = [
        (seen[target] - mean[target], WayFact(
            target + 1 if target < k else None, int(seen[target]), float(low[target]),
            float(high[target]),
        ))
        for target in (*range(k), k + 1)
        if target != origin and details.figures[row][target] and seen[target] > high[target]
    ]  # fmt: skip
    ways.sort(key=lambda each: -each[0])
    expected = float(np.nansum(mean))
    return MovementFact(
        then, float(seen[origin] / seen.sum()), float(low[origin]) / expected,
        min(1.0, float(high[origin]) / expected), tuple(way for _, way in ways),
    )  # fmt: skip
