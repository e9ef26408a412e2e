"""One pass over the lines of a block of customers."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sortija.core.ledger.lines import NO_COST

__all__ = [
    "COUNTS",
    "FIGURES",
    "SUMS",
    "derive_block",
    "evenness_block",
    "finish",
    "shares_block",
    "window_money",
]

#: Columns of the kernel's three outputs, in order.
COUNTS = (
    "frequency", "days", "departments", "lines", "returned_lines", "last_day", "first_ever",
    "unpriced",
)  # fmt: skip
SUMS = ("monetary", "gross", "early", "late", "weekend", "net_purchases", "margin")
FEW = 32
FIGURES = ("basket_median", "gap_mean", "gap_median", "gap_cv")


@numba.njit(nogil=True, cache=True)
def _median(values: Any, count: int) -> float:
    """Median of the first ``count`` values, which are sorted in place."""
    part = values[:count]
    if count <= FEW:
        # Most customers have few visits: inserting is quicker than calling a general sort.
        for i in range(1, count):
            x = part[i]
            j = i - 1
            while j >= 0 and part[j] > x:
                part[j + 1] = part[j]
                j -= 1
            part[j + 1] = x
    else:
        part.sort()
    if count % 2:
        return float(part[count // 2])
    return (float(part[count // 2 - 1]) + float(part[count // 2])) / 2.0


@numba.njit(nogil=True, cache=True)
def _gaps(days: Any, count: int, scratch: Any, out: Any) -> None:
    """Mean, median and coefficient of variation of the gaps between distinct days."""
    if count < 2:
        return
    gaps = count - 1
    total = 0.0
    for i in range(gaps):
        scratch[i] = days[i + 1] - days[i]
        total += scratch[i]
    mean = total / gaps
    out[1] = mean
    if gaps >= 2:
        square = 0.0
        for i in range(gaps):
            square += (scratch[i] - mean) ** 2
        out[3] = np.sqrt(square / gaps) / mean
    out[2] = _median(scratch, gaps)


@numba.njit(nogil=True, cache=True)
def derive_block(
    start: Any, day: Any, receipt: Any, quantity: Any, money: Any, kind: Any,
    department: Any, channel: Any, season_of_day: Any, bits: Any, cost: Any, rates: Any,
    first_customer: int, last_customer: int, mask: int, first_day: int, as_of: int,
    counts: Any, sums: Any, figures: Any, by_department: Any, by_channel: Any, by_season: Any,
) -> None:  # fmt: skip
    """Fill the outputs of customers ``first_customer`` to ``last_customer`` (exclusive).

    ``counts`` int64, ``sums`` int64 money and ``figures`` float64 (NaN before the call) have the
    columns named above; the three ``by_…`` arrays collect gross kept sales. ``season_of_day``
    maps a day minus ``first_day`` to 0..3. ``cost`` is empty where no file tells costs, and the
    last of ``rates`` (NaN: none) is for lines without a department. Days outside the window only
    touch ``first_ever``.
    """
    longest = 0
    for c in range(first_customer, last_customer):
        longest = max(longest, start[c + 1] - start[c])
    visit_days = np.zeros(longest + 1, np.int64)
    scratch = np.zeros(longest + 1, np.float64)
    baskets = np.zeros(longest + 1, np.float64)
    seen = np.zeros(by_department.shape[1] + 1, np.bool_)
    middle = first_day + (as_of - first_day) // 2
    for c in range(first_customer, last_customer):
        counts[c, 5] = -1
        counts[c, 6] = -1
        seen[:] = False
        distinct_days = 0
        i = start[c]
        while i < start[c + 1]:
            # One receipt: its lines stand together, all on one day.
            j = i
            net, purchase = 0, False
            inside = day[i] >= first_day and day[i] < as_of
            while j < start[c + 1] and receipt[j] == receipt[i] and day[j] == day[i]:
                if (bits[j] & mask) == 0 and day[j] < as_of:
                    sale = kind[j] == 0 and quantity[j] > 0
                    purchase = purchase or sale
                    net += money[j]
                    if inside:
                        counts[c, 3] += 1
                        counts[c, 4] += kind[j] == 1
                        sums[c, 0] += money[j]
                        d = department[j]
                        rate = rates[d] if d < len(rates) - 1 else rates[-1]
                        if len(cost) and cost[j] != NO_COST:
                            sums[c, 6] += money[j] - cost[j]
                        elif np.isnan(rate):
                            counts[c, 7] += 1
                        else:
                            sums[c, 6] += int(np.rint(money[j] * rate))
                        if sale:
                            sums[c, 1] += money[j]
                            if day[j] < middle:
                                sums[c, 2] += money[j]
                            else:
                                sums[c, 3] += money[j]
                            if (day[j] + 3) % 7 >= 5:  # 1970-01-01 was a Thursday
                                sums[c, 4] += money[j]
                            if 0 <= d < by_department.shape[1]:
                                by_department[c, d] += money[j]
                                if not seen[d]:
                                    seen[d] = True
                                    counts[c, 2] += 1
                            if 0 <= channel[j] < by_channel.shape[1]:
                                by_channel[c, channel[j]] += money[j]
                            by_season[c, season_of_day[day[j] - first_day]] += money[j]
                j += 1
            if purchase:
                if counts[c, 6] < 0:
                    counts[c, 6] = day[i]
                if inside:
                    baskets[counts[c, 0]] = net
                    counts[c, 0] += 1
                    sums[c, 5] += net
                    counts[c, 5] = day[i]
                    if distinct_days == 0 or visit_days[distinct_days - 1] != day[i]:
                        visit_days[distinct_days] = day[i]
                        distinct_days += 1
            i = j
        counts[c, 1] = distinct_days
        if counts[c, 0] > 0:
            figures[c, 0] = _median(baskets, counts[c, 0])
        _gaps(visit_days, distinct_days, scratch, figures[c])


@numba.njit(nogil=True, cache=True)
def finish(values: Any, present: Any, otherwise: int, absent: int, reasons: Any) -> None:
    """Make values missing where nobody is present, and write each missing value's reason."""
    for i in range(len(values)):
        if not present[i]:
            values[i] = np.nan
            reasons[i] = absent
        else:
            reasons[i] = otherwise if np.isnan(values[i]) else 0


