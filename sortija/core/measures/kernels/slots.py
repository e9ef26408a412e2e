"""Where everything stands in the arrays that the kernels pass on."""

from __future__ import annotations

__all__ = [
    "EARLY", "EARLY_CHANGES", "EVERYONE", "FIXED", "FREQUENCY", "GATHER", "JOINED_LATER",
    "LINES_CHANGE", "NOT_GIVEN", "NO_VISIT", "PATTERNS", "RECENCY", "SUMS", "TENURE", "TOO_FEW",
    "TREND",
]  # fmt: skip

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
#: What is summed up over everyone in a window; ``table`` is the money of those with a purchase.
EVERYONE = ("frequency", "gross", "early", "net_purchases", "money", "table")
#: Customers whose results are gathered before they are written, so that each write is a run.
GATHER = 256
#: What a window can say about a customer: lines enter or leave it, or its early half only.
LINES_CHANGE, EARLY_CHANGES = 1, 2
EARLY = SUMS.index("early")
RECENCY, FREQUENCY, TENURE, TREND = (
    FIXED.index(name) for name in ("recency", "frequency", "tenure", "trend")
)
#: Reasons for a missing value.
NO_VISIT, TOO_FEW, NOT_GIVEN, JOINED_LATER = 1, 2, 3, 4
