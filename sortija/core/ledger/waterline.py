"""The waterline: what counts and what is set aside, day by day or in longer steps."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import Step, step_ends, step_of, step_starts
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.rules import BIT, RULES, Rule, deciding_rule, mask_of

__all__ = ["STEPS", "RuleTotal", "Waterline", "waterline"]

STEPS: tuple[Step, ...] = ("month", "week", "day")


@dataclass(frozen=True)
class RuleTotal:
    """What one rule meets, and what it alone decides (the first rule on that a line meets)."""

    rule: Rule
    on: bool
    lines: int
    money: int
    decides_lines: int
    decides_money: int


@dataclass(frozen=True)
class Waterline:
    """Steps above and below the line under one choice of rules.

    ``starts``, ``ends``: (m,) first and last day of each step since 1970-01-01, without gaps;
    ``counted_lines`` and
    ``counted_money``: (m,); ``aside_lines`` and ``aside_money``: (rules, m) by deciding rule;
    ``undated_lines``: lines in no step.
    """

    starts: NDArray[np.int32]
    ends: NDArray[np.int32]
    counted_lines: NDArray[np.int64]
    counted_money: NDArray[np.int64]
    aside_lines: NDArray[np.int64]
    aside_money: NDArray[np.int64]
    totals: tuple[RuleTotal, ...]
    lines: int
    money: int
    counted: int
    counted_total: int
    undated_lines: int


def waterline(
    cube: Cube, on: Iterable[str], rules: Sequence[Rule] = RULES, step: Step = "month"
) -> Waterline:
    """What counts and what is set aside, step by step, when the rules ``on`` are on.

    Parameters
    ----------
    cube : by day since 1970-01-01

    A till whose clock is off does not stretch the axis: it spans the lines that are not dated in
    the future.
    """
    mask = mask_of(on, rules)
    decides = deciding_rule(cube.bits, mask, rules)
    counted = decides < 0
    number = step_of(cube.key, step)
    dated = number >= 0
    plausible = dated & ((cube.bits & BIT["future"]) == 0)
    basis = number[plausible] if plausible.any() else number[dated]
    numbers = np.arange(basis.min(), basis.max() + 1, dtype=np.int32) if len(basis) else basis
    place = number - (numbers[0] if len(numbers) else 0)
    inside = dated & (place >= 0) & (place < len(numbers))

    def by_step(values: NDArray[np.int64], chosen: NDArray[np.bool_]) -> NDArray[np.int64]:
        out = np.zeros(len(numbers), np.int64)
        np.add.at(out, place[chosen & inside], values[chosen & inside])
        return out

    every = range(len(rules))
    return Waterline(
        starts=step_starts(numbers, step),
        ends=step_ends(numbers, step),
        counted_lines=by_step(cube.lines, counted),
        counted_money=by_step(cube.money, counted),
        aside_lines=np.array([by_step(cube.lines, decides == r) for r in every]),
        aside_money=np.array([by_step(cube.money, decides == r) for r in every]),
        totals=tuple(_total(cube, rules[r], mask, decides == r) for r in every),
        lines=int(cube.lines.sum()),
        money=int(cube.money.sum()),
        counted=int(cube.lines[counted].sum()),
        counted_total=int(cube.money[counted].sum()),
        undated_lines=int(cube.lines[~inside].sum()),
    )


def _total(cube: Cube, rule: Rule, mask: int, mine: NDArray[np.bool_]) -> RuleTotal:
    meets = (cube.bits & rule.bit) != 0
    return RuleTotal(
        rule=rule,
        on=bool(rule.bit & mask),
        lines=int(cube.lines[meets].sum()),
        money=int(cube.money[meets].sum()),
        decides_lines=int(cube.lines[mine].sum()),
        decides_money=int(cube.money[mine].sum()),
    )
