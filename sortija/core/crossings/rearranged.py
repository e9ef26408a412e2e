"""Each customer's lines of two windows on other days, as if nothing had changed between them.

Windows whole years apart that share no day: each month of a customer is swapped between the two
windows or not, as a coin falls, so that its season stays; a customer with a rhythm goes over from
one year to the other only where it was there about as long ago in both (a matched-block bootstrap;
Carlstein et al. 1998, Bernoulli 4). Of other pairs a customer's gaps between visits are put in
another order, on a calendar whose days are as long as everyone has visits on them, so that rhythm
and season stay.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any, Literal, NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import MONTHS, day_number, months_before
from sortija.core.engine import readonly
from sortija.core.ledger.counting import Lines, counts, is_sale
from sortija.core.measures.window import Window

__all__ = ["Null", "Rearranging", "lines_rearranged", "null_of", "rearranging_of"]

Null = Literal["months swapped", "gaps permuted"]


#: Of fewer gaps between visits no rhythm is told.
FEW = 3
#: Gaps that vary as much as this share of their mean come by chance.
BY_CHANCE = 0.85
#: So near to each other, as a share of the mean gap, are visits that were about as long ago.
NEAR = 0.25


class Rearranging(NamedTuple):
    """How lines are rearranged.

    ``pieces``: (2, J + 1) int64, where the months of the earlier and of the later window begin,
    and where the last ends; one piece each where gaps are permuted. ``here``: (n, 2, J + 1) int64,
    where each customer's lines of each month begin; ``cuts``: (n, J) bool, before which months a
    customer can go over from one year to the other; both empty where gaps are permuted. ``upto``:
    (days,) int64, visits of everyone up to each day from the earlier window's first on; empty where
    months are swapped. ``whole_weeks``: dates move by whole weeks, so that weekdays stay.
    """

    pieces: Any
    here: Any
    cuts: Any
    upto: Any
    whole_weeks: bool


def null_of(before: Window, after: Window) -> Null:
    """What is done to customers' lines of these two windows.

    Raises
    ------
    ValueError
        The windows are not of one length, or they look back over the whole log.

    >>> from datetime import date
    >>> null_of(Window(date(2025, 6, 30)), Window(date(2026, 6, 30)))
    'months swapped'
    >>> null_of(Window(date(2026, 3, 31)), Window(date(2026, 6, 30)))
    'gaps permuted'
    """
    if before.months is None or before.months != after.months:
        raise ValueError("chance is told between windows that look back over as many months")
    if before.since is not None or after.since is not None:
        raise ValueError("chance is told between windows that look back over months")
    apart = _months_apart(before, after)
    whole_years = apart > 0 and apart % MONTHS["year"] == 0 and _is_shifted(before, after, apart)
    return "months swapped" if whole_years and apart >= after.months else "gaps permuted"


def _months_apart(before: Window, after: Window) -> int:
    one, other = before.last_day, after.last_day
    return (other.year - one.year) * 12 + other.month - one.month


def _is_shifted(before: Window, after: Window, months: int) -> bool:
    """Whether the days after both windows are as many months apart, leap days aside."""
    end = after.last_day + timedelta(days=1)
    return months_before(end, months) == before.last_day + timedelta(days=1)


def _piece_starts(window: Window, pieces: int, months: int) -> list[int]:
    """Where each of so many equal pieces of a window begins, and where the last ends."""
    end, each = window.last_day + timedelta(days=1), months // pieces
    return [day_number(months_before(end, back * each)) for back in range(pieces, -1, -1)]


def rearranging_of(
    lines: Lines, before: Window, after: Window, mask: int, among: NDArray[np.bool_],
    whole_weeks: bool = False,
) -> Rearranging:  # fmt: skip
    """How the lines of two windows are rearranged.

    Parameters
    ----------
    among : (n,) bool
        Customers whose visits are drawn from.
    whole_weeks : bool
        Whether weekdays have to stay as they are, where months are swapped.

    Raises
    ------
    ValueError
        See :func:`null_of`.
    """
    swapped = null_of(before, after) == "months swapped"
    months = int(before.months or 0) if swapped else 1
    pieces = np.array([_piece_starts(w, months, before.months or 1) for w in (before, after)])
    n = len(among) if swapped else 0
    here, cuts = np.zeros((n, 2, months + 1), np.int64), np.ones((n, months), np.bool_)
    if swapped:
        _find_months(lines, pieces, here, cuts)
        return Rearranging(pieces, here, cuts, np.zeros(0, np.int64), whole_weeks)
    visits = np.zeros(max(int(pieces[1, 1] - pieces[0, 0]), 1), np.int64)
    _count_visits(lines, pieces, mask, among, visits)
    return Rearranging(pieces, here, cuts, np.cumsum(visits), False)


@numba.njit(nogil=True, cache=True)
def _inside(day: Any, pieces: Any) -> Any:
    """Whether a day lies in either window."""
    return (pieces[0, 0] <= day < pieces[0, -1]) or (pieces[1, 0] <= day < pieces[1, -1])


@numba.njit(nogil=True, cache=True)
def _count_visits(lines: Lines, pieces: Any, mask: int, among: Any, visits: Any) -> None:
    """Customers with a purchase by day, from the earlier window's first day on."""
    for c in range(len(among)):
        if not among[c]:
            continue
        last = -1
        for i in range(lines.start[c], lines.start[c + 1]):
            day = lines.day[i]
            if day == last or not _inside(day, pieces) or not counts(lines.bits[i], mask):
                continue
            if is_sale(lines.kind[i], lines.quantity[i]):
                visits[day - pieces[0, 0]] += 1
                last = day


