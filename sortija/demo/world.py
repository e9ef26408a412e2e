"""The fixed facts of Marrowmere: its nurseries, goods, member archetypes and calendar."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

__all__ = [
    "ARCHETYPES",
    "DEPARTMENTS",
    "FIRST_MONTH",
    "GARDENS",
    "HARD_WINTER",
    "ITEMS",
    "JOINED_THROUGH",
    "MONTHS",
    "OPENED_MONTH",
    "PLANS",
    "QUARTERS",
    "QUIET",
    "RENAMED",
    "RENAMED_FROM",
    "SITES",
    "Archetype",
    "Item",
    "first_day",
]

FIRST_MONTH = np.datetime64("2024-01", "M")
MONTHS = 30


def first_day(month: int) -> int:
    """Days from the log's first day to the first day of its month number ``month``."""
    return int(((FIRST_MONTH + month).astype("M8[D]") - FIRST_MONTH.astype("M8[D]")).astype(int))


QUARTERS = MONTHS // 3
HARD_WINTER = (8, 9)  # the quarters Jan-Mar 2026 and the one before it ends in

SITES = ("Alderbrook", "Bramley Cross", "Coldwater", "Dunmere", "Eastholt", "Fenwick Green")
OPENED_MONTH = (0, 0, 0, 0, 0, 15)  # Fenwick Green opens half-way

DEPARTMENTS = (
    "Perennials",
    "Bulbs",
    "Seeds",
    "Shrubs and trees",
    "Pots",
    "Compost and soil",
    "Tools",
    "Landscaping",
    "Workshops",
    "Tea room",
)
RENAMED = {"Pots": "Pots and planters"}  # from month 15 on
RENAMED_FROM = 15

GARDENS = ("yard", "balcony", "allotment", "not known")
JOINED_THROUGH = ("till", "web", "workshop", "a friend")
PLANS = ("card", "plus", "none")


@dataclass(frozen=True)
class Item:
    """One article: ``price`` in pence."""

    code: str
    name: str
    department: int
    price: int


def _items() -> tuple[Item, ...]:
    kinds = {
        0: ("Aster", "Geum", "Salvia", "Hosta", "Phlox", "Lupin", "Astrantia", "Nepeta"),
        1: ("Tulip", "Crocus", "Narcissus", "Allium", "Snowdrop", "Iris", "Fritillary", "Lily"),
        2: ("Radish", "Beet", "Chard", "Lettuce", "Pea", "Marigold", "Cosmos", "Carrot"),
        3: ("Hazel", "Quince", "Viburnum", "Apple", "Dogwood", "Holly", "Plum", "Elder"),
        4: ("Clay pot", "Glazed bowl", "Trough", "Saucer", "Urn", "Hanging pot", "Box", "Tray"),
        5: ("Compost 40 l", "Leaf mould", "Grit", "Bark", "Loam", "Manure", "Lime", "Feed"),
        6: ("Trowel", "Spade", "Secateurs", "Rake", "Hoe", "Gloves", "Twine", "Sieve"),
        7: ("Paving", "Edging", "Arch", "Bench", "Pond liner", "Gravel ton", "Fence panel", "Gate"),
        8: (
            "Pruning class",
            "Seed day",
            "Wreaths",
            "Soil class",
            "Grafting",
            "Bees",
            "Dyes",
            "Jam",
        ),
        9: ("Tea", "Scone", "Soup", "Cake", "Cordial", "Toast", "Salad", "Coffee"),
    }
    base = (520, 430, 260, 1850, 990, 720, 1480, 11200, 2600, 420)
    items = []
    for department, names in kinds.items():
        for position, name in enumerate(names):
            price = int(base[department] * (0.7 + 0.09 * position)) // 10 * 10 + 9
            code = f"{department + 1:02d}{position + 1:03d}"
            items.append(Item(code, name, department, price))
    return tuple(items)


ITEMS = _items()


