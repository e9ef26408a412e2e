"""Draw Marrowmere's members: who they are, when they joined, how they behave each quarter."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.demo.world import ARCHETYPES, HARD_WINTER, MONTHS, QUARTERS, QUIET

__all__ = ["Members", "draw_members"]

MOVE_SHARE = 0.03
HARD_MOVE_SHARE = 0.08
FOUNDED_DAYS = 1460  # the card was introduced four years before the log begins


@dataclass(frozen=True)
class Members:
    """One entry a member.

    ``joined``: days from the first day of the log (negative: before it); ``archetype``:
    (members, quarters) int8; ``rate``: personal factor on the archetype's visits; the traits are
    indices into the tuples of ``world``; ``birth_year`` and ``household`` 0 where not given.
    """

    joined: NDArray[np.int32]
    archetype: NDArray[np.int8]
    rate: NDArray[np.float32]
    beat: NDArray[np.int8]
    garden: NDArray[np.int8]
    joined_through: NDArray[np.int8]
    plan: NDArray[np.int8]
    household: NDArray[np.int8]
    birth_year: NDArray[np.int16]
    district: NDArray[np.int8]
    consent: NDArray[np.bool_]
    site: NDArray[np.int8]

    def __len__(self) -> int:
        return len(self.joined)


def _pick(rng: np.random.Generator, shares: NDArray[np.float64]) -> NDArray[np.int8]:
    """One draw a row of ``shares`` (rows, levels)."""
    steps = np.cumsum(shares / shares.sum(axis=1, keepdims=True), axis=1)
    return (rng.random(len(shares))[:, None] > steps[:, :-1]).sum(axis=1).astype(np.int8)


def _move(rng: np.random.Generator, now: NDArray[np.int8], hard: bool) -> NDArray[np.int8]:
    """The archetypes a quarter later: a few move, and in a hard winter most of those go quiet."""
    share = HARD_MOVE_SHARE if hard else MOVE_SHARE
    moving = rng.random(len(now)) < share
    shares = np.array([a.share for a in ARCHETYPES])
    target = rng.choice(len(ARCHETYPES), size=len(now), p=shares / shares.sum()).astype(np.int8)
    quiet = rng.random(len(now)) < (0.85 if hard else 0.4)
    target = np.where(quiet & (now != QUIET), np.int8(QUIET), target)
    same = target == now
    target = np.where(same, (target + 1) % len(ARCHETYPES), target).astype(np.int8)
    return np.where(moving, target, now)


def draw_members(count: int, rng: np.random.Generator) -> Members:
    """Draw ``count`` members and the quarter by quarter course of their archetypes."""
    shares = np.array([a.share for a in ARCHETYPES])
    first = rng.choice(len(ARCHETYPES), size=count, p=shares / shares.sum()).astype(np.int8)
    archetype = np.empty((count, QUARTERS), dtype=np.int8)
    archetype[:, 0] = first
    for quarter in range(1, QUARTERS):
        archetype[:, quarter] = _move(rng, archetype[:, quarter - 1], quarter in HARD_WINTER)

    def trait(name: str) -> NDArray[np.int8]:
        # The register shows members as they are now: a garden changes with the household.
        return _pick(rng, np.array([getattr(a, name) for a in ARCHETYPES])[archetype[:, -1]])

    span = MONTHS * 30
    before = rng.random(count) < 0.5
    joined = np.where(
        before, -rng.integers(1, FOUNDED_DAYS, count), rng.integers(0, span - 20, count)
    ).astype(np.int32)
    birth_year = rng.normal(1973, 14, count).clip(1934, 2006).astype(np.int16)
    birth_year[rng.random(count) < 0.46] = 0
    household = (1 + rng.poisson(1.3, count)).clip(1, 6).astype(np.int8)
    household[rng.random(count) < 0.08] = 0
    return Members(
        joined=joined,
        archetype=archetype,
        rate=rng.gamma(60.0, 1 / 60.0, count).astype(np.float32),
        beat=rng.integers(0, 28, count).astype(np.int8),
        garden=trait("garden"),
        joined_through=trait("joined"),
        plan=trait("plan"),
        household=household,
        birth_year=birth_year,
        district=rng.choice(14, count, p=_district_shares()).astype(np.int8),
        consent=rng.random(count) < 0.71,
        site=rng.choice(6, count, p=(0.26, 0.2, 0.17, 0.15, 0.13, 0.09)).astype(np.int8),
    )


def _district_shares() -> NDArray[np.float64]:
    weights = 1.0 / (np.arange(14) + 3.0)
    return weights / weights.sum()
