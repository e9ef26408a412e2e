"""Whether the segments' sizes changed, and which moves go mostly one way, where it may be told."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import date_of
from sortija.core.crossings.sizes import lopsided, sizes_changed
from sortija.core.ledger.first_purchases import first_purchases
from sortija.server.crossings.steps import Pair, of_one_season, shared_months
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["NOT_ALIKE", "SizesBody", "sizes_of", "untold"]

#: Of fewer customers nothing is told.
LEAST = 50
#: Where customers keep their segment, the later date is placed by the earlier one.
NOT_ALIKE = "customers are kept in place, so that the two dates are not placed alike"
#: A way is told where chance makes one of all so lopsided more seldom.
CLEAR = 0.05


class OneWay(BaseModel):
    """Moves between two segments, by their places: ``there`` from ``one`` to ``other``."""

    one: int
    other: int
    there: int
    back: int
    p: float


class SizesBody(BaseModel):
    """Of ``customers`` who are in a segment at both dates and bought before both windows: how
    often chance alone changes sizes so much (null where nobody moved), and the ways that chance
    does not make. ``since``: the day before which they bought first; ``untold``: why nothing is
    told."""

    customers: int
    since: str
    p: float | None
    one_way: list[OneWay]
    untold: str


def sizes_of(pair: Pair) -> SizesBody:
    """What can be told of a step's sizes.

    Customers who joined meanwhile have a shorter history in the first window than in the second,
    so that they seem to grow; only who was there before both is compared with themselves.
    """
    before, after = pair.value
    ledger = ledger_of(before.yardstick.study)
    if words := _unlike(before.window, after.window):
        return untold(words)
    if ledger is None:
        return untold("it is told from a log, and there is none")
    since = before.window.window.first_day(ledger.first_day())
    if ledger.first_day() >= since:
        return untold(
            f"the log does not reach back before {_day(since)}, so that who joined then cannot be "
            "told from the others"
        )
    return _told(Keyed((pair.key, ledger.made_from), (before, after, ledger, since)))


@remembered
def _told(key: Keyed[tuple[AssignmentAt, AssignmentAt, Ledger, int]]) -> SizesBody:
    before, after, ledger, since = key.value
    k = before.placement.k
    first, second = (np.asarray(at.placement.state) for at in (before, after))
    known = first_purchases(ledger.lines().log.arrays(), ledger.mask)[: len(first)]
    here = (first < k) & (second < k)
    here[: len(known)] &= (known >= 0) & (known < since)
    here[len(known) :] = False
    moves = _moves(first[here], second[here], k)
    if moves.sum() < LEAST:
        return untold(f"only {moves.sum()} customers bought before {_day(since)} already")
    found = sizes_changed(moves)
    return SizesBody(
        customers=int(moves.sum()), since=date_of(since).isoformat(),
        p=found.p if found else None, untold="",
        one_way=[
            OneWay(one=row.one, other=row.other, there=row.there, back=row.back, p=row.p)
            for row in lopsided(moves) if row.p < CLEAR
        ],
    )  # fmt: skip


def _moves(first: NDArray[np.int32], second: NDArray[np.int32], k: int) -> NDArray[np.int64]:
    key = first.astype(np.int64) * k + second
    return np.bincount(key, minlength=k * k).reshape(k, k)


def _unlike(before: WindowInView, after: WindowInView) -> str:
    """Why two windows cannot be compared customer by customer; empty where they can."""
    if not of_one_season(before, after):
        return "the two windows are of different seasons"
    if shared := shared_months(before, after):
        return f"the two windows share {shared} months"
    return ""


def untold(words: str) -> SizesBody:
    """Nothing, and why."""
    return SizesBody(customers=0, since="", p=None, one_way=[], untold=words)


def _day(number: int) -> str:
    day = date_of(number)
    return f"{day.day} {day:%b %Y}"
