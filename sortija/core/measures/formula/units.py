"""Units of measures: what may be added up, and what a quotient is in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

__all__ = ["PLAIN", "Unit", "unit_of", "unit_words"]

#: Units that count nothing in particular: quotients, logs, shares.
_NONE = ("", "share", "times", "log ratio")


@dataclass(frozen=True)
class Unit:
    """Powers of base units, such as money¹ visits⁻¹; ``free``: a plain number that was written
    down, which takes the unit of whatever it stands beside."""

    powers: tuple[tuple[str, int], ...] = ()
    free: bool = False

    def times(self, other: Unit, sign: int = 1) -> Unit:
        """The unit of a product (``sign`` 1) or a quotient (−1)."""
        powers = dict(self.powers)
        for base, power in other.powers:
            powers[base] = powers.get(base, 0) + sign * power
        return Unit(tuple(sorted((b, p) for b, p in powers.items() if p)), self.free and other.free)

    def power(self, by: int) -> Unit:
        """The unit of a whole power."""
        return Unit(tuple((b, p * by) for b, p in self.powers if by), self.free)

    def root(self) -> Unit | None:
        """The unit of a square root; None where it has none."""
        if any(p % 2 for _, p in self.powers):
            return None
        return Unit(tuple((b, p // 2) for b, p in self.powers), self.free)

    def beside(self, other: Unit) -> Unit | None:
        """The unit of a sum; None where the two cannot be added up."""
        if self.free or other.free:
            return other if self.free else self
        return self if self.powers == other.powers else None

    @property
    def plain(self) -> bool:
        return not self.powers


PLAIN = Unit()


def unit_of(written: str) -> Unit:
    """The unit of a measure as the catalogue writes it, quotients such as ``money/visits`` too.

    >>> unit_of("money/visits").powers
    (('money', 1), ('visits', -1))
    """
    powers: dict[str, int] = {}
    for place, part in enumerate(written.split("/")):
        for base in part.split("·"):
            name, _, raised = base.partition("^")
            if name.strip() not in (*_NONE, "1"):
                power = int(raised) if raised else 1
                powers[name.strip()] = powers.get(name.strip(), 0) + (-power if place else power)
    return Unit(tuple(sorted((b, p) for b, p in powers.items() if p)))


def unit_words(unit: Unit, names: Mapping[str, str] | None = None) -> str:
    """A unit as it is written: ``money/visits``, ``days^2``; empty for a plain number.

    ``names``: base unit → how to write it, such as ``{"money": "£"}``.

    >>> unit_words(unit_of("money"))
    'money'
    """
    names = names or {}

    def part(base: str, power: int) -> str:
        return names.get(base, base) + (f"^{power}" if power != 1 else "")

    above = "·".join(part(b, p) for b, p in unit.powers if p > 0)
    below = "·".join(part(b, -p) for b, p in unit.powers if p < 0)
    return f"{above or '1'}/{below}" if below else above
