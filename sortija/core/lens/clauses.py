"""The lens's language: a list of clauses, all of which hold for a customer in it."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

__all__ = [
    "MISSING",
    "Clause",
    "ClauseError",
    "canonical",
    "digest",
    "included",
]

#: The picked value that stands for customers without a value.
MISSING = "missing"
_MOST_CLAUSES = 20
_MOST_PICKS = 200

Range = tuple[float | None, float | None]


class ClauseError(ValueError):
    """A clause that cannot be asked; the message says what is wrong with it."""


@dataclass(frozen=True)
class Clause:
    """What one field must be: any of the picked ``values`` or within any of the ``ranges``.

    ``field``: kind and name, such as ``measure:recency`` or ``trait:garden``. A range holds from
    its low end up to, but without, its high end; None leaves an end open. ``negated``: turned
    round. ``window``: fixed to this window; empty follows the one in view.

    A range up to and with a number ends at the next number there is: see :func:`included`.
    """

    field: str
    values: tuple[str, ...] = ()
    ranges: tuple[Range, ...] = ()
    negated: bool = False
    window: str = ""

    def __post_init__(self) -> None:
        kind, _, name = self.field.partition(":")
        if not kind or not name:
            raise ClauseError(f"“{self.field}” names no field.")
        if not self.values and not self.ranges:
            raise ClauseError(f"The clause on {name} picks nothing.")
        if len(self.values) + len(self.ranges) > _MOST_PICKS:
            raise ClauseError(f"The clause on {name} picks more than {_MOST_PICKS} values.")
        for low, high in self.ranges:
            if any(end is not None and not math.isfinite(end) for end in (low, high)):
                raise ClauseError(f"The clause on {name} has a range without a number.")
            if low is not None and high is not None and low >= high:
                raise ClauseError(f"The clause on {name} has a range that ends before it begins.")

    def as_json(self) -> dict[str, Any]:
        """The canonical form: picks in order, nothing that is at its default."""
        out: dict[str, Any] = {"field": self.field}
        if self.values:
            out["values"] = sorted(set(self.values))
        if self.ranges:
            out["ranges"] = [list(r) for r in sorted(set(self.ranges), key=_range_order)]
        if self.negated:
            out["negated"] = True
        if self.window:
            out["window"] = self.window
        return out

    @staticmethod
    def from_json(data: dict[str, Any]) -> Clause:
        try:
            return Clause(
                field=str(data["field"]),
                values=tuple(str(v) for v in data.get("values") or ()),
                ranges=tuple((_end(r[0]), _end(r[1])) for r in data.get("ranges") or ()),
                negated=bool(data.get("negated", False)),
                window=str(data.get("window") or ""),
            )
        except (KeyError, IndexError, TypeError) as problem:
            raise ClauseError("A clause has a field, and values or ranges.") from problem


def included(high: float) -> float | None:
    """The number that a range goes up to and includes; None where ``high`` itself is left out.

    >>> import math
    >>> included(math.nextafter(5, 6)), included(5.0)
    (5.0, None)
    """
    shown = float(f"{high:.12g}")
    return shown if shown < high == math.nextafter(shown, math.inf) else None


def _range_order(ends: Range) -> tuple[float, float]:
    low, high = ends
    return (-math.inf if low is None else low, math.inf if high is None else high)


def _end(value: Any) -> float | None:
    return None if value is None else float(value)


def canonical(clauses: Iterable[Clause]) -> list[dict[str, Any]]:
    """Canonical JSON of a lens; the order in which clauses were added is kept.

    Raises
    ------
    ClauseError
        Two clauses speak of one field and window, or there are more than 20.

    >>> canonical([Clause("measure:visits", (), ((3.0, None),))])
    [{'field': 'measure:visits', 'ranges': [[3.0, None]]}]
    """
    listed = [clause.as_json() for clause in clauses]
    if len(listed) > _MOST_CLAUSES:
        raise ClauseError(f"A lens has at most {_MOST_CLAUSES} clauses.")
    about = [(c["field"], c.get("window", "")) for c in listed]
    if len(set(about)) < len(about):
        raise ClauseError(
            "A lens has one clause per field. Add the value to the one that is there."
        )
    return listed


def digest(clauses: Iterable[Clause]) -> str:
    """16 hexadecimal digits that name this lens; the order of its clauses does not matter.

    >>> one, two = Clause("trait:garden", ("yes",)), Clause("trait:plan", ("plus",))
    >>> digest([one, two]) == digest([two, one])
    True
    """
    listed = sorted(json.dumps(c, sort_keys=True) for c in canonical(clauses))
    return hashlib.sha256("\n".join(listed).encode()).hexdigest()[:16]
