"""What the Ledger lets a lens speak of: who bought when, where and what; who meets a rule."""

from __future__ import annotations

import math
import re
from datetime import date

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import day_number
from sortija.core.ledger.summaries import spent_between
from sortija.core.table import Column
from sortija.server.ledger.rules.listing import by_column
from sortija.server.ledger.store.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.lens.fields import Field, field_kind
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__: list[str] = []

_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@field_kind("bought")
def _bought(study: Study, window: WindowInView, name: str) -> Field | None:
    """``bought:days=2026-03-01..2026-03-31``, ``bought:department=Seeds``, ``bought:hour=17``,
    ``bought:basket=10..20``."""
    return _yes_no(study, "bought", name)


@field_kind("began")
def _began(study: Study, window: WindowInView, name: str) -> Field | None:
    """``began:days=2026-03-01..2026-03-31``: the first purchase ever lies within."""
    return _yes_no(study, "began", name)


@field_kind("met")
def _met(study: Study, window: WindowInView, name: str) -> Field | None:
    """``met:returns``: a line meets the rule; ``met:returns=2026-03-01..2026-03-31``: then."""
    return _yes_no(study, "met", name)


def _yes_no(study: Study, kind: str, name: str) -> Field | None:
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        return None
    key = f"{kind}:{name}"
    found = _customers(Keyed((ledger.made_from, ledger.customers, key), ledger), kind, name)
    if found is None:
        return None
    label, who = found
    column = Column(key, "category", who.astype(np.int32) + 1, "", ("no", "yes"))
    return Field(key, label, "", column, f"{ledger.made_from}:{ledger.customers}:{key}")


@remembered
def _customers(keyed: Keyed[Ledger], kind: str, name: str) -> tuple[str, NDArray[np.bool_]] | None:
    ledger = keyed.value
    lines = ledger.lines()
    if kind == "met":
        return _met_rule(ledger, lines, name)
    log = lines.log
    sale = log.sales(ledger.mask)
    what, _, value = name.partition("=")
    if what == "days":
        first, inside, when = _within(lines, value)
        if kind == "began":
            before = _any_line(lines, sale & (log.day < day_number(first)) & (log.day >= 0))
            return f"First bought {when}", _any_line(lines, sale & inside) & ~before
        return f"Bought {when}", _any_line(lines, sale & inside)
    if kind == "began":
        return None
    if what == "basket":
        return _basket(ledger, value)
    number, label = _number(ledger, what, value)
    if number is None:
        return None
    return label, _any_line(lines, sale & (by_column(lines, what) == number))


def _met_rule(ledger: Ledger, lines: Lines, name: str) -> tuple[str, NDArray[np.bool_]] | None:
    key, _, days = name.partition("=")
    rule = next((rule for rule in ledger.rules if rule.key == key), None)
    if rule is None:
        return None
    meets = (lines.log.bits & rule.bit) != 0
    if not days:
        return f"Has lines: {rule.name}", _any_line(lines, meets)
    _, inside, when = _within(lines, days)
    return f"Has lines {when}: {rule.name}", _any_line(lines, meets & inside)


def _within(lines: Lines, value: str) -> tuple[date, NDArray[np.bool_], str]:
    """The first day of a stretch, which lines lie in it, and the stretch in words."""
    first, last = _days(value)
    inside = (lines.log.day >= day_number(first)) & (lines.log.day <= day_number(last))
    if first == last:
        return first, inside, f"on {first:%d %b %Y}"
    return first, inside, f"{first:%d %b %Y} to {last:%d %b %Y}"


def _basket(ledger: Ledger, value: str) -> tuple[str, NDArray[np.bool_]] | None:
    """Purchases from one amount up to below another, in major units; either end may be open."""
    ends = re.fullmatch(r"(-?\d+(?:\.\d+)?)?\.\.(-?\d+(?:\.\d+)?)?", value)
    if ends is None or ends[0] == "..":
        return None
    unit, sign = 10**ledger.study.scale, ledger.study.currency
    low = -math.inf if ends[1] is None else round(float(ends[1]) * unit)
    high = math.inf if ends[2] is None else round(float(ends[2]) * unit)
    words = f"from {sign}{ends[1]}" if ends[1] else ""
    words += f"{' ' if words else ''}under {sign}{ends[2]}" if ends[2] else ""
    return f"A basket {words}", spent_between(ledger.lines().log, ledger.mask, low, high)


def _number(ledger: Ledger, what: str, value: str) -> tuple[int | None, str]:
    """The number behind a name, and how it is told."""
    if what == "hour":
        if not is_whole(value) or int(value) >= 168:
            return None, ""
        day, hour = divmod(int(value), 24)
        return int(value), f"Bought on a {_DAYS[day]} from {hour}:00 to {hour + 1}:00"
    if what not in ("department", "site", "channel", "item"):
        return None, ""
    names = texts(ledger.study, what)
    words = {"department": "Bought in", "site": "Bought at", "channel": "Bought through",
             "item": "Bought item"}[what]  # fmt: skip
    return (names.index(value), f"{words} {value}") if value in names else (None, "")


def _days(value: str) -> tuple[date, date]:
    first, _, last = value.partition("..")
    try:
        return date.fromisoformat(first), date.fromisoformat(last)
    except ValueError:
        raise Problem(f"“{value}” is no stretch of days: write 2026-03-01..2026-03-31.") from None


def _any_line(lines: Lines, wanted: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Customers with any such line; undated lines are nobody's purchase but can meet a rule."""
    start = lines.log.start[:-1]
    reached = np.concatenate([[0], np.cumsum(wanted[: start[-1]], dtype=np.int64)])
    return np.asarray(reached[start[1:]] > reached[start[:-1]], np.bool_)