@numba.njit(nogil=True, cache=True, inline="always")
def _mixed(number: Any) -> Any:
    """A number's bits well mixed (SplitMix64; Steele, Lea and Flood 2014)."""
    z = number + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


@numba.njit(nogil=True, cache=True)
def _first_from(day: Any, begin: int, end: int, wanted: int) -> int:
    """The first of the lines ``begin`` to ``end`` that is not before a day."""
    while begin < end:
        middle = (begin + end) // 2
        if day[middle] < wanted:
            begin = middle + 1
        else:
            end = middle
    return begin


class Order(NamedTuple):
    """Which line stands where, and on what day: ``line`` int64, ``day`` int32; ``start`` of each
    customer's."""

    start: Any
    line: Any
    day: Any


@numba.njit(nogil=True, cache=True)
def _find_months(lines: Lines, pieces: Any, here: Any, cuts: Any) -> None:
    """Where everybody's lines of each month begin, and where one year can go on as the other."""
    day = lines.day
    many = pieces.shape[1] - 1
    for c in range(len(here)):
        begin, end = lines.start[c], lines.start[c + 1]
        for w in range(2):
            line = _first_from(day, begin, end, pieces[w, 0])
            here[c, w, 0] = line
            for j in range(many):
                while line < end and day[line] < pieces[w, j + 1]:
                    line += 1
                here[c, w, j + 1] = line
        _find_cuts(day, begin, here[c], pieces, cuts[c])


@numba.njit(nogil=True, cache=True)
def _find_cuts(day: Any, begin: int, here: Any, pieces: Any, cuts: Any) -> None:
    """Between which months one year can go on as the other.

    Of a customer who comes by chance, between all. One with a rhythm would come too early or too
    late, unless it was there about as long ago in both years.
    """
    many = pieces.shape[1] - 1
    gaps, total, squares = 0, 0.0, 0.0
    for w in range(2):
        for line in range(here[w, 0] + 1, here[w, many]):
            gap = float(day[line] - day[line - 1])
            if gap > 0:
                gaps += 1
                total += gap
                squares += gap * gap
    if gaps >= FEW:
        mean = total / gaps
        if (squares - total * mean) / (gaps - 1) >= (BY_CHANCE * mean) ** 2:
            return
    else:
        both = pieces[0, many] - pieces[0, 0] + pieces[1, many] - pieces[1, 0]
        mean = float(both) / (gaps + 2)
    for j in range(1, many):
        if here[0, j] == begin or here[1, j] == begin:
            cuts[j] = False
            continue
        age = pieces[0, j] - day[here[0, j] - 1]
        other = pieces[1, j] - day[here[1, j] - 1]
        cuts[j] = abs(age - other) <= NEAR * mean


