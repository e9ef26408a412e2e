"""The language: numbers, measures, ``+ − * / ^``, comparisons, ``and or not`` and a few functions.

Formulas are read by hand into a tree of a few kinds of node; nothing of Python's is ever run.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Literal

from sortija.core.measures.formula.units import PLAIN, Unit, unit_words

__all__ = [
    "FUNCTIONS",
    "MOST_CHARACTERS",
    "MOST_DEPTH",
    "Formula",
    "FormulaError",
    "Function",
    "Node",
    "parse",
]

MOST_CHARACTERS = 500
MOST_DEPTH = 32
_HIGHEST_POWER = 4
_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d*)?(?:[eE][+-]?\d{1,2})?|\.\d+)|(?P<name>[^\W\d]\w*(?::\w+)?)"
    r"|(?P<sign><=|>=|!=|[-+*/^(),<>=−×÷≤≥≠]))",
)
_ALIAS = {"−": "-", "×": "*", "÷": "/", "≤": "<=", "≥": ">=", "≠": "!="}
_COMPARE = ("<", "<=", ">", ">=", "=", "!=")
NodeKind = Literal["number", "measure", "call", "sign"]


class FormulaError(ValueError):
    """``at``: the character (from 0) where the mistake stands, ``length``: how far it reaches."""

    def __init__(self, words: str, at: int, length: int = 1) -> None:
        super().__init__(words)
        self.at, self.length = at, max(length, 1)


@dataclass(frozen=True)
class Function:
    """``least``, ``most``: how many arguments it takes."""

    name: str
    least: int
    most: int
    shown: str
    words: str


FUNCTIONS = {
    f.name: f
    for f in (
        Function("min", 2, 8, "min(a, b, …)", "the least of its arguments"),
        Function("max", 2, 8, "max(a, b, …)", "the greatest of its arguments"),
        Function("abs", 1, 1, "abs(a)", "without its sign"),
        Function("round", 1, 2, "round(a, places)", "to whole numbers, or to so many places"),
        Function("sqrt", 1, 1, "sqrt(a)", "square root; missing below 0"),
        Function("log", 1, 1, "log(a)", "natural logarithm; missing at 0 and below"),
        Function("exp", 1, 1, "exp(a)", "e to the power of a"),
        Function("if", 3, 3, "if(test, a, b)", "a where the test holds, else b"),
        Function("missing", 1, 1, "missing(a)", "1 where a has no value, else 0"),
        Function("else", 2, 8, "else(a, b, …)", "a, or b where a has no value, and so on"),
        Function("between", 3, 3, "between(a, low, high)", "1 from low to high, ends included"),
    )
}


@dataclass(frozen=True)
class Node:
    """``value``: of a number, else 0; ``name``: of a measure, function or sign."""

    kind: NodeKind
    name: str
    at: int
    unit: Unit
    value: float = 0.0
    parts: tuple[Node, ...] = ()


@dataclass(frozen=True)
class Formula:
    """A formula that was understood; ``measures``: those that it speaks of, in order."""

    text: str
    tree: Node
    measures: tuple[str, ...]

    @property
    def unit(self) -> Unit:
        return Unit(self.tree.unit.powers)


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


def parse(text: str, units: Mapping[str, Unit]) -> Formula:
    """Read a formula.

    Parameters
    ----------
    units : name of each measure that it may speak of → its unit

    Raises
    ------
    FormulaError
        What is wrong, and at which character.

    >>> from sortija.core.measures.formula.units import Unit
    >>> parse("a / b", {"a": Unit(), "b": Unit()}).measures
    ('a', 'b')
    """
    if len(text) > MOST_CHARACTERS:
        raise FormulaError(f"A formula has at most {MOST_CHARACTERS} characters.", MOST_CHARACTERS)
    reader = _Reader(_tokens(text), units, len(text))
    tree = reader.whole()
    return Formula(text, tree, tuple(dict.fromkeys(reader.spoken_of)))


def _tokens(text: str) -> list[_Token]:
    out, at = [], 0
    end = len(text.rstrip())
    while at < end:
        found = _TOKEN.match(text, at)
        if found is None:
            at += len(text[at:]) - len(text[at:].lstrip())
            raise FormulaError(f"“{text[at]}” has no meaning in a formula.", at)
        kind = str(found.lastgroup)
        written = found.group(kind)
        out.append(_Token(kind, _ALIAS.get(written, written), found.start(kind)))
        at = found.end()
    return out


class _Reader:
    """Reads tokens by falling precedence: or, and, not, comparison, sum, product, sign, power."""

    def __init__(self, tokens: list[_Token], units: Mapping[str, Unit], end: int) -> None:
        self.tokens, self.units, self.end = tokens, units, end
        self.place, self.depth = 0, 0
        self.spoken_of: list[str] = []

    def whole(self) -> Node:
        if not self.tokens:
            raise FormulaError("Write a formula, such as monetary / frequency.", 0)
        tree = self._either()
        left = self._look()
        if left is not None:
            words = "closes nothing that was opened" if left.text == ")" else "was not expected"
            raise FormulaError(f"“{left.text}” {words} here.", left.at, len(left.text))
        return tree

    def _look(self) -> _Token | None:
        return self.tokens[self.place] if self.place < len(self.tokens) else None

    def _take(self, *texts: str) -> _Token | None:
        token = self._look()
        if token is not None and token.text in texts and token.kind != "number":
            self.place += 1
            return token
        return None

    def _either(self) -> Node:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            token = self.tokens[min(self.place, len(self.tokens) - 1)]
            raise FormulaError("The formula is nested too deeply.", token.at)
        node = self._both()
        while sign := self._take("or"):
            node = Node("sign", "or", sign.at, PLAIN, parts=(node, self._both()))
        self.depth -= 1
        return node

    def _both(self) -> Node:
        node = self._negated()
        while sign := self._take("and"):
            node = Node("sign", "and", sign.at, PLAIN, parts=(node, self._negated()))
        return node

    def _negated(self) -> Node:
        signs = []
        while sign := self._take("not"):
            signs.append(sign)
        node = self._compared()
        for sign in reversed(signs):
            node = Node("sign", "not", sign.at, PLAIN, parts=(node,))
        return node

    def _compared(self) -> Node:
        node = self._sum()
        if sign := self._take(*_COMPARE):
            other = self._sum()
            self._same(node, other, sign, "compare")
            node = Node("sign", sign.text, sign.at, PLAIN, parts=(node, other))
            if again := self._take(*_COMPARE):
                raise FormulaError(
                    "One comparison at a time: join two by “and”, or use between.", again.at
                )
        return node

    def _sum(self) -> Node:
        node = self._product()
        while sign := self._take("+", "-"):
            other = self._product()
            unit = self._same(node, other, sign, "add" if sign.text == "+" else "subtract")
            node = Node("sign", sign.text, sign.at, unit, parts=(node, other))
        return node

    def _product(self) -> Node:
        node = self._signed()
        while sign := self._take("*", "/"):
            other = self._signed()
            unit = node.unit.times(other.unit, 1 if sign.text == "*" else -1)
            node = Node("sign", sign.text, sign.at, unit, parts=(node, other))
        return node

    def _signed(self) -> Node:
        minus, first = 0, self._look()
        while sign := self._take("-", "+"):
            minus += sign.text == "-"
        node = self._power()
        if minus % 2 and first is not None:
            node = Node("sign", "negative", first.at, node.unit, parts=(node,))
        return node

    def _power(self) -> Node:
        node = self._atom()
        if sign := self._take("^"):
            raised = self._look()
            if raised is None or raised.kind != "number" or not raised.text.isdigit() \
                    or int(raised.text) > _HIGHEST_POWER:  # fmt: skip
                at = raised.at if raised else self.end
                raise FormulaError(f"A power is a whole number from 0 to {_HIGHEST_POWER}.", at)
            self.place += 1
            by = int(raised.text)
            other = Node("number", "", raised.at, Unit(free=True), float(by))
            node = Node("sign", "^", sign.at, node.unit.power(by), parts=(node, other))
            if again := self._take("^"):
                raise FormulaError("One power at a time: put the inner one in brackets.", again.at)
        return node

    def _atom(self) -> Node:
        token = self._look()
        if token is None:
            raise FormulaError("The formula ends where a value is wanted.", max(self.end - 1, 0))
        self.place += 1
        if token.kind == "number":
            return Node("number", "", token.at, Unit(free=True), float(token.text))
        if token.text == "(":
            node = self._either()
            self._close(token)
            return node
        if token.kind != "name" or token.text in ("and", "or", "not"):
            raise FormulaError(
                f"“{token.text}” stands where a value is wanted.", token.at, len(token.text)
            )
        if (opened := self._take("(")) is not None:
            return self._call(token, opened)
        return self._measure(token)

    def _close(self, opened: _Token) -> None:
        if not self._take(")"):
            token = self._look()
            if token is None:
                raise FormulaError("This bracket is never closed.", opened.at)
            raise FormulaError(f"“{token.text}” stands where “)” is wanted.", token.at,
                               len(token.text))  # fmt: skip

    def _measure(self, token: _Token) -> Node:
        unit = self.units.get(token.text)
        if unit is None:
            if token.text in FUNCTIONS:
                shown = FUNCTIONS[token.text].shown
                words = f"{token.text} wants its arguments in brackets: {shown}."
                raise FormulaError(words, token.at, len(token.text))
            near = get_close_matches(token.text, self.units, 1, 0.6)
            hint = f" Did you mean {near[0]}?" if near else ""
            raise FormulaError(
                f"There is no measure called {token.text}.{hint}", token.at, len(token.text)
            )
        self.spoken_of.append(token.text)
        return Node("measure", token.text, token.at, unit)

    def _call(self, token: _Token, opened: _Token) -> Node:
        function = FUNCTIONS.get(token.text)
        if function is None:
            near = get_close_matches(token.text, FUNCTIONS, 1, 0.5)
            hint = f" Did you mean {near[0]}?" if near else ""
            raise FormulaError(f"There is no function called {token.text}.{hint}", token.at,
                               len(token.text))  # fmt: skip
        parts: list[Node] = []
        if not self._take(")"):
            parts.append(self._either())
            while self._take(","):
                parts.append(self._either())
            self._close(opened)
        if not function.least <= len(parts) <= function.most:
            raise FormulaError(f"{function.name} is written {function.shown}.", token.at,
                               len(token.text))  # fmt: skip
        unit = self._unit_of_call(token, parts)
        return Node("call", token.text, token.at, unit, parts=tuple(parts))

    def _unit_of_call(self, token: _Token, parts: list[Node]) -> Unit:
        name = token.text
        if name in ("min", "max", "else"):
            unit = parts[0].unit
            for part in parts[1:]:
                unit = self._beside(unit, part.unit, part.at, "compare")
            return unit
        if name == "if":
            return self._beside(parts[1].unit, parts[2].unit, parts[2].at, "choose between")
        if name == "between":
            for part in parts[1:]:
                self._beside(parts[0].unit, part.unit, part.at, "compare")
            return PLAIN
        if name == "round":
            if len(parts) == 2 and (parts[1].kind != "number" or parts[1].value not in range(7)):
                raise FormulaError("Round to 0 to 6 places, written as a number.", parts[1].at)
            return parts[0].unit
        if name == "sqrt":
            root = parts[0].unit.root()
            if root is None:
                words = unit_words(parts[0].unit)
                raise FormulaError(f"There is no square root of {words}. Divide by a unit first.",
                                   token.at, len(token.text))  # fmt: skip
            return root
        if name in ("log", "exp", "missing"):
            return PLAIN
        return parts[0].unit

    def _same(self, a: Node, b: Node, sign: _Token, verb: str) -> Unit:
        return self._beside(a.unit, b.unit, sign.at, verb)

    def _beside(self, a: Unit, b: Unit, at: int, verb: str) -> Unit:
        unit = a.beside(b)
        if unit is None:
            words = [unit_words(u) or "a plain number" for u in (a, b)]
            raise FormulaError(f"You {verb} {words[0]} and {words[1]} here, which cannot be told "
                               "together.", at)  # fmt: skip
        return unit