@numba.njit(nogil=True, cache=True)
def shares_block(
    parts: Any, whole: Any, present: Any, otherwise: int, absent: int,
    first: int, last: int, values: Any, reasons: Any,
) -> None:  # fmt: skip
    """Shares of customers ``first`` to ``last``: ``parts`` (n, K) over ``whole`` (n,).

    Fills ``values`` (K, n) and ``reasons`` (K, n); a share of nothing is missing.
    """
    for i in range(first, last):
        some = present[i] and whole[i] > 0
        why = absent if not present[i] else otherwise
        for j in range(parts.shape[1]):
            values[j, i] = parts[i, j] / whole[i] if some else np.nan
            reasons[j, i] = 0 if some else why


@numba.njit(nogil=True, cache=True)
def evenness_block(parts: Any, first: int, last: int, values: Any) -> None:
    """Entropy of each row of ``parts`` (n, K) against ln K; NaN for a row of nothing."""
    most = np.log(parts.shape[1])
    for i in range(first, last):
        total = 0.0
        for j in range(parts.shape[1]):
            total += max(parts[i, j], 0)
        if total <= 0:
            values[i] = np.nan
            continue
        entropy = 0.0
        for j in range(parts.shape[1]):
            if parts[i, j] > 0:
                share = parts[i, j] / total
                entropy -= share * np.log(share)
        values[i] = entropy / most


@numba.njit(nogil=True, cache=True)
def window_money(
    day: Any, bits: Any, money: Any, mask: int, first_day: int, as_of: int, first: int, last: int
) -> int:
    """Money of the lines ``first`` to ``last`` that count within the window."""
    total = 0
    for i in range(first, last):
        if (bits[i] & mask) == 0 and day[i] >= first_day and day[i] < as_of:
            total += money[i]
    return total
