"""One pass over the lines of a block of customers, for one window or a series of them."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.ledger.lines import NO_COST

__all__ = ["DAYS", "FIXED", "PATTERNS", "SUMS", "day_money", "derive_block", "visits_block"]

#: Sums of one customer and window, in order; those by department, channel … follow.
SUMS = (
    "frequency", "lines", "returned_lines", "unpriced", "monetary", "gross", "early",
    "net_purchases", "margin", "weekend", "on_offer",
)  # fmt: skip
#: Columns that come out first; the shares of each kind follow in the order of their labels.
FIXED = (
    "recency", "frequency", "visit_days", "monetary", "margin", "basket_mean", "basket_median",
    "tenure", "silence", "gap_mean", "gap_cv", "breadth", "evenness", "trend", "returned",
    "weekend", "on_offer",
)  # fmt: skip
#: Why a value is missing; columns that are missing for the same customers share a pattern.
PATTERNS = ("visit", "tenure", "gap", "cv", "trend", "share", "evenness", "margin")
#: Days since 1970-01-01 that sums by day reach to, which is 2189.
DAYS = 80_000
FEW = 32
#: Customers whose results are gathered before they are written, so that each write is a run.
GATHER = 64
SUNDAY = 6
LINES_CHANGE, EARLY_CHANGES = 1, 2
EARLY = SUMS.index("early")
NO_VISIT, TOO_FEW, NOT_GIVEN, JOINED_LATER = 1, 2, 3, 4


@numba.njit(nogil=True, cache=True)
def _arrange(values: Any, first: int, last: int, kept: Any) -> None:
    """Copy ``values[first:last]`` to the front of ``kept`` in rising order."""
    count = last - first
    if count > FEW:
        kept[:count] = values[first:last]
        kept[:count].sort()
        return
    # Most customers have few visits: inserting is quicker than calling a general sort.
    for i in range(count):
        x = values[first + i]
        j = i - 1
        while j >= 0 and kept[j] > x:
            kept[j + 1] = kept[j]
            j -= 1
        kept[j + 1] = x


@numba.njit(nogil=True, cache=True)
def _slide(values: Any, was: int, ended: int, first: int, last: int, kept: Any) -> None:
    """Turn the ordered ``values[was:ended]`` in ``kept`` into those of ``values[first:last]``."""
    changes = (first - was) + (last - ended)
    if changes == 0:
        return
    count = ended - was
    if first >= ended or changes > FEW or changes > count:
        _arrange(values, first, last, kept)
        return
    for place in range(was, first):
        i = np.searchsorted(kept[:count], values[place])
        count -= 1
        while i < count:
            kept[i] = kept[i + 1]
            i += 1
    for place in range(ended, last):
        x = values[place]
        j = count - 1
        while j >= 0 and kept[j] > x:
            kept[j + 1] = kept[j]
            j -= 1
        kept[j + 1] = x
        count += 1


@numba.njit(nogil=True, cache=True)
def _middle(kept: Any, count: int) -> float:
    """Median of the first ``count`` values, which are in order."""
    if count % 2:
        return float(kept[count // 2])
    return (float(kept[count // 2 - 1]) + float(kept[count // 2])) / 2.0


@numba.njit(nogil=True, cache=True)
def _add(sums: Any, slot: int, lo: int, hi: int, value: int) -> None:
    """Add to the windows ``lo`` to ``hi``: told as changes, summed up afterwards."""
    sums[lo, slot] += value
    if hi + 1 < len(sums):
        sums[hi + 1, slot] -= value


@numba.njit(nogil=True, cache=True)
def _read_lines(
    first: int, last: int, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any,
    department: Any, channel: Any, site: Any, bits: Any, cost: Any, rates: Any, mask: int,
    offer: int, end: int, begin: int, spans: Any, season: Any, at: Any,
    sums: Any, touched: Any, bought_on: Any, nets: Any,
) -> tuple[int, int]:  # fmt: skip
    """Lines of one customer into ``sums`` (as changes) and the days and nets of purchases.

    ``touched`` notes the windows where sums change: LINES_CHANGE, EARLY_CHANGES. Returns the
    number of purchases on or after ``begin``, and the day of the first one ever.
    """
    purchases, first_ever = 0, -1
    has_cost = len(cost) > 0
    told = has_cost or len(rates) > 0
    i = first
    while i < last:
        today = day[i]
        if today >= end:
            break
        # One receipt: its lines stand together, all on one day.
        j = i
        net, purchase = 0, False
        lo, hi, early, weekday, in_season = 1, 0, 0, 0, 0
        if today >= begin:
            lo, hi = spans[today - begin, 0], spans[today - begin, 1]
            early = max(lo, spans[today - begin, 2])
            in_season = at[4] + season[today - begin]
            weekday = (today + 3) % 7  # 1970-01-01 was a Thursday
        while j < last and receipt[j] == receipt[i] and day[j] == today:
            if (bits[j] & mask) == 0:
                sale = kind[j] == 0 and quantity[j] > 0
                purchase = purchase or sale
                value = money[j]
                net += value
                if lo <= hi:
                    touched[lo] |= LINES_CHANGE
                    touched[hi + 1] |= LINES_CHANGE
                    _add(sums, 1, lo, hi, 1)
                    if kind[j] == 1:
                        _add(sums, 2, lo, hi, 1)
                    _add(sums, 4, lo, hi, value)
                    d = department[j]
                    if not told:
                        pass
                    elif has_cost and cost[j] != NO_COST:
                        _add(sums, 8, lo, hi, value - cost[j])
                    else:
                        rate = rates[d] if d < len(rates) - 1 else rates[-1]
                        if np.isnan(rate):
                            _add(sums, 3, lo, hi, 1)
                        else:
                            _add(sums, 8, lo, hi, int(np.rint(value * rate)))
                    if sale:
                        _add(sums, 5, lo, hi, value)
                        if early <= hi:
                            touched[early] |= EARLY_CHANGES
                            _add(sums, EARLY, early, hi, value)
                        if weekday >= SUNDAY - 1:
                            _add(sums, 9, lo, hi, value)
                        if bits[j] & offer:
                            _add(sums, 10, lo, hi, value)
                        if 0 <= d < at[1] - at[0]:
                            _add(sums, at[0] + d, lo, hi, value)
                            _add(sums, at[1] + d, lo, hi, 1)
                        if 0 <= channel[j] < at[3] - at[2]:
                            _add(sums, at[2] + channel[j], lo, hi, value)
                        if 0 <= site[j] < at[4] - at[3]:
                            _add(sums, at[3] + site[j], lo, hi, value)
                        if at[5] > at[4]:
                            _add(sums, in_season, lo, hi, value)
                            _add(sums, at[5] + weekday, lo, hi, value)
            j += 1
        if purchase:
            if first_ever < 0:
                first_ever = today
            if lo <= hi:
                _add(sums, 0, lo, hi, 1)
                _add(sums, 7, lo, hi, net)
            if today >= begin:
                bought_on[purchases] = today
                nets[purchases] = net
                purchases += 1
        i = j
    return purchases, first_ever


@numba.njit(nogil=True, cache=True)
def _sum_up(mine: Any, changes: Any, touched: int, first: int, last: int, terms: Any) -> None:
    """Take a window's changes into the sums, and the departments' part of the entropy with them."""
    mine[EARLY] += changes[EARLY]
    changes[EARLY] = 0
    if not touched & LINES_CHANGE:
        return
    for slot in range(len(mine)):
        mine[slot] += changes[slot]
    for slot in range(first, last):
        if changes[slot] != 0:
            spent = mine[slot]
            terms[slot - first] = spent * np.log(spent) if spent > 0 else 0.0
    changes[:] = 0


@numba.njit(nogil=True, cache=True)
def _evenness(sums: Any, first: int, last: int, terms: Any) -> float:
    """Entropy of the spend over departments against the most possible; NaN for none."""
    total, weighted = 0.0, 0.0
    for d in range(first, last):
        if sums[d] > 0:
            total += sums[d]
            weighted += terms[d - first]
    if total <= 0:
        return np.nan
    return max(0.0, (np.log(total) - weighted / total) / np.log(last - first))


@numba.njit(nogil=True, cache=True)
def _write_sums(
    sums: Any, at: Any, unit: float, days: int, basket: float, gap_sum: int, gap_square: int,
    gap_median: float, shares: Any, terms: Any, row: Any, why: Any,
) -> None:  # fmt: skip
    """The columns of one customer and window that only change with what is in the window."""
    frequency, gross = sums[0], sums[5]
    row[1] = frequency
    row[2] = days
    row[3] = sums[4] / unit
    row[4] = np.nan if sums[3] > 0 else sums[8] / unit
    row[5] = sums[7] / frequency / unit
    row[6] = basket / unit
    row[8] = gap_median
    if days >= 2:
        row[9] = gap_sum / (days - 1)
        if days >= 3:
            # Whole numbers throughout, so that equal gaps vary by nothing at all.
            row[10] = np.sqrt(float((days - 1) * gap_square - gap_sum * gap_sum)) / gap_sum
    breadth = 0
    for d in range(at[1], at[2]):
        breadth += sums[d] > 0
    row[11] = breadth
    row[14] = sums[2] / sums[1]
    why[0] = 0
    why[2] = 0 if days >= 2 else TOO_FEW
    why[3] = 0 if days >= 3 else TOO_FEW
    why[5] = 0 if gross > 0 else TOO_FEW
    why[6] = TOO_FEW
    why[7] = NOT_GIVEN if sums[3] > 0 else 0
    if gross > 0:
        if at[1] - at[0] > 1:
            row[12] = _evenness(sums, at[0], at[1], terms)
            why[6] = TOO_FEW if np.isnan(row[12]) else 0
        row[15] = sums[9] / gross
        row[16] = sums[10] / gross
        for k in range(len(shares)):
            row[17 + k] = sums[shares[k]] / gross


@numba.njit(nogil=True, cache=True)
def _write_times(
    sums: Any, last_day: int, since: float, first_day: int, as_of: int, row: Any, why: Any
) -> None:
    """The columns of one customer and window that change with the window's very dates."""
    frequency, gross, tenure = sums[0], sums[5], as_of - since
    row[0] = as_of - last_day
    row[7] = tenure if tenure > 0 else np.nan
    row[13] = np.nan
    why[1] = 0 if tenure > 0 else JOINED_LATER
    why[4] = TOO_FEW
    if frequency >= 3 and tenure >= as_of - first_day:
        half = sums[7] / frequency / 2.0
        early, late = sums[EARLY] + half, gross - sums[EARLY] + half
        if early > 0 and late > 0:
            row[13] = np.log(late / early)
            why[4] = 0


