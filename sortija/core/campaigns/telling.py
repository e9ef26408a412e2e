"""What a campaign did, in sentences: the same on the screen, in the report and in the book."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

__all__ = [
    "Finding", "Gap", "Money", "Spent", "Told", "alike_words", "day_words", "in_hundred", "points",
    "tell", "worth_words",
]  # fmt: skip

Verdict = Literal["more", "fewer", "cannot tell"]


@dataclass(frozen=True)
class Money:
    """How money is written: whole numbers of its smallest unit, ``scale`` digits behind the
    point."""

    currency: str
    scale: int

    def words(self, value: float) -> str:
        """As the screen writes it, short.

        >>> pounds = Money("£", 2)
        >>> pounds.words(105.0), pounds.words(-123_450), pounds.words(123_456_700)
        ('£1.05', '−£1,234', '£1.23m')
        """
        major = abs(value) / 10**self.scale
        sign = "−" if value < 0 else ""
        if major >= 999_500:
            return f"{sign}{self.currency}{major / 1e6:.3g}m"
        places = self.scale if 0 < major < 10 else 0
        return f"{sign}{self.currency}{major:,.{places}f}"


@dataclass(frozen=True)
class Gap:
    """Written to less held out, with its 95% interval; NaN: an arm has too few buyers."""

    difference: float
    low: float
    high: float


@dataclass(frozen=True)
class Spent:
    """Spend a head, in the smallest unit: as it is, and ``adjusted`` for earlier spend and capped
    at ``cap``, None where it could not be."""

    plain: Gap
    adjusted: Gap | None
    cap: float | None


@dataclass(frozen=True)
class Finding:
    """A result as far as the log reaches: ``days`` of ``horizon``; ``final``: as planned.

    ``verdict``, ``by_luck``: only of a final one; ``likely_on``: when the pace so far will tell;
    ``anyway``: of those written to who came, the share that would have come anyway.
    """

    returned: Gap
    days: int
    horizon: int
    read_on: date
    final: bool
    verdict: Verdict | None
    by_luck: float | None
    likely_on: date | None
    anyway: float | None
    spent: Spent | None
    money: Money


@dataclass(frozen=True)
class Told:
    """``lead``: what stands out, ``rest``: the rest of that sentence and those after it;
    ``beside``: how it was read, spend, who would have come anyway."""

    lead: str
    rest: str
    beside: str


def in_hundred(share: float, places: int = 1) -> str:
    """A share as so many in 100.

    >>> in_hundred(0.0644), in_hundred(-0.0004), in_hundred(-0.051)
    ('6.4', '0.0', '−5.1')
    """
    said = f"{abs(100 * share):.{places}f}"
    return f"−{said}" if share < 0 and float(said) else said


def points(difference: float) -> str:
    """A difference of shares with its sign.

    >>> points(0.064), points(-0.02), points(0.0)
    ('+6.4', '−2.0', '0.0')
    """
    said = in_hundred(difference)
    return f"+{said}" if difference > 0 and float(said) else said


def day_words(day: date) -> str:
    """A day as the interface writes it: 3 Jun 2026."""
    return f"{day.day} {day:%b %Y}"


def tell(found: Finding) -> Told:
    """The sentences of a result; without a verdict before it is read as planned."""
    lead, rest = _returned(found)
    return Told(lead, rest, " ".join(_beside(found)))


def _returned(found: Finding) -> tuple[str, str]:
    gap = found.returned
    between = f"({in_hundred(gap.low)} to {in_hundred(gap.high)}, 95%)"
    likely = ""
    if found.likely_on is not None:
        likely = f" At this pace it is likely to be told by {day_words(found.likely_on)}."
    if not found.final:
        return (
            f"So far, {found.days} of {found.horizon} days: {points(gap.difference)} in 100",
            f" {between}. No verdict before {day_words(found.read_on)}.{likely}",
        )
    if found.verdict == "cannot tell":
        return (
            "Whether more came back cannot be told:",
            f" {points(gap.difference)} in 100 {between}.{likely}",
        )
    more = gap.difference > 0
    return (
        f"{in_hundred(abs(gap.difference))} {'more' if more else 'fewer'} in 100 came back",
        f" than would have unasked {between}. Had nothing been sent, "
        f"{_luck(found.by_luck or 0.0)} would look like this or {'better' if more else 'worse'}.",
    )


def _luck(share: float) -> str:
    if share < 0.0005:
        return "fewer than 1 such campaign in 2,000"
    many, of = (1000 * share, "1,000") if share < 0.01 else (100 * share, "100")
    return f"{many:.0f} such campaign{'' if round(many) == 1 else 's'} in {of}"


def _beside(found: Finding) -> list[str]:
    said, spent = ["By everyone drawn, opened or not."], found.spent
    if spent is not None:
        best = spent.adjusted or spent.plain
        words = found.money.words
        between = "too few bought for an interval"
        if math.isfinite(best.low) and math.isfinite(best.high):
            between = f"{words(best.low)} to {words(best.high)}"
        how = []
        if spent.cap is not None:
            how.append(f"capped at {words(spent.cap)}")
        if spent.adjusted is not None:
            how.append("adjusted for earlier spend")
        said.append(
            f"Spend: {_a_head(best.difference, found.money)} ({between})"
            f"{', ' if how else ''}{' and '.join(how)}."
        )
        if spent.adjusted is not None:
            said.append(f"As it is: {_a_head(spent.plain.difference, found.money)}.")
    if found.anyway is not None and found.verdict == "more":
        said.append(
            f"Of those written to who came, {in_hundred(found.anyway, 0)} in 100 would have come "
            "anyway."
        )
    return said


def _a_head(value: float, money: Money) -> str:
    return f"{money.words(abs(value))} a head {'less' if value < 0 else 'more'}"


def alike_words(uneven: Sequence[tuple[str, float]], looked_at: int, by_chance: float) -> str:
    """Whether a draw made two arms that are alike.

    ``uneven``: measures in which they differ by a tenth of a standard deviation or more, and by
    how much; ``by_chance``: so much they would differ in one of twenty draws anyway.

    >>> alike_words([("Visits", 0.12)], 8, 0.11)[:72]
    'The arms differ by a tenth of a standard deviation or more in Visits (0.'
    """
    if not looked_at:
        return ""
    if not uneven:
        return (
            f"The arms are alike: in all {looked_at} measures that shape groups they differ by "
            "less than a tenth of a standard deviation."
        )
    rows = ", ".join(f"{label} ({_signed(gap)})" for label, gap in uneven)
    return (
        f"The arms differ by a tenth of a standard deviation or more in {rows}, of {looked_at} "
        f"measures; arms of this size differ by up to {by_chance:.2f} by chance."
    )


def _signed(gap: float) -> str:
    return f"{gap:.2f}".replace("-", "−")


def worth_words(won: Gap, cost: float, given: float, net: Gap, money: Money) -> str:
    """What it was worth: margin won, what it cost, what is left with its interval.

    >>> sure = worth_words(Gap(9000, 5000, 13_000), 2000, 0, Gap(7000, 3000, 11_000), Money("£", 2))
    >>> sure
    'It won £90 of margin and cost £20, which leaves £70 (£30 to £110, 95%).'
    """
    costs = f"cost {money.words(cost)}"
    if given:
        costs += f" and {money.words(given)} of discounts to those who would have come anyway"
    between = "no interval, for too few bought"
    if math.isfinite(net.low) and math.isfinite(net.high):
        between = f"{money.words(net.low)} to {money.words(net.high)}, 95%"
    return (
        f"It won {money.words(won.difference)} of margin and {costs}, which leaves "
        f"{money.words(net.difference)} ({between})."
    )
