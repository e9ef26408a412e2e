"""Work a formula out for every customer, in chunks that stay in the processor's cache."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts
from sortija.core.measures.formula.language import Formula, Node

__all__ = ["evaluate"]

_STEP = 16_384
Values = NDArray[np.float64]


def evaluate(
    formula: Formula, columns: Mapping[str, Values], engine: Engine | None = None
) -> Values:
    """(n,) float64 of a formula over its measures; missing where a value it needs is missing.

    What cannot be had is missing too: a division by nothing, a root or log out of its range,
    and whatever grows beyond a float.

    Raises
    ------
    KeyError
        A measure that the formula speaks of is not among ``columns``.
    """
    given = {name: columns[name] for name in formula.measures}
    n = len(next(iter(columns.values()))) if columns else 0
    out = np.empty(n)
    bounds = [(a, min(a + _STEP, n)) for a in range(0, n, _STEP)]

    def part(bound: tuple[int, int]) -> None:
        first, last = bound
        with np.errstate(all="ignore"):
            got = _value(formula.tree, {k: v[first:last] for k, v in given.items()})
            out[first:last] = np.where(np.isfinite(got), got, np.nan)

    def touched(bound: tuple[int, int]) -> Parts:
        here = slice(*bound)
        return Parts([(each, here) for each in given.values()], [(out, here)])

    (engine or Engine(1)).map(part, bounds, touched)
    return out


def _value(node: Node, given: Mapping[str, Values]) -> Any:
    if node.kind == "number":
        return np.float64(node.value)
    if node.kind == "measure":
        return given[node.name]
    parts = [_value(part, given) for part in node.parts]
    return _WORK[node.name](*parts)


def _unknown(*parts: Any) -> Any:
    """Where any of the parts has no value."""
    found = np.isnan(parts[0])
    for part in parts[1:]:
        found = found | np.isnan(part)
    return found


def _test(compare: Callable[[Any, Any], Any]) -> Callable[[Any, Any], Any]:
    return lambda a, b: np.where(_unknown(a, b), np.nan, compare(a, b))


def _both(a: Any, b: Any) -> Any:
    """False with anything is false, even where the other has no value."""
    no = (a == 0) | (b == 0)
    return np.where(no, 0.0, np.where(_unknown(a, b), np.nan, 1.0))


def _either(a: Any, b: Any) -> Any:
    yes = ((a != 0) & ~np.isnan(a)) | ((b != 0) & ~np.isnan(b))
    return np.where(yes, 1.0, np.where(_unknown(a, b), np.nan, 0.0))


def _first(*parts: Any) -> Any:
    out = parts[-1]
    for part in reversed(parts[:-1]):
        out = np.where(np.isnan(part), out, part)
    return out


def _round(a: Any, places: Any = 0.0) -> Any:
    """Half away from zero, as money is."""
    by = 10.0 ** float(places)
    return np.copysign(np.floor(np.abs(a) * by + 0.5) / by, a)


def _fold(function: Callable[[Any, Any], Any]) -> Callable[..., Any]:
    def work(*parts: Any) -> Any:
        out = parts[0]
        for part in parts[1:]:
            out = function(out, part)
        return out

    return work


_WORK: dict[str, Callable[..., Any]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: np.where(b == 0, np.nan, np.divide(a, b)),
    "^": lambda a, b: np.power(a, b),
    "negative": lambda a: -a,
    "<": _test(lambda a, b: a < b),
    "<=": _test(lambda a, b: a <= b),
    ">": _test(lambda a, b: a > b),
    ">=": _test(lambda a, b: a >= b),
    "=": _test(lambda a, b: a == b),
    "!=": _test(lambda a, b: a != b),
    "and": _both,
    "or": _either,
    "not": lambda a: np.where(np.isnan(a), np.nan, a == 0),
    "min": _fold(np.minimum),
    "max": _fold(np.maximum),
    "abs": np.abs,
    "round": _round,
    "sqrt": np.sqrt,
    "log": lambda a: np.where(a > 0, np.log(np.where(a > 0, a, 1.0)), np.nan),
    "exp": np.exp,
    "if": lambda test, a, b: np.where(np.isnan(test), np.nan, np.where(test != 0, a, b)),
    "missing": lambda a: np.isnan(a) * 1.0,
    "else": _first,
    "between": lambda a, low, high: np.where(
        _unknown(a, low, high), np.nan, (a >= low) & (a <= high)
    ),
}