@numba.njit(nogil=True, cache=True)
def derive_block(
    start: Any, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any, department: Any,
    channel: Any, site: Any, bits: Any, cost: Any, rates: Any, joined: Any,
    first_customer: int, last_customer: int, mask: int, offer: int, first_days: Any, as_ofs: Any,
    spans: Any, season: Any, at: Any, shares: Any, unit: float,
    values: Any, reasons: Any, totals: Any, first_ever: Any, everyone: Any,
) -> None:  # fmt: skip
    """Fill the outputs of customers ``first_customer`` to ``last_customer`` (exclusive).

    Parameters
    ----------
    first_days, as_ofs : (W,) int64, both rising; see :class:`derive.Spans`
    spans, season : (days, 3) and (days,), from the first day of all
    at : seven slots where the sums by department, departments' lines, channel, site, season and
        weekday begin, and where all end
    shares : slots that get a column as a share of gross sales
    values : (W, C, n) float64
        NaN before the call. ``silence`` holds the customer's own median gap, ``trend`` its own
        ratio: both want figures of everyone.
    reasons : (W, P, n) uint8, NO_VISIT before the call
    totals : (W, n) int64 money; ``first_ever``: (n,) int64, −1 before the call
    everyone : (W, 4) int64, added to: frequency, gross, early gross, net of purchases
    """
    longest = 0
    for c in range(first_customer, last_customer):
        longest = max(longest, start[c + 1] - start[c])
    windows, begin, end = len(as_ofs), first_days[0], as_ofs[-1]
    bought_on = np.zeros(longest + 1, np.int64)
    nets = np.zeros(longest + 1, np.int64)
    visit_days = np.zeros(longest + 1, np.int64)
    gaps = np.zeros(longest + 1, np.int64)
    baskets = np.zeros(longest + 1, np.int64)
    ordered = np.zeros(longest + 1, np.int64)
    sums = np.zeros((windows, at[6]), np.int64)
    touched = np.zeros(windows + 1, np.uint8)
    mine = np.zeros(at[6], np.int64)
    terms = np.zeros(at[1] - at[0])
    rows = np.empty((windows, GATHER, values.shape[1]))
    why = np.empty((windows, GATHER, reasons.shape[1]), np.uint8)
    for gathered in range(first_customer, last_customer, GATHER):
        upto = min(gathered + GATHER, last_customer)
        rows[:] = np.nan
        why[:] = NO_VISIT
        for c in range(gathered, upto):
            if start[c] == start[c + 1]:
                continue
            mine[:] = 0
            terms[:] = 0
            purchases, ever = _read_lines(
                start[c], start[c + 1], day, receipt, quantity, money, kind, department, channel,
                site, bits, cost, rates, mask, offer, end, begin, spans, season, at,
                sums, touched, bought_on, nets,
            )  # fmt: skip
            first_ever[c] = ever
            distinct = 0
            for p in range(purchases):
                if distinct == 0 or visit_days[distinct - 1] != bought_on[p]:
                    visit_days[distinct] = bought_on[p]
                    if distinct:
                        gaps[distinct - 1] = bought_on[p] - visit_days[distinct - 1]
                    distinct += 1
            since = joined[c] if len(joined) and not np.isnan(joined[c]) else float(ever)
            p0, p1, d0, d1, g0, g1 = 0, 0, 0, 0, 0, 0
            gap_sum, gap_square = 0, 0
            for w in range(windows):
                change = touched[w]
                if change:
                    _sum_up(mine, sums[w], change, at[0], at[1], terms)
                    touched[w] = 0
                totals[w, c] = mine[4]
                if mine[0] == 0:
                    continue
                row, reason = rows[w, c - gathered], why[w, c - gathered]
                q0, q1, e0, e1 = p0, p1, d0, d1
                while q0 < purchases and bought_on[q0] < first_days[w]:
                    q0 += 1
                q1 = max(q1, q0)
                while q1 < purchases and bought_on[q1] < as_ofs[w]:
                    q1 += 1
                if w and not change & LINES_CHANGE and q0 == p0 and q1 == p1:
                    row[:] = rows[w - 1, c - gathered]
                    reason[:] = why[w - 1, c - gathered]
                else:
                    while e0 < distinct and visit_days[e0] < first_days[w]:
                        e0 += 1
                    e1 = max(e1, e0)
                    while e1 < distinct and visit_days[e1] < as_ofs[w]:
                        e1 += 1
                    h0, h1 = e0, max(e0, e1 - 1)
                    for g in range(g0, min(h0, g1)):
                        gap_sum -= gaps[g]
                        gap_square -= gaps[g] * gaps[g]
                    for g in range(max(g1, h0), h1):
                        gap_sum += gaps[g]
                        gap_square += gaps[g] * gaps[g]
                    _slide(nets, p0, p1, q0, q1, baskets)
                    _slide(gaps, g0, g1, h0, h1, ordered)
                    p0, p1, d0, d1, g0, g1 = q0, q1, e0, e1, h0, h1
                    days = e1 - e0
                    _write_sums(
                        mine, at, unit, days, _middle(baskets, q1 - q0), gap_sum, gap_square,
                        _middle(ordered, days - 1) if days >= 3 else np.nan, shares, terms, row,
                        reason,
                    )  # fmt: skip
                _write_times(mine, visit_days[d1 - 1], since, first_days[w], as_ofs[w], row, reason)
                everyone[w, 0] += mine[0]
                everyone[w, 1] += mine[5]
                everyone[w, 2] += mine[EARLY]
                everyone[w, 3] += mine[7]
            touched[windows] = 0
        for w in range(windows):
            values[w, :, gathered:upto] = rows[w, : upto - gathered].T
            reasons[w, :, gathered:upto] = why[w, : upto - gathered].T