@dataclass(frozen=True)
class Archetype:
    """How one kind of member behaves.

    ``visits``: purchases a year; ``season``: relative weight of each calendar month;
    ``rhythm``: ``"even"`` (a steady beat), ``"burst"`` (all of a quarter in ten days) or
    ``"random"``; ``departments``: relative weight of each department; ``lines`` and ``quantity``:
    mean lines per visit and mean pieces a line beyond the first; then the shares of the traits.
    """

    name: str
    share: float
    visits: float
    season: tuple[float, ...]
    rhythm: str
    departments: tuple[float, ...]
    lines: float
    quantity: float
    garden: tuple[float, ...]
    joined: tuple[float, ...]
    plan: tuple[float, ...]
    web: float


_EVEN = (0.8, 0.8, 1.1, 1.2, 1.2, 1.1, 1.0, 1.0, 1.0, 1.1, 0.9, 0.8)
_SPRING = (0.05, 0.15, 2.6, 4.2, 3.6, 0.6, 0.2, 0.15, 0.2, 0.15, 0.05, 0.05)
_FLAT = (1.0,) * 12
_PAIR_GOODS = (3, 1, 3, 0.2, 2, 2, 0.5, 0, 0, 0.3)
_BEAT_GOODS = (1, 0.5, 0.3, 2.2, 1, 2, 1, 0, 0, 0.4)

ARCHETYPES = (
    Archetype(
        "steady", 0.08, 21.0, _EVEN, "random", (3, 0.6, 2, 0.2, 1, 2, 1, 0, 0, 4), 1.5, 0.3,
        (0.70, 0.08, 0.18, 0.04), (0.80, 0.08, 0.06, 0.06), (0.3, 0.68, 0.02), 0.05,
    ),
    Archetype(
        "spring", 0.16, 6.6, _SPRING, "random", (5, 0.5, 2, 1, 1.5, 3.5, 0.6, 0, 0, 0.2), 2.1, 0.9,
        (0.90, 0.03, 0.03, 0.04), (0.72, 0.12, 0.04, 0.12), (0.9, 0.06, 0.04), 0.06,
    ),
    Archetype(
        "workshop", 0.07, 10.5, _EVEN, "random", (0.7, 0.3, 0.7, 0.2, 0.3, 0.4, 1, 0, 6, 2),
        1.35, 0.1,
        (0.40, 0.35, 0.20, 0.05), (0.06, 0.08, 0.84, 0.02), (0.2, 0.78, 0.02), 0.10,
    ),
    Archetype(
        "project", 0.12, 2.6, _FLAT, "random", (0.3, 0, 0, 2, 0.5, 0.6, 0.8, 7, 0, 0.1), 2.2, 1.2,
        (0.92, 0.01, 0.03, 0.04), (0.45, 0.45, 0.02, 0.08), (0.7, 0.05, 0.25), 0.30,
    ),
    Archetype(  # balcony and allotment differ only in their categories
        "balcony", 0.13, 6.2, _EVEN, "random", _PAIR_GOODS, 1.5, 0.3,
        (0.01, 0.96, 0.01, 0.02), (0.04, 0.92, 0.03, 0.01), (0.12, 0.05, 0.83), 0.25,
    ),
    Archetype(
        "allotment", 0.10, 6.2, _EVEN, "random", _PAIR_GOODS, 1.5, 0.3,
        (0.01, 0.01, 0.96, 0.02), (0.06, 0.02, 0.02, 0.90), (0.86, 0.12, 0.02), 0.25,
    ),
    Archetype(  # beat and burst differ only in their rhythm
        "beat", 0.06, 12.0, _FLAT, "even", _BEAT_GOODS, 1.5, 0.5,
        (0.85, 0.04, 0.07, 0.04), (0.75, 0.15, 0.02, 0.08), (0.3, 0.65, 0.05), 0.10,
    ),
    Archetype(
        "burst", 0.06, 12.0, _FLAT, "burst", _BEAT_GOODS, 1.5, 0.5,
        (0.85, 0.04, 0.07, 0.04), (0.75, 0.15, 0.02, 0.08), (0.3, 0.65, 0.05), 0.10,
    ),
    Archetype(
        "quiet", 0.26, 1.25, _EVEN, "random", (2, 2, 0.6, 0.2, 0.6, 0.6, 0.5, 0, 0, 1.2), 1.3, 0.1,
        (0.50, 0.07, 0.05, 0.38), (0.72, 0.22, 0.01, 0.05), (0.60, 0.03, 0.37), 0.10,
    ),
)  # fmt: skip
QUIET = 8
