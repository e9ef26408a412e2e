"""Hooks: what one part of the server may call of another without importing it.

Every app fills its hooks when Django starts (``AppConfig.ready``), so that servers, workers and
commands know the same. Filling one twice is a mistake, and so is asking one that nobody fills.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

__all__ = ["Hook", "Hooks", "filled"]

Value = TypeVar("Value")
Function = TypeVar("Function", bound=Callable[..., Any])
_every: list[Hook[Any] | Hooks[Any]] = []


class Hook(Generic[Function]):
    """A function that exactly one module gives.

    >>> greeting = Hook("who greets")
    >>> greeting.fill(str.title).__name__
    'title'
    >>> greeting.function("anna")
    'Anna'
    """

    def __init__(self, what: str) -> None:
        self.what = what
        self._function: Function | None = None
        _every.append(self)

    def fill(self, function: Function) -> Function:
        """Give the function; a decorator.

        Raises
        ------
        RuntimeError
            Another module gives one already.
        """
        if self._function is not None:
            raise RuntimeError(f"{self.what}: {_named(self._function)} and {_named(function)}")
        self._function = function
        return function

    @property
    def function(self) -> Function:
        """What was given; a RuntimeError where nobody gives anything."""
        if self._function is None:
            raise RuntimeError(f"{self.what}: nobody says. Is its app among INSTALLED_APPS?")
        return self._function


class Hooks(dict[str, Value]):
    """Things that any number of modules give, each under a name of its own."""

    def __init__(self, what: str) -> None:
        super().__init__()
        self.what = what
        _every.append(self)

    def add(self, value: Value, name: str = "") -> Value:
        """Give one more; a function without a name goes by its own.

        Raises
        ------
        RuntimeError
            Something else goes by this name.
        """
        name = name or _named(value)
        if name in self:
            raise RuntimeError(f"{self.what}: {name} is given twice")
        self[name] = value
        return value


def filled() -> dict[str, list[str]]:
    """Every hook and who fills it, by name."""
    return {
        each.what: sorted(each) if isinstance(each, Hooks) else [_named(each.function)]
        for each in _every
    }


def _named(thing: Any) -> str:
    return f"{thing.__module__}.{thing.__qualname__}"
