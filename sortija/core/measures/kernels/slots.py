"""Where everything stands in the arrays that the kernels pass on."""

from __future__ import annotations

__all__ = [
    "BASKET_MEAN", "BASKET_MEDIAN", "BREADTH", "EARLY_CHANGES", "EVENNESS", "EVERYONE", "FIXED",
    "FREQUENCY", "GAP_CV", "GAP_MEAN", "GATHER", "LINES_CHANGE", "MARGIN", "MONETARY",
    "ON_OFFER", "RECENCY", "RETURNED", "SILENCE", "SUMS", "SUM_EARLY", "SUM_GROSS", "SUM_LINES",
    "SUM_MARGIN", "SUM_MONEY", "SUM_NET", "SUM_OFFER", "SUM_PURCHASES", "SUM_RETURNED",
    "SUM_UNPRICED", "SUM_WEEKEND", "TENURE", "TREND", "VISIT_DAYS", "WEEKEND",
]  # fmt: skip

#: Sums of one customer and window, in order; those by department, channel … follow.
SUMS = (
    "purchases", "lines", "returned_lines", "unpriced_lines", "money", "gross", "early_gross",
    "net_of_purchases", "margin", "weekend_gross", "offer_gross",
)  # fmt: skip
#: Columns that come out first; the shares of each kind follow in the order of their labels.
FIXED = (
    "recency", "frequency", "visit_days", "monetary", "margin", "basket_mean", "basket_median",
    "tenure", "silence", "gap_mean", "gap_cv", "breadth", "evenness", "trend", "returned",
    "weekend", "on_offer",
)  # fmt: skip
#: What is summed up over everyone in a window; ``table`` is the money of those with a purchase.
EVERYONE = ("frequency", "gross", "early", "net_purchases", "money", "table")
#: Customers whose results are gathered before they are written, so that each write is a run.
GATHER = 256
#: What a window can say about a customer: lines enter or leave it, or its early half only.
LINES_CHANGE, EARLY_CHANGES = 1, 2
(
    SUM_PURCHASES, SUM_LINES, SUM_RETURNED, SUM_UNPRICED, SUM_MONEY, SUM_GROSS, SUM_EARLY, SUM_NET,
    SUM_MARGIN, SUM_WEEKEND, SUM_OFFER,
) = range(len(SUMS))  # fmt: skip
(
    RECENCY, FREQUENCY, VISIT_DAYS, MONETARY, MARGIN, BASKET_MEAN, BASKET_MEDIAN, TENURE, SILENCE,
    GAP_MEAN, GAP_CV, BREADTH, EVENNESS, TREND, RETURNED, WEEKEND, ON_OFFER,
) = range(len(FIXED))  # fmt: skip
