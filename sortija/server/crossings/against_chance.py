"""A step against chance, as the screen tells it."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.crossings.chance import Verdict, verdict_of
from sortija.server.crossings import chance
from sortija.server.crossings.jobs import chance_or_job
from sortija.server.crossings.steps import Pair
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.jobs.models import Job
from sortija.server.studies.http import Status, waiting_for

__all__ = ["StepChance", "chance_of_step", "of_a_lens", "price_of"]

Cell = TypeVar("Cell")
#: Of a step that nobody has looked at.
UNDRAWN = "Pick this step to tell it from chance."
#: From which chance of having changed a list begins.
LEVELS = (0.5, 0.6, 0.7, 0.8, 0.9)


class Between(BaseModel):
    """A mean of the draws, and between what 95 in 100 further draws would lie."""

    mean: float
    low: float
    high: float


class Against(Between):
    """What chance makes of a crossing, and how what was seen stands to that."""

    verdict: Verdict


class ToldAt(BaseModel):
    """``customers`` who have changed with a chance of ``level`` or more: ``real`` of them have."""

    level: float
    customers: int
    real: float


class Price(BaseModel):
    """What keeping customers in place takes away: of the moves that chance makes between segments,
    and of those told as real (each by its chance of having changed)."""

    chance: float
    real: float


class StepChance(BaseModel):
    """What chance alone would have moved in a step.

    ``status``: of the work that tells it; ``words``: why it cannot be told. ``told``: of how many
    customers, all but those who came within the windows; ``seen``: what those did, ``moves``: what
    chance would have made them do, null where it has no figure. ``money``: spend after over spend
    before of those in a state before, by chance; ``spent``: as seen. ``steadiness``: of those in a
    segment, the share in the same one had the year happened again.
    """

    status: Status
    words: str
    draws: int
    swapped: bool
    told: int
    everybody: bool
    seen: list[list[int]]
    moves: list[list[Against | None]]
    money: list[Between | None]
    spent: list[float | None]
    steadiness: Between | None
    changed: list[ToldAt]
    price: Price | None


def chance_of_step(before: AssignmentAt, after: AssignmentAt, begin: bool = True) -> StepChance:
    """What is known of a step by now; work that has not begun begins, unless told otherwise."""
    words = chance.why_not(before, after)
    if words:
        return _nothing(Status(state="empty", words=words), words)
    found = chance_or_job(before, after) if begin else chance.kept(before, after)
    if found is None:
        return _nothing(Status(state="empty", words=UNDRAWN), "")
    if isinstance(found, Job):
        return _nothing(waiting_for(found), "")
    return _told(found, before.placement.states)


def price_of(free: Pair, held: Pair) -> Price | None:
    """What a step loses where customers are kept in place; None while one of the two is not told
    from chance, which begins."""
    usual, kept = chance_or_job(*free.value), chance_or_job(*held.value)
    if isinstance(usual, Job) or isinstance(kept, Job):
        return None
    k = free.value[0].placement.k
    moves = [_moved_by_chance(each.details, k) for each in (usual, kept)]
    changed = np.nan_to_num(usual.changed)
    went, goes_still = (_went(each, k) for each in (free, held))
    real = float(changed[went].sum())
    gone = float(changed[went & ~goes_still].sum())
    if moves[0] <= 0:
        return None
    return Price(chance=1 - moves[1] / moves[0], real=gone / real if real > 0 else 0.0)


def _went(pair: Pair, k: int) -> NDArray[np.bool_]:
    """(n,) who went from segment to segment."""
    first, second = (np.asarray(at.placement.state) for at in pair.value)
    return np.asarray((first != second) & (first < k) & (second < k))


def _moved_by_chance(details: chance.ChanceDetails, k: int) -> float:
    mean = np.nan_to_num(np.array(details.moves.mean, np.float64)).reshape(k + 3, k + 3)[:k, :k]
    return float(mean.sum() - np.trace(mean))


def of_a_lens() -> StepChance:
    """Chance is told of all customers: whoever is picked by what they did says nothing of it."""
    words = "Chance is told of all customers, not of those of a lens."
    return _nothing(Status(state="empty", words=words), words)


def _nothing(status: Status, words: str) -> StepChance:
    return StepChance(
        status=status, words=words, draws=0, swapped=False, told=0, everybody=False, seen=[],
        moves=[], money=[], spent=[], steadiness=None, changed=[],
        price=None,
    )  # fmt: skip


def _told(found: chance.Kept, states: int) -> StepChance:
    details = found.details
    changed = found.changed[~np.isnan(found.changed)]
    cells = [
        _against(seen, one) if there and one else None
        for seen, one, there in zip(
            details.seen, _between(details.moves), details.figures, strict=True
        )
    ]
    spent = [
        after / before if before > 0 else None
        for before, after in zip(details.spent_before, details.spent_after, strict=True)
    ]
    return StepChance(
        status=Status(state="whole"), words="", draws=details.draws,
        swapped=details.null == "months swapped", told=details.told, everybody=details.everybody,
        seen=_rows(details.seen, states), moves=_rows(cells, states),
        money=_between(details.money), spent=spent, steadiness=_between(details.steadiness)[0],
        changed=[
            ToldAt(level=level, customers=int((changed >= level).sum()),
                   real=float(changed[changed >= level].sum()))
            for level in LEVELS
        ],
        price=None,
    )  # fmt: skip


def _against(seen: int, chance: Between) -> Against:
    """How what was seen stands to what chance makes."""
    verdict = verdict_of(seen, chance.low, chance.high)
    return Against(mean=chance.mean, low=chance.low, high=chance.high, verdict=verdict)


def _between(body: chance.RangeBody) -> list[Between | None]:
    return [
        None if mean is None or low is None or high is None
        else Between(mean=mean, low=low, high=high)
        for mean, low, high in zip(body.mean, body.low, body.high, strict=True)
    ]  # fmt: skip


def _rows(cells: list[Cell], width: int) -> list[list[Cell]]:
    return [cells[at : at + width] for at in range(0, len(cells), width)]
