"""One customer's measures told from the purchases behind them, in plain sentences.

Written apart from the kernels, receipt by receipt, so that it can stand beside them as a check.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from itertools import pairwise
from statistics import fmean, median, pstdev

from sortija.core.calendar import date_of
from sortija.core.measures.catalogue import GONE_SILENT
from sortija.core.measures.window import Window

__all__ = ["Account", "Context", "Told", "Visit", "account", "tell"]

_LEAST_GAP = 14.0


@dataclass(frozen=True)
class Visit:
    """One receipt of the customer.

    ``day`` since 1970-01-01 (−1: none); ``sales`` and ``returned``: money of the lines that count,
    at the study's scale, the latter negative; ``pieces``: sold in kept sale lines, so that a
    receipt with any is a purchase; ``departments``: of its kept sales; ``lines``,
    ``returned_lines``: how many count, and how many of them are returns; ``margin``: money less
    what the goods cost, None where that is not known; ``parts``: gross kept sales by the share
    measure that they belong to.
    """

    key: int
    day: int
    sales: int
    returned: int
    pieces: int
    departments: frozenset[str] = frozenset()
    lines: int = 0
    returned_lines: int = 0
    margin: int | None = None
    parts: Mapping[str, int] = field(default_factory=dict)

    @property
    def purchase(self) -> bool:
        return self.pieces > 0 and self.day >= 0


@dataclass(frozen=True)
class Account:
    """What the measures of one customer are made of in one window; days since 1970-01-01.

    ``purchases`` and ``other``: receipts of the window with and without a kept sale, oldest
    first; ``first_ever``: day of the first purchase of all, −1 without.
    """

    first: int
    as_of: int
    purchases: tuple[Visit, ...]
    other: tuple[Visit, ...]
    first_ever: int


@dataclass(frozen=True)
class Told:
    """A measure in a sentence with the customer's numbers, and the receipts it rests on."""

    name: str
    words: str
    receipts: tuple[int, ...] = ()


def account(visits: Sequence[Visit], window: Window, log_begins: int) -> Account:
    """Receipts of one customer, sorted by what they are within the window.

    Parameters
    ----------
    visits : receipts whose lines that do not count are left out already
    log_begins : int
        First day of the whole log, where the window looks back over all of it.
    """
    first, as_of = window.first_day(log_begins), window.as_of
    inside = sorted((v for v in visits if first <= v.day < as_of), key=lambda v: (v.day, v.key))
    earlier = [v.day for v in visits if v.purchase and v.day < as_of]
    return Account(
        first, as_of,
        tuple(v for v in inside if v.purchase), tuple(v for v in inside if not v.purchase),
        min(earlier, default=-1),
    )  # fmt: skip


def _day(number: int) -> str:
    day: date = date_of(number)
    return f"{day.day} {day:%b %Y}"


def _plural(count: int, one: str, many: str = "") -> str:
    return f"{count:,} {one if count == 1 else many or one + 's'}"


@dataclass(frozen=True)
class Context:
    """What the sentences take from beyond the customer.

    ``usual``: the base's usual gap in days, which stands in below three visit days; ``trend``:
    that of all customers together; ``departments``: how many the study has; ``shares``: name of
    each share measure → what its sales are of, such as "in Seeds".
    """

    usual: float | None = None
    trend: float | None = None
    departments: int = 0
    shares: Mapping[str, str] = field(default_factory=dict)


