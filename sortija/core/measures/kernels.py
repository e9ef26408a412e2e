"""One pass over the lines of a block of customers."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

__all__ = ["COUNTS", "FIGURES", "SUMS", "derive_block"]

#: Columns of the kernel's three outputs, in order.
COUNTS = ("frequency", "days", "departments", "lines", "returned_lines", "last_day", "first_ever")
SUMS = ("monetary", "gross", "early", "late", "weekend", "net_purchases")
FIGURES = ("basket_median", "gap_mean", "gap_median", "gap_cv")


@numba.njit(nogil=True, cache=True)
def _median(values: Any, count: int) -> float:
    """Median of the first ``count`` values, which are sorted in place."""
    part = values[:count]
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
    department: Any, channel: Any, season_of_day: Any, bits: Any,
    first_customer: int, last_customer: int, mask: int, first_day: int, as_of: int,
    counts: Any, sums: Any, figures: Any, by_department: Any, by_channel: Any, by_season: Any,
) -> None:  # fmt: skip
    """Fill the outputs of customers ``first_customer`` to ``last_customer`` (exclusive).

    ``counts`` int64, ``sums`` int64 money and ``figures`` float64 (NaN before the call) have the
    columns named above; the three ``by_…`` arrays collect gross kept sales. ``season_of_day``
    maps a day minus ``first_day`` to 0..3. Days outside the window only touch ``first_ever``.
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
                        if sale:
                            sums[c, 1] += money[j]
                            if day[j] < middle:
                                sums[c, 2] += money[j]
                            else:
                                sums[c, 3] += money[j]
                            if (day[j] + 3) % 7 >= 5:  # 1970-01-01 was a Thursday
                                sums[c, 4] += money[j]
                            d = department[j]
                            if d >= 0:
                                by_department[c, d] += money[j]
                                if not seen[d]:
                                    seen[d] = True
                                    counts[c, 2] += 1
                            if channel[j] >= 0:
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
