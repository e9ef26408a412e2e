"""The trail: every station registers how it sums itself up for a study and a window."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, NamedTuple

from rest_framework.request import Request

from sortija.server.hooks import Hook, Hooks
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView, window_from

__all__ = [
    "Fact",
    "Rows",
    "State",
    "coverage",
    "default_window",
    "facts",
    "gives_coverage",
    "gives_default_window",
    "gives_rows",
    "gives_years",
    "in_rows",
    "rows_of",
    "station",
    "whole_years",
    "window_in",
]

State = Literal["not yet", "working", "current", "out of date", "failed"]


@dataclass(frozen=True)
class Fact:
    """A station's state and one short sentence; ``since``: what changed, when out of date."""

    state: State
    words: str
    since: str = ""


Summary = Callable[[Study, WindowInView | None], Fact]
_STATIONS: Hooks[tuple[int, str, Summary]] = Hooks("facts of stations")


def station(key: str, place: int, name: str) -> Callable[[Summary], Summary]:
    """Register the summary of the station that stands at ``place`` (1 to 7) on the trail."""

    def register(summary: Summary) -> Summary:
        _STATIONS.add((place, name, summary), key)
        return summary

    return register


def facts(study: Study, window: WindowInView | None) -> list[tuple[str, str, Fact]]:
    """(key, name, fact) of every station, in the trail's order."""
    ordered = sorted(_STATIONS.items(), key=lambda item: item[1][0])
    return [(key, name, summary(study, window)) for key, (_, name, summary) in ordered]


Opening = Callable[[Study], WindowInView | None]
_OPENING: Hook[Opening] = Hook("the window that a study opens with")


def gives_default_window(function: Opening) -> Opening:
    """Register who knows the window that a study opens with."""
    return _OPENING.fill(function)


def default_window(study: Study) -> WindowInView | None:
    """The window that a study opens with; None while there is nothing to look at."""
    return _OPENING.function(study)


def window_in(request: Request, study: Study) -> WindowInView | None:
    """The window that a request names, else the one that the study opens with."""
    named = request.query_params.get("to")
    return window_from(request, None if named else default_window(study))


class Rows(NamedTuple):
    """What the rows of a study are called, one and several, and whether a log tells of them."""

    one: str = "customer"
    many: str = "customers"
    has_log: bool = True


_ROWS: Hook[Callable[[Study], Rows]] = Hook("what a study's rows are called")


def gives_rows(function: Callable[[Study], Rows]) -> Callable[[Study], Rows]:
    """Register who knows what a study's rows are called."""
    return _ROWS.fill(function)


def rows_of(study: Study) -> Rows:
    """What the study's rows are called: customers, or what its table names."""
    return _ROWS.function(study)


def in_rows(study: Study, words: str) -> str:
    """A sentence about customers, told of the study's rows by their name."""
    rows = rows_of(study)
    if rows.many == Rows().many:
        return words

    def name(found: re.Match[str]) -> str:
        word = rows.many if found.group(2) else rows.one
        return word[:1].upper() + word[1:] if found.group(1) == "C" else word

    return re.sub(r"\b([Cc])ustomer(s?)\b", name, words)


Years = Callable[[Study], list[int]]
_YEARS: Hook[Years] = Hook("the years that a study has whole")


def gives_years(function: Years) -> Years:
    """Register who knows the years that a study has whole."""
    return _YEARS.fill(function)


def whole_years(study: Study) -> list[int]:
    """Calendar years that the study's data cover from January to December, newest first."""
    return _YEARS.function(study)


Coverage = Callable[[Study, WindowInView], str]
_COVERAGE: Hook[Coverage] = Hook("how much of a window the data cover")


def gives_coverage(function: Coverage) -> Coverage:
    """Register who knows how much of a window per study's data cover."""
    return _COVERAGE.fill(function)


def coverage(study: Study, window: WindowInView) -> str:
    """What the data have of a window that they do not cover whole; empty where they do."""
    return _COVERAGE.function(study, window)