def tell(
    found: Account, scale: int, currency: str, joined: float | None, context: Context
) -> list[Told]:
    """Each measure that can be told.

    Parameters
    ----------
    scale, currency
        Of the study's money.
    joined : float or None
        Day of joining since 1970-01-01, where it is known.
    """

    def spell(value: float) -> str:
        return f"{'−' if value < 0 else ''}{currency}{abs(value) / 10**scale:,.{scale}f}"

    span = f"from {_day(found.first)} to {_day(found.as_of - 1)}"
    if not found.purchases:
        return [Told("frequency", f"No purchase {span}, so nothing is measured.")]
    keys = tuple(v.key for v in found.purchases)
    last = found.purchases[-1]
    recency = found.as_of - last.day
    on_last = tuple(v.key for v in found.purchases if v.day == last.day)
    sales = sum(v.sales for v in (*found.purchases, *found.other))
    back = sum(v.returned for v in (*found.purchases, *found.other))
    sums = sorted(v.sales + v.returned for v in found.purchases)
    days = sorted({v.day for v in found.purchases})
    gaps = [b - a for a, b in pairwise(days)]
    departments = sorted(set().union(*(v.departments for v in found.purchases)))
    told = [
        Told("recency", f"The last purchase was on {_day(last.day)}; from then to the end of "
             f"{_day(found.as_of - 1)} are {_plural(recency, 'day')}, the last one counted.",
             on_last),
        Told("frequency", f"{_plural(len(keys), 'receipt')} with at least one kept sale {span}. "
             "Lines of one receipt are one visit.", keys),
        Told("monetary", f"{spell(sales)} of sales"
             + (f" less {spell(-back)} of returns" if back else "")
             + f" {span} make {spell(sales + back)}.",
             tuple(v.key for v in (*found.purchases, *found.other))),
        Told("basket_mean", f"{_plural(len(sums), 'purchase')} of {spell(sum(sums))} together: "
             f"{spell(sum(sums) / len(sums))} each.", keys),
        Told("basket_median", f"The middle one of {_plural(len(sums), 'purchase')} is "
             f"{spell(median(sums))}.", keys),
        _tenure(found, joined),
        _silence(recency, days, gaps, context.usual),
    ]  # fmt: skip
    if gaps:
        mean = sum(gaps) / len(gaps)
        told.append(
            Told("gap_mean", f"{_plural(len(days), 'visit day')} lie {_plural(len(gaps), 'gap')} "
                 f"apart, {mean:,.1f} days each on average.", keys)
        )  # fmt: skip
    if departments:
        told.append(
            Told("breadth", f"Bought from {_plural(len(departments), 'department')}: "
                 f"{', '.join(departments)}.", keys)
        )  # fmt: skip
    told += _rhythm(found, days, gaps)
    told += _more_money(found, spell, context.trend, joined)
    return told + _shares(found, spell, context)


Spell = Callable[[float], str]


def _rhythm(found: Account, days: list[int], gaps: list[int]) -> list[Told]:
    keys = tuple(v.key for v in found.purchases)
    told = [Told("visit_days", f"{_plural(len(keys), 'receipt')} on "
                 f"{_plural(len(days), 'different day')}.", keys)]  # fmt: skip
    if len(gaps) > 1:
        spread, mean = pstdev(gaps), fmean(gaps)
        told.append(
            Told("gap_cv", f"{_plural(len(gaps), 'gap')} of {mean:,.1f} days on average with a "
                 f"standard deviation of {spread:,.1f} days: {spread / mean:,.2f} times.", keys)
        )  # fmt: skip
    return told


def _more_money(
    found: Account, spell: Spell, everyone: float | None, joined: float | None
) -> list[Told]:
    inside = (*found.purchases, *found.other)
    keys = tuple(v.key for v in inside)
    told = []
    margins = [v.margin for v in inside]
    if all(margin is not None for margin in margins):
        made, money = sum(m or 0 for m in margins), sum(v.sales + v.returned for v in inside)
        told.append(
            Told("margin", f"{spell(money)} of sales less returns, less {spell(money - made)} that "
                 f"the goods cost: {spell(made)}.", keys)
        )  # fmt: skip
    else:
        unknown = sum(margin is None for margin in margins)
        told.append(
            Told("margin", f"For {_plural(unknown, 'receipt')} nobody said what the goods cost, so "
                 "the margin is not known.", keys)
        )  # fmt: skip
    lines, back = sum(v.lines for v in inside), sum(v.returned_lines for v in inside)
    if lines:
        told.append(
            Told("returned", f"{_plural(back, 'line')} of {lines:,} brought goods back: "
                 f"{back / lines:.1%}.", keys)
        )  # fmt: skip
    trend = _trend(found, spell, everyone, joined)
    return [*told, trend] if trend else told