@numba.njit(nogil=True, cache=True)
def _swap_months(
    lines: Lines, customer: int, how: Rearranging, seed: Any, still: bool, to: Order, at: int
) -> int:
    """One customer's months, each in its own window or in the other; returns the end of them.

    A coin falls for each run of months without a cut between them.
    """
    pieces, day, to_line, to_day = how.pieces, lines.day, to.line, to.day
    here, cuts = how.here[customer], how.cuts[customer]
    many = pieces.shape[1] - 1
    if here[0, 0] == here[0, many] and here[1, 0] == here[1, many]:
        return at
    for w in range(2):
        coins, source = np.uint64(0), w
        for j in range(many):
            if j % 64 == 0:
                coins = _mixed(seed + np.uint64(j // 64))
            if (j == 0 or cuts[j]) and not still:
                coin = (coins >> np.uint64(j % 64)) & np.uint64(1)
                source = 1 - w if coin else w
            first, last = here[source, j], here[source, j + 1]
            if first == last:
                continue
            shift = pieces[w, j] - pieces[source, j]
            if how.whole_weeks and shift != 0:
                shift = 7 * int(np.rint(shift / 7))
            low, high = pieces[w, j], pieces[w, j + 1] - 1
            for line in range(first, last):
                to_line[at] = line
                to_day[at] = min(max(day[line] + shift, low), high)
                at += 1
    return at


@numba.njit(nogil=True, cache=True)
def _other_days(
    lines: Lines, customer: int, how: Rearranging, seed: Any, still: bool, to: Order, at: int
) -> int:
    """One customer's visits of both windows on other days; returns the end of them."""
    pieces, upto = how.pieces, how.upto
    begin, end = lines.start[customer], lines.start[customer + 1]
    first = _first_from(lines.day, begin, end, pieces[0, 0])
    last = _first_from(lines.day, first, end, pieces[1, 1])
    if first == last:
        return at
    starts = np.empty(last - first + 1, np.int64)
    days = np.empty(last - first, np.int64)
    visits = 0
    for line in range(first, last):
        if line == first or lines.day[line] != lines.day[line - 1]:
            starts[visits] = line
            days[visits] = lines.day[line]
            visits += 1
    starts[visits] = last
    if not still and upto[-1] > 0:
        _permute_gaps(days[:visits], how, seed)
    order = np.argsort(days[:visits], kind="mergesort")
    for place in order:
        for line in range(starts[place], starts[place + 1]):
            to.line[at] = line
            to.day[at] = days[place]
            at += 1
    return at


@numba.njit(nogil=True, cache=True)
def _permute_gaps(days: Any, how: Rearranging, seed: Any) -> None:
    """Visits with the same gaps in another order, from another day on, told in visits of everyone.

    The windows' days make a ring, on which each day is as long as everyone has visits on it: so
    season and rhythm stay. Days between the windows have no length, and visits on them stay.
    """
    pieces, upto = how.pieces, how.upto
    begin, whole = pieces[0, 0], upto[-1]
    there = np.empty(len(days), np.int64)
    at = np.empty(len(days), np.float64)
    many = 0
    for place in range(len(days)):
        if _inside(days[place], pieces):
            day = days[place] - begin
            before = upto[day - 1] if day > 0 else 0
            # Somewhere within the day, by the same lot in every draw.
            share = _share(_mixed(np.uint64(days[place]) ^ _mixed(np.uint64(place))))
            at[many] = before + share * (upto[day] - before)
            there[many] = place
            many += 1
    if many == 0:
        return
    gaps = np.empty(many)
    for place in range(many - 1):
        gaps[place] = max(at[place + 1] - at[place], 0.0)
    gaps[many - 1] = max(whole - at[many - 1] + at[0], 0.0)
    for place in range(many - 1, 0, -1):
        other = int(_mixed(seed + np.uint64(place)) % np.uint64(place + 1))
        gaps[place], gaps[other] = gaps[other], gaps[place]
    where = _share(_mixed(seed)) * whole
    for place in range(many):
        where = where % whole
        days[there[place]] = begin + min(
            np.searchsorted(upto, np.int64(where), side="right"), len(upto) - 1
        )
        where += gaps[place]


@numba.njit(nogil=True, cache=True)
def _share(bits: Any) -> float:
    """A number from 0 to 1 of mixed bits."""
    return float(bits >> np.uint64(11)) / 9007199254740992.0


@numba.njit(nogil=True, cache=True)
def _rearrange(
    lines: Lines, first: int, last: int, how: Rearranging, seed: Any, still: Any, to: Order
) -> None:
    at = 0
    for c in range(first, last):
        to.start[c - first] = at
        mine = _mixed(seed ^ _mixed(np.uint64(c)))
        if len(how.upto):
            at = _other_days(lines, c, how, mine, still[c], to, at)
        else:
            at = _swap_months(lines, c, how, mine, still[c], to, at)
    to.start[last - first :] = at


@numba.njit(nogil=True, cache=True)
def _gather(values: Any, line: Any, out: Any) -> None:
    for place in range(len(out)):
        out[place] = values[line[place]]


def lines_rearranged(
    lines: Lines, first: int, last: int, how: Rearranging, seed: int, still: NDArray[np.bool_]
) -> Lines:
    """The lines of customers ``first`` to ``last`` (exclusive) in both windows, rearranged.

    Parameters
    ----------
    seed : int
        Of this draw; the same seed gives a customer the same days, whoever else is looked at.
    still : (n,) bool
        Customers whose lines stay as they are.
    """
    room = int(lines.start[last] - lines.start[first])
    order = Order(
        np.zeros(last - first + 2, np.int64), np.empty(room, np.int64), np.empty(room, np.int32)
    )
    _rearrange(lines, first, last, how, np.uint64(seed), readonly(still), order)
    taken = order.line[: order.start[-1]]

    def rearranged(values: NDArray[Any]) -> NDArray[Any]:
        out = np.empty(len(taken) if len(values) else 0, values.dtype)
        _gather(values, taken, out)
        return readonly(out)

    rest = {name: rearranged(getattr(lines, name)) for name in Lines._fields[2:]}
    return Lines(readonly(order.start), readonly(order.day[: len(taken)]), **rest)
