"""Where everything stands in the arrays that the kernels pass on."""

from __future__ import annotations

from enum import IntEnum
from typing import Any, NamedTuple

__all__ = [
    "EARLY_CHANGES", "FIXED", "GATHER", "LINES_CHANGE", "SUMS_OF_EVERYONE", "Everyone", "Figure",
    "Places", "Results", "Sum", "Wanted", "Windows",
]  # fmt: skip


class Sum(IntEnum):
    """Sums of one customer and window; those by department, channel … follow: see Places."""

    PURCHASES = 0
    LINES = 1
    RETURNED_LINES = 2
    UNPRICED_LINES = 3
    MONEY = 4
    GROSS = 5
    EARLY_GROSS = 6
    #: Money of receipts that are purchases, returns on them included.
    MONEY_OF_PURCHASES = 7
    MARGIN = 8
    WEEKEND_GROSS = 9
    OFFER_GROSS = 10


class Figure(IntEnum):
    """Columns that come out first; the shares of each kind follow in the order of their labels."""

    RECENCY = 0
    FREQUENCY = 1
    VISIT_DAYS = 2
    MONETARY = 3
    MARGIN = 4
    BASKET_MEAN = 5
    BASKET_MEDIAN = 6
    TENURE = 7
    SILENCE = 8
    GAP_MEAN = 9
    GAP_CV = 10
    BREADTH = 11
    EVENNESS = 12
    TREND = 13
    RETURNED = 14
    WEEKEND = 15
    ON_OFFER = 16


class Everyone(IntEnum):
    """What is summed up over everyone in a window."""

    FREQUENCY = 0
    GROSS = 1
    EARLY_GROSS = 2
    MONEY_OF_PURCHASES = 3
    MONEY = 4
    #: Money of those with a purchase: the rows of the table.
    TABLE = 5


#: Names of the columns that come out first.
FIXED = tuple(figure.name.lower() for figure in Figure)
SUMS_OF_EVERYONE = len(Everyone)
#: Customers whose results are gathered before they are written, so that each write is a run.
GATHER = 256
#: What a window can say about a customer: lines enter or leave it, or its early half only.
LINES_CHANGE, EARLY_CHANGES = 1, 2


class Places(NamedTuple):
    """Where the sums by department (money, then lines), channel, site, season and weekday begin,
    and where all end."""

    departments: int
    department_lines: int
    channels: int
    sites: int
    seasons: int
    weekdays: int
    end: int


class Windows(NamedTuple):
    """The windows of a series; see :class:`window.Spans`.

    ``first_days``, ``as_ofs``: (W,) int64, both rising; ``of_day``, ``season``: (days, 3) and
    (days,), from the first day of all.
    """

    first_days: Any
    as_ofs: Any
    of_day: Any
    season: Any


class Wanted(NamedTuple):
    """What counts, and what is asked for.

    ``mask``: bits of the rules that are on; ``offer``: the bit of lines sold on offer; ``rates``:
    what of a department's sales is margin, empty where nothing tells; ``joined``: (n,) days, or
    empty; ``unit``: of money; ``at``: where sums stand; ``columns``: numbers of the columns that
    are wanted, the others are left as they are; ``shares``: sums that get a column as a share of
    gross sales.
    """

    mask: int
    offer: int
    rates: Any
    joined: Any
    unit: float
    at: Places
    columns: Any
    shares: Any


class Results(NamedTuple):
    """What a pass fills in, of all customers and of one block.

    ``values``: (W, C, n) float64, where ``silence`` holds the customer's own median gap and
    ``trend`` its own ratio, for both want figures of everyone; ``money``: (W, n) int64;
    ``first_ever``: (n,) int64, −1 before; ``everyone``: (W, E) int64, 0 before, see
    :class:`Everyone`; ``rhythms``: (W, 2·days) int32, 0 before: how many customers have which
    median gap, in half days.
    """

    values: Any
    money: Any
    first_ever: Any
    everyone: Any
    rhythms: Any
