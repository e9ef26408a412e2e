"""What a watch is about, and when it fires."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import BaseModel

from sortija.core.calendar import last_day_before
from sortija.core.crossings.chance import verdict_of
from sortija.server.crossings.states import SegmentKey
from sortija.server.crossings.ways import pattern_of
from sortija.server.lens.requests import ClauseBody, clause_of
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["Kind", "Rule", "Watched", "checked_rule", "fires", "months_between", "windows_for"]

Kind = Literal["crossing", "size", "path", "sign"]
Rule = Literal["beyond chance", "at least", "at most"]
#: Of what chance can be told.
_TOLD = ("crossing", "size")
_MOST = 10_000_000


class Watched(BaseModel):
    """Customers whom a watch counts at a date.

    ``crossing``: who went from state ``origin`` to ``target`` within ``months``; ``size``: who is
    in ``target``, told from chance by the date so many months before; ``path``: who follows
    ``pattern`` through dates ``ago`` months before; ``sign``: whom ``clauses`` pick.
    """

    kind: Kind
    months: int = 12
    origin: int = 0
    target: int = 0
    ago: list[int] = []
    pattern: str = ""
    clauses: list[ClauseBody] = []

    def checked(self, states: int) -> Watched:
        """The same; a Problem where it speaks of nothing."""
        if self.kind in _TOLD and not (0 <= self.origin < states and 0 <= self.target < states):
            raise Problem("There is no such state to watch.")
        if self.kind == "crossing" and self.origin == self.target:
            raise Problem("Watch a move between two states, or the size of one.")
        if self.kind == "path":
            pattern_of(self.pattern, len(self.ago), states)
            if set(self.pattern) <= set("*."):
                raise Problem("Everybody goes this way. Pick a state to watch.")
        if self.kind == "sign":
            if not self.clauses:
                raise Problem("Pick a sign to watch.")
            for each in self.clauses:
                clause_of(each)
        return self

    def called(self, states: list[SegmentKey]) -> str:
        """What it is called where nobody gives it a name."""
        if self.kind == "crossing":
            return f"{states[self.origin].name} → {states[self.target].name}"
        if self.kind == "size":
            return f"Size of {states[self.target].name}"
        if self.kind == "sign":
            return "A sign"
        parts = self.pattern.split(".")
        return ", ".join("any" if p == "*" else states[int(p) - 1].short for p in parts)


def checked_rule(kind: Kind, rule: Rule, number: int | None) -> int | None:
    """The number that goes with a rule; a Problem where the two do not fit."""
    if rule == "beyond chance":
        if kind not in _TOLD:
            raise Problem("Of a path or a sign chance is not told. Watch it by a number.")
        return None
    if number is None or not 0 <= number <= _MOST:
        raise Problem("Say from how many customers on it fires.")
    return number


def months_between(before: date, after: date) -> int:
    """Whole months between two dates, as they come again at every later date.

    Raises
    ------
    Problem
        They lie no whole months apart.
    """
    months = (after.year - before.year) * 12 + after.month - before.month
    if months < 1 or last_day_before(after, months) != before:
        raise Problem(
            f"{before:%d %b %Y} and {after:%d %b %Y} lie no whole months apart, so that they come "
            "again at no other date. Watch a crossing between month ends."
        )
    return months


def windows_for(watched: Watched, to: date, back: str) -> list[WindowInView]:
    """The windows that it is read from at a date, oldest first."""
    ago = {"path": watched.ago, "sign": [0]}.get(watched.kind, [watched.months, 0])
    return [WindowInView(last_day_before(to, months), back) for months in ago]


def fires(
    kind: Kind, rule: str, number: int | None, customers: int, seen: int | None,
    chance: tuple[float, float] | None,
) -> bool:  # fmt: skip
    """Whether what was read is what was waited for: by chance, more who crossed, or a size that is
    more or less."""
    if rule == "beyond chance":
        if seen is None or chance is None:
            return False
        verdict = verdict_of(seen, *chance)
        return verdict == "more" or (kind == "size" and verdict == "fewer")
    if number is None:
        return False
    return customers >= number if rule == "at least" else customers <= number
