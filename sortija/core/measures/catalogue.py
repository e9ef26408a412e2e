"""The measures: name, unit, definition in words, role in a grouping."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

__all__ = ["MEASURES", "Measure", "Role", "describe_share"]

Role = Literal["shapes", "describes", "out"]


@dataclass(frozen=True)
class Measure:
    """``role`` is what is proposed; ``higher_is_better`` sets the direction of its bands."""

    name: str
    label: str
    unit: str
    definition: str
    role: Role = "describes"
    higher_is_better: bool = True


MEASURES = {
    m.name: m
    for m in (
        Measure("recency", "Days since last visit", "days",
                "Days from the last purchase to the end of the window; a purchase on the last "
                "day counts as 1.", "shapes", False),
        Measure("frequency", "Visits", "visits",
                "Purchases in the window: receipts with at least one kept sale, not lines.",
                "shapes"),
        Measure("monetary", "Spend", "money", "Sales less returns in the window.", "shapes"),
        Measure("margin", "Gross margin", "money",
                "Sales less returns, less what the goods cost: by the cost of each line, else by "
                "the department's rate. Not known where a line has neither."),
        Measure("basket_mean", "Basket, mean", "money", "Mean net total of the purchases."),
        Measure("basket_median", "Basket, typical", "money",
                "Median net total of the purchases.", "shapes"),
        Measure("tenure", "Time as member", "days",
                "Days from joining, or from the first purchase ever, to the end of the window.",
                "shapes"),
        Measure("silence", "Silence", "times",
                "Days since the last visit against the customer's own usual gap (at least 14 "
                "days; the base's usual gap below 3 visit days). Above 3: gone silent.",
                "describes", False),
        Measure("gap_mean", "Gap between visits", "days",
                "Mean days between distinct visit days; needs 2 of them.", "describes", False),
        Measure("gap_cv", "Unevenness of gaps", "times",
                "Coefficient of variation of the gaps; needs 3 visit days.", "describes", False),
        Measure("breadth", "Departments visited", "departments",
                "Distinct departments bought from in the window.", "shapes"),
        Measure("evenness", "Evenness over departments", "share",
                "Shannon entropy of spend over departments against the most possible; "
                "0 with a single one."),
        Measure("trend", "Trend", "log ratio",
                "How spend moved from the first half of the window to the second, against all "
                "customers; needs 3 purchases and membership for the whole window."),
        Measure("returned", "Lines returned", "share", "Share of kept lines that are returns.",
                "describes", False),
        Measure("weekend", "Weekend", "share", "Share of gross sales on Saturday and Sunday."),
    )
}  # fmt: skip

SEASONS = ("Winter", "Spring", "Summer", "Autumn")


def describe_share(name: str, kind: str, label: str) -> Measure:
    """The measure for one department, channel or season."""
    words = {
        "department": f"Share of gross sales in {label}.",
        "channel": f"Share of gross sales through {label}.",
        "season": f"Share of gross sales in {label.lower()}"
        + {"Winter": " (Dec to Feb).", "Spring": " (Mar to May).",
           "Summer": " (Jun to Aug).", "Autumn": " (Sep to Nov)."}.get(label, "."),
    }  # fmt: skip
    return Measure(name, f"{label}, share", "share", words[kind])