def _trend(
    found: Account, spell: Spell, everyone: float | None, joined: float | None
) -> Told | None:
    since = found.first_ever if joined is None else joined
    days, count = found.as_of - found.first, len(found.purchases)
    if count < 3 or found.as_of - since < days:
        why = "fewer than 3 purchases" if count < 3 else "not a member for the whole window"
        return Told("trend", f"No trend is told: {why}.")
    middle = found.first + days // 2
    early = sum(v.sales for v in (*found.purchases, *found.other) if v.day < middle)
    late = sum(v.sales for v in (*found.purchases, *found.other)) - early
    half = sum(v.sales + v.returned for v in found.purchases) / count / 2
    if early + half <= 0 or late + half <= 0 or everyone is None:
        return None
    own = math.log((late + half) / (early + half))
    words = (
        f"{spell(early)} before {_day(middle)} and {spell(late)} from then on, half a basket added "
        f"to each: a log ratio of {own:+.2f}, less {everyone:+.2f} of all customers together: "
        f"{own - everyone:+.2f}."
    )
    return Told("trend", words.replace("-", "−"), tuple(v.key for v in found.purchases))


def _shares(found: Account, spell: Spell, context: Context) -> list[Told]:
    inside = (*found.purchases, *found.other)
    gross = sum(v.sales for v in inside)
    if gross <= 0:
        return []
    told = []
    for name, words in context.shares.items():
        part = sum(v.parts.get(name, 0) for v in inside)
        keys = tuple(v.key for v in inside if v.parts.get(name, 0))
        told.append(
            Told(name, f"{spell(part)} {words} of {spell(gross)} of gross sales: "
                 f"{part / gross:.1%}.", keys)
        )  # fmt: skip
    by_department = [
        sum(v.parts.get(name, 0) for v in inside)
        for name in context.shares
        if name.startswith("share_department_")
    ]
    spent = [part for part in by_department if part > 0]
    if spent and context.departments > 1 and len(by_department) == context.departments:
        total = sum(spent)
        entropy = max(0.0, -sum(p / total * math.log(p / total) for p in spent))
        most = math.log(context.departments)
        told.append(
            Told("evenness", f"Spend over {_plural(len(spent), 'department')} has an entropy of "
                 f"{entropy:.2f} of the {most:.2f} possible with {context.departments}: "
                 f"{entropy / most:.1%}.", tuple(v.key for v in found.purchases))
        )  # fmt: skip
    return told


def _tenure(found: Account, joined: float | None) -> Told:
    if joined is not None:
        if joined >= found.as_of:
            return Told("tenure", f"Joined on {_day(int(joined))}, after the window ended.")
        words = f"Joined on {_day(int(joined))}"
        days = found.as_of - int(joined)
    else:
        words = f"No joining date is known; the first purchase was on {_day(found.first_ever)}"
        days = found.as_of - found.first_ever
    return Told("tenure", f"{words}, {_plural(days, 'day')} before the end of the window.")


def _silence(recency: int, days: list[int], gaps: list[int], usual: float | None) -> Told:
    if len(days) >= 3:
        own = max(median(gaps), _LEAST_GAP)
        whose = f"the usual gap of {median(gaps):,.0f} days"
        if own > median(gaps):
            whose += f", taken as {_LEAST_GAP:.0f}"
    elif usual is not None:
        own = max(usual, _LEAST_GAP)
        whose = f"the {own:,.0f} days usual among all customers, for there are too few visits"
    else:
        return Told("silence", "There are too few visits to know a usual gap.")
    gone = recency / own > GONE_SILENT
    verdict = f"more than {GONE_SILENT} times: gone silent" if gone else "not yet silent"
    words = f"{_plural(recency, 'day')} since the last visit against {whose}: {recency / own:,.2f}"
    return Told("silence", f"{words} times, {verdict}.")