@numba.njit(nogil=True, cache=True)
def day_money(day: Any, bits: Any, money: Any, mask: int, first: int, last: int, out: Any) -> None:
    """Lines and money of ``first`` to ``last`` that count, by day: (DAYS, 2) int64, added to."""
    for i in range(first, last):
        if (bits[i] & mask) == 0 and 0 <= day[i] < len(out):
            out[day[i], 0] += 1
            out[day[i], 1] += money[i]


@numba.njit(nogil=True, cache=True)
def visits_block(
    start: Any, day: Any, quantity: Any, kind: Any, bits: Any, mask: int,
    first_day: int, as_of: int, first_customer: int, last_customer: int, out: Any,
) -> None:  # fmt: skip
    """Days with a purchase from ``first_day`` and before ``as_of``: (n, 3) int64 how many, the
    first, the last."""
    for c in range(first_customer, last_customer):
        for i in range(start[c], start[c + 1]):
            if day[i] < first_day or day[i] >= as_of or (bits[i] & mask) != 0:
                continue
            if kind[i] == 0 and quantity[i] > 0:
                if out[c, 0] == 0:
                    out[c, 1] = day[i]
                if out[c, 0] == 0 or out[c, 2] != day[i]:
                    out[c, 0] += 1
                    out[c, 2] = day[i]
