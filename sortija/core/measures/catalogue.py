"""The measures: name, unit, definition in words, role in a grouping."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

__all__ = [
    "ADDS_UP",
    "AGEING",
    "FAMILIES",
    "GONE_SILENT",
    "MEASURES",
    "SEASONS",
    "WEEKDAYS",
    "Measure",
    "Role",
    "describe_share",
    "span_of",
]

Role = Literal["shapes", "describes", "out"]
#: What measures are told under, in this order.
FAMILIES = (
    "visits", "money", "rhythm", "breadth", "expected", "own", "traits", "offers", "season",
    "weekday", "department", "channel", "site",
)  # fmt: skip


@dataclass(frozen=True)
class Measure:
    """``role`` is what is proposed; ``higher_is_better`` sets the direction of its bands.

    ``whole``: values are whole numbers. ``by_definition``: it is missing for whoever it does not
    apply to, so that a fill would make something up. ``because``: why the role is proposed, where
    that is not plain. ``ranking``: what to know before anybody is ranked by it.
    """

    name: str
    label: str
    unit: str
    definition: str
    role: Role = "describes"
    higher_is_better: bool = True
    family: str = "visits"
    whole: bool = False
    by_definition: bool = False
    because: str = ""
    ranking: str = ""


#: Measures whose values of several customers make a sum that means something.
ADDS_UP = frozenset({"frequency", "visit_days", "monetary", "margin", "expected"})

#: Who has been away longer than so many of the own usual gaps has gone silent.
GONE_SILENT = 3

#: Why what counts from a fixed day on is only described.
AGEING = (
    "It grows by itself: by the next date everybody has more of it. If it shaped groups, customers "
    "would change groups by waiting."
)

MEASURES = {
    m.name: m
    for m in (
        Measure("recency", "Days since last visit", "days",
                "Days from the last purchase to the end of the window; a purchase on the last "
                "day counts as 1.", "shapes", False, whole=True),
        Measure("frequency", "Visits", "visits",
                "Purchases in the window: receipts with at least one kept sale, not lines.",
                "shapes", whole=True),
        Measure("visit_days", "Visit days", "days",
                "Distinct days with a purchase in the window; several receipts on one day are "
                "one.", whole=True),
        Measure("tenure", "Time as member", "days",
                "Days from joining, or from the first purchase ever, to the end of the window. "
                "At least so long where the first purchase lies within 90 days of the log's "
                "start and no joining date is known.",
                whole=True, because=AGEING),
        Measure("monetary", "Spend", "money", "Sales less returns in the window.", "shapes",
                family="money"),
        Measure("margin", "Gross margin", "money",
                "Sales less returns, less what the goods cost: by the cost of each line, else by "
                "the department's rate. Not known where a line has neither.", family="money"),
        Measure("basket_mean", "Basket, mean", "money", "Mean net total of the purchases.",
                family="money"),
        Measure("basket_median", "Basket, typical", "money",
                "Median net total of the purchases.", "shapes", family="money"),
        Measure("trend", "Trend", "log ratio",
                "How spend moved from the first half of the window to the second, against all "
                "customers; needs 3 purchases and membership for the whole window.",
                family="money", by_definition=True),
        Measure("returned", "Lines returned", "share", "Share of kept lines that are returns.",
                "describes", False, "money"),
        Measure("on_offer", "On offer", "share",
                "Share of gross sales that the file marks as sold on offer.", family="money"),
        Measure("silence", "Silence", "times",
                "Days since the last visit against the customer's own usual gap (at least 14 "
                "days; the base's usual gap below 3 visit days). Above 3: gone silent.",
                "describes", False, "rhythm"),
        Measure("gap_mean", "Gap between visits", "days",
                "Mean days between distinct visit days; needs 2 of them.", "describes", False,
                "rhythm", by_definition=True),
        Measure("gap_cv", "Unevenness of gaps", "times",
                "Coefficient of variation of the gaps; needs 3 visit days.", "describes", False,
                "rhythm", by_definition=True),
        Measure("weekend", "Weekend", "share", "Share of gross sales on Saturday and Sunday.",
                family="rhythm"),
        Measure("breadth", "Departments visited", "departments",
                "Distinct departments bought from in the window.", "shapes", family="breadth",
                whole=True),
        Measure("evenness", "Evenness over departments", "share",
                "Shannon entropy of spend over departments against the most possible; "
                "0 with a single one.", family="breadth"),
        Measure("expected", "Visits expected", "visits",
                "Visit days expected in the 3 months after the window, by a model of how often "
                "customers come and when they stop (beta-geometric and Poisson).",
                family="expected"),
        Measure("active", "Chance still active", "share",
                "The same model's chance that the customer has not stopped coming. Of a single "
                "visit the model can tell nothing: whoever came once only has 1, so do not rank "
                "by it without looking at visits too.",
                family="expected", ranking="1 for whoever came once"),
        Measure("offers_used", "Offers used", "share",
                "Share of the offers received that were used; missing for whoever received none.",
                family="offers", by_definition=True),
    )
}  # fmt: skip

SEASONS = ("Winter", "Spring", "Summer", "Autumn")
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_SPANS = {
    "Winter": "winter (Dec to Feb)", "Spring": "spring (Mar to May)",
    "Summer": "summer (Jun to Aug)", "Autumn": "autumn (Sep to Nov)",
}  # fmt: skip


def span_of(season: str) -> str:
    """A season with its months: "spring (Mar to May)".

    >>> span_of("Spring")
    'spring (Mar to May)'
    """
    return _SPANS.get(season, season)


def describe_share(name: str, kind: str, label: str) -> Measure:
    """The measure for one department, channel, site, season or weekday.

    >>> describe_share("share_department_seeds", "department", "Seeds").label
    'Seeds, share'
    """
    words = {
        "department": f"in {label}",
        "channel": f"through {label}",
        "site": f"at {label}",
        "season": f"in {span_of(label)}",
        "weekday": f"on {label}s",
    }[kind]
    return Measure(name, f"{label}, share", "share", f"Share of gross sales {words}.", family=kind)
