"""One customer's measures told from the purchases behind them, in plain sentences.

Written apart from the kernels, receipt by receipt, so that it can stand beside them as a check.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise
from statistics import median

from sortija.core.measures.window import EPOCH, Window

__all__ = ["Account", "Told", "Visit", "account", "tell"]

_LEAST_GAP = 14.0


@dataclass(frozen=True)
class Visit:
    """One receipt of the customer.

    ``day`` since 1970-01-01 (−1: none); ``sales`` and ``returned``: money of the lines that count,
    at the study's scale, the latter negative; ``pieces``: sold in kept sale lines, so that a
    receipt with any is a purchase; ``departments``: of its kept sales.
    """

    key: int
    day: int
    sales: int
    returned: int
    pieces: int
    departments: frozenset[str] = frozenset()

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
    day: date = EPOCH + timedelta(days=number)
    return f"{day.day} {day:%b %Y}"


def _plural(count: int, one: str, many: str = "") -> str:
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def tell(
    found: Account, scale: int, currency: str, joined: float | None, usual: float | None
) -> list[Told]:
    """Each measure that can be told, in the order of the catalogue.

    Parameters
    ----------
    scale, currency
        Of the study's money.
    joined : float or None
        Day of joining since 1970-01-01, where it is known.
    usual : float or None
        The base's usual gap in days, which stands in below three visit days.
    """

    def cash(value: float) -> str:
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
    nets = sorted(v.sales + v.returned for v in found.purchases)
    days = sorted({v.day for v in found.purchases})
    gaps = [b - a for a, b in pairwise(days)]
    departments = sorted(set().union(*(v.departments for v in found.purchases)))
    told = [
        Told("recency", f"The last purchase was on {_day(last.day)}; from then to the end of "
             f"{_day(found.as_of - 1)} are {_plural(recency, 'day')}, the last one counted.",
             on_last),
        Told("frequency", f"{_plural(len(keys), 'receipt')} with at least one kept sale {span}. "
             "Lines of one receipt are one visit.", keys),
        Told("monetary", f"{cash(sales)} of sales"
             + (f" less {cash(-back)} of returns" if back else "")
             + f" {span} make {cash(sales + back)}.",
             tuple(v.key for v in (*found.purchases, *found.other))),
        Told("basket_mean", f"{_plural(len(nets), 'purchase')} of {cash(sum(nets))} together: "
             f"{cash(sum(nets) / len(nets))} each.", keys),
        Told("basket_median", f"The middle one of {_plural(len(nets), 'purchase')} is "
             f"{cash(median(nets))}.", keys),
        _tenure(found, joined),
        _silence(recency, days, gaps, usual),
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
    verdict = "more than 3 times: gone silent" if recency / own > 3 else "not yet silent"
    words = f"{_plural(recency, 'day')} since the last visit against {whose}: {recency / own:,.2f}"
    return Told("silence", f"{words} times, {verdict}.")
