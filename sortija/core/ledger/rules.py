"""Which lines count: rules, the bits that lines carry for them, and the totals of any choice.

A line carries one bit for each rule that it meets. Which rules are *on* is a choice kept apart,
so a switch changes no line: a line counts when none of its bits belongs to a rule that is on.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

__all__ = [
    "RULES",
    "STAFF_PATTERNS",
    "Cube",
    "Rule",
    "RuleTotal",
    "Waterline",
    "found_bits",
    "mask_of",
    "staff_cards",
    "waterline",
]


@dataclass(frozen=True)
class Rule:
    """One reason to set a line aside.

    ``fixed``: it cannot be switched off, and why; ``default``: on when a study begins.
    """

    key: str
    bit: int
    name: str
    explanation: str
    default: bool = True
    fixed: str = ""


#: In the order in which they are asked: a line that meets several belongs to the first.
RULES = (
    Rule("no_date", 1, "No readable date",
         "The date is missing or is no date, such as 31 February.",
         fixed="A line without a date belongs to no window."),
    Rule("no_amount", 2, "No readable amount",
         "The line total, or the quantity and the price, cannot be read as a number.",
         fixed="A line without an amount adds nothing to any sum."),
    Rule("future", 4, "Dated in the future", "The date lies after the day the file came in."),
    Rule("void", 8, "Voided", "The file says that the line was cancelled at the till."),
    Rule("not_sale", 128, "Not a sale",
         "The file says that the line sells nothing: a gift card, a deposit, a delivery fee."),
    Rule("twice", 16, "Receipt came twice",
         "A whole receipt that came before with the same lines: an export that overlaps. "
         "Equal lines within a receipt are repeat scans and stay."),
    Rule("staff", 256, "Staff and test cards",
         "Cards that belong to nobody who can be won or lost, by their codes: see the list."),
    Rule("no_customer", 32, "No customer",
         "No card was shown, so the line belongs to nobody who can be grouped."),
    Rule("zero", 512, "Amount of nothing",
         "Lines that cost nothing: free items, a loyalty reward. They make no money, but a "
         "receipt of them is a visit unless they are set aside.",
         default=False),
    Rule("returns", 64, "Returns",
         "Goods brought back. They lower the spend on their own date unless set aside.",
         default=False),
)  # fmt: skip


_BITS = 1 << len(RULES)
_BIT = {rule.key: rule.bit for rule in RULES}
#: What staff and test cards are called where nobody has said otherwise.
STAFF_PATTERNS = ("staff*", "test*", "training*")


def staff_cards(codes: Sequence[str], patterns: Sequence[str]) -> NDArray[np.bool_]:
    """Which cards are meant by any pattern: ``*`` stands for anything, ``?`` for one letter.

    Parameters
    ----------
    codes : texts on the cards, by number; capitals and small letters are alike
    """
    wanted = [pattern.strip() for pattern in patterns if pattern.strip()]
    if not wanted:
        return np.zeros(len(codes), np.bool_)
    parts = [re.escape(p).replace(r"\*", ".*").replace(r"\?", ".") for p in wanted]
    means = pc.match_substring_regex(
        pa.array(codes, pa.string()), f"(?s)^(?:{'|'.join(parts)})$", ignore_case=True
    )
    return np.asarray(means.to_numpy(zero_copy_only=False), np.bool_)


def found_bits(
    bits: NDArray[np.int32], card: NDArray[np.int32], money: NDArray[np.int64],
    came_before: NDArray[np.bool_], staff: NDArray[np.bool_],
) -> NDArray[np.int32]:  # fmt: skip
    """The bits of lines with those that only the whole ledger can tell.

    Parameters
    ----------
    bits : (n,) int32
        As the reader gave them.
    card, money, came_before : (n,)
        Card numbers (−1: none), money, and whether the line's receipt came before.
    staff : (cards,) bool
    """
    theirs = np.append(staff, False)[card]  # −1, no card, reads the last
    out = bits | np.where(came_before, np.int32(_BIT["twice"]), np.int32(0))
    out |= np.where(theirs, np.int32(_BIT["staff"]), np.int32(0))
    nothing = (money == 0) & (bits & _BIT["no_amount"] == 0)
    out |= np.where(nothing, np.int32(_BIT["zero"]), np.int32(0))
    return out.astype(np.int32)


@numba.njit(nogil=True, cache=True)
def _count(month: Any, bits: Any, money: Any, first: int, lines: Any, total: Any) -> None:
    for line in range(len(month)):
        lines[month[line] - first, bits[line]] += 1
        total[month[line] - first, bits[line]] += money[line]


def mask_of(on: Iterable[str]) -> int:
    """The bits of the rules named in ``on``; fixed rules are always among them.

    Raises
    ------
    KeyError
        A name that no rule has.
    """
    wanted = set(on)
    unknown = wanted - {rule.key for rule in RULES}
    if unknown:
        raise KeyError(f"there is no rule called {sorted(unknown)[0]}")
    return sum(rule.bit for rule in RULES if rule.fixed or rule.key in wanted)


@dataclass(frozen=True)
class Cube:
    """Lines and money by month and by combination of bits: all that any switch needs.

    ``month``: months since 1970-01 (a line without a date has −1); ``bits``, ``lines``,
    ``money`` (at the study's scale) go with it, one entry a combination that occurs.
    """

    month: NDArray[np.int32]
    bits: NDArray[np.int32]
    lines: NDArray[np.int64]
    money: NDArray[np.int64]

    @staticmethod
    def of(month: NDArray[np.int32], bits: NDArray[np.int32], money: NDArray[np.int64]) -> Cube:
        """Count the lines of one batch."""
        if not len(month):
            return Cube.merge([])
        first = int(month.min())
        size = (int(month.max()) - first + 1, _BITS)
        lines, total = np.zeros(size, np.int64), np.zeros(size, np.int64)
        _count(month, bits, money, first, lines, total)
        months, met = np.nonzero(lines)
        return Cube(
            (months + first).astype(np.int32), met.astype(np.int32),
            lines[months, met], total[months, met],
        )  # fmt: skip

    @staticmethod
    def merge(cubes: list[Cube]) -> Cube:
        """The cube of several batches together."""
        if not cubes:
            empty = np.zeros(0, np.int32)
            return Cube(empty, empty, np.zeros(0, np.int64), np.zeros(0, np.int64))
        month = np.concatenate([c.month for c in cubes])
        bits = np.concatenate([c.bits for c in cubes])
        key = (month.astype(np.int64) + 1) << 32 | bits
        keys, place = np.unique(key, return_inverse=True)
        lines, money = np.zeros(len(keys), np.int64), np.zeros(len(keys), np.int64)
        np.add.at(lines, place, np.concatenate([c.lines for c in cubes]))
        np.add.at(money, place, np.concatenate([c.money for c in cubes]))
        return Cube(
            (keys >> 32).astype(np.int32) - 1, (keys & 0xFFFFFFFF).astype(np.int32), lines, money
        )


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
    """Months above and below the line under one choice of rules.

    ``months``: (m,) months since 1970-01, first to last without gaps; ``counted_lines`` and
    ``counted_money``: (m,); ``aside_lines`` and ``aside_money``: (rules, m) by deciding rule;
    ``undated_lines``: lines in no month.
    """

    months: NDArray[np.int32]
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


def deciding_rule(bits: NDArray[np.int32], mask: int) -> NDArray[np.int64]:
    """Place in :data:`RULES` of the first rule on that each line meets; −1 where it counts."""
    decides = np.full(len(bits), -1, np.int64)
    for place in reversed(range(len(RULES))):
        bit = RULES[place].bit
        if bit & mask:
            decides[(bits & bit) != 0] = place
    return decides


def waterline(cube: Cube, on: Iterable[str]) -> Waterline:
    """What counts and what is set aside, month by month, when the rules ``on`` are on.

    Months beyond ten years from their neighbours (a till whose clock is off) are not drawn out:
    the axis ends with the last month that holds a counted line, or the last before a gap.
    """
    mask = mask_of(on)
    decides = deciding_rule(cube.bits, mask)
    dated = cube.month >= 0
    counted = decides < 0
    shown = dated & (counted if counted.any() else True)
    plausible = dated & ((cube.bits & 4) == 0)
    basis = cube.month[plausible] if plausible.any() else cube.month[shown]
    if len(basis):
        months = np.arange(basis.min(), basis.max() + 1, dtype=np.int32)
    else:
        months = np.zeros(0, np.int32)
    place = cube.month - (months[0] if len(months) else 0)
    inside = dated & (place >= 0) & (place < len(months))

    def by_month(values: NDArray[np.int64], chosen: NDArray[np.bool_]) -> NDArray[np.int64]:
        out = np.zeros(len(months), np.int64)
        np.add.at(out, place[chosen & inside], values[chosen & inside])
        return out

    totals = []
    for number, rule in enumerate(RULES):
        meets, mine = (cube.bits & rule.bit) != 0, decides == number
        totals.append(
            RuleTotal(
                rule=rule,
                on=bool(rule.bit & mask),
                lines=int(cube.lines[meets].sum()),
                money=int(cube.money[meets].sum()),
                decides_lines=int(cube.lines[mine].sum()),
                decides_money=int(cube.money[mine].sum()),
            )
        )
    every = range(len(RULES))
    return Waterline(
        months=months,
        counted_lines=by_month(cube.lines, counted),
        counted_money=by_month(cube.money, counted),
        aside_lines=np.array([by_month(cube.lines, decides == r) for r in every]),
        aside_money=np.array([by_month(cube.money, decides == r) for r in every]),
        totals=tuple(totals),
        lines=int(cube.lines.sum()),
        money=int(cube.money.sum()),
        counted=int(cube.lines[counted].sum()),
        counted_total=int(cube.money[counted].sum()),
        undated_lines=int(cube.lines[~inside].sum()),
    )
