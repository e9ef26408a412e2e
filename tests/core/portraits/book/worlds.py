"""Segments of known make for books: rows with profiles, and the facts of them."""

from dataclasses import dataclass

import numpy as np

from sortija.core.measures.describe import Axis
from sortija.core.portraits.book.facts import (
    BookFacts,
    RuleFact,
    SegmentFacts,
    ThreadFact,
    category_facts,
    number_facts,
)
from sortija.core.portraits.profile import category_profile, numeric_profile


@dataclass(frozen=True)
class Number:
    name: str
    label: str
    unit: str
    family: str
    shaped: bool
    profile: object


@dataclass(frozen=True)
class Category:
    name: str
    label: str
    levels: tuple
    shaped: bool
    profile: object

    @property
    def values(self):
        return self.levels[1:]


def number(name, values, groups, k, unit="visits", family="visits", shaped=False):
    label = name.replace("_", " ").capitalize()
    return Number(name, label, unit, family, shaped, numeric_profile(values, groups, k))


def category(name, codes, levels, groups, k, shaped=False):
    profile = category_profile(codes, len(levels), groups, k)
    return Category(name, name.capitalize(), ("not given", *levels), shaped, profile)


def facts(rows, kinds, groups, k, **more):
    """The facts of a study with these rows, segments called after Greek letters."""
    numbers, categories = number_facts(rows, k), category_facts(kinds, k)
    names = ("Alpha", "Beta", "Gamma", "Delta", "Epsilon", "Zeta")
    money = np.bincount(groups, minlength=k) / len(groups)
    segments = tuple(
        SegmentFacts(
            n + 1, names[n], n, int(np.sum(groups == n)), float(money[n]), numbers[n],
            categories[n], RuleFact("Visits under 3", 0.87, 0.91), border=12,
            towards=(n + 1) % k + 1, comes_back=0.94,
        )
        for n in range(k)
    )  # fmt: skip
    threads = {
        row.name: ThreadFact(row.label, row.unit, Axis(0.0, 20.0, False), (2.0, 8.0),
                             tuple(float(m) for m in row.profile.means))
        for row in rows
    }  # fmt: skip
    return BookFacts(
        "Foxglove Market", "1 Jul 2025 to 30 Jun 2026", "£", segments, threads, outside=40,
        made="k-means on visits, adopted on 2 Jul 2026", clear="holds", **more,
    )  # fmt: skip


def usual(rng, size=1200):
    """Three segments: the first comes seldom, the second often; a third of the first has a yard,
    of the others a tenth; a trait that has nothing to do with it."""
    groups = rng.integers(0, 3, size)
    visits = np.array([2.0, 12.0, 6.0])[groups] + rng.normal(0, 1, size)
    yard = np.where(rng.random(size) < np.array([0.33, 0.1, 0.1])[groups], 1, 2)
    coin = rng.integers(1, 3, size)
    born = rng.normal(1970, 10, size)
    rows = [number("frequency", visits, groups, 3, shaped=True),
            number("birth_year", born, groups, 3, "year", "traits")]  # fmt: skip
    kinds = [category("garden", yard, ("yard", "none"), groups, 3),
             category("coin", coin, ("heads", "tails"), groups, 3)]  # fmt: skip
    return rows, kinds, groups
