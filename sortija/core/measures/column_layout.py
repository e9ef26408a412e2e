"""Which columns come out of a derivation, under which names, and where their sums stand."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.catalogue import SEASONS, WEEKDAYS, Measure, describe_share
from sortija.core.measures.kernels import Places, Sum

__all__ = ["Layout", "Names", "layout_of", "share_slots", "slugs"]

#: So many departments or sites get a share of their own: those that sold most.
MOST_SHARES = 40


@dataclass(frozen=True)
class Names:
    """Labels for the numbers that lines carry.

    ``rates``: what of a department's sales is gross margin (0 to 1, NaN where nobody said), one
    a department and one more for the rest; empty where none was said at all. ``on_offer``: lines
    say whether they were sold on offer. ``shares``: whether shares of sales are wanted.
    """

    departments: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()
    rates: tuple[float, ...] = ()
    sites: tuple[str, ...] = ()
    on_offer: bool = False
    shares: bool = True


@dataclass(frozen=True)
class Layout:
    """``at``: where sums by department, channel … stand; ``slots``: the sum of each share;
    ``shares``: name → measure; ``left_out``: measures that this log cannot give."""

    at: Places
    slots: NDArray[np.int64]
    shares: dict[str, Measure]
    left_out: frozenset[str]


def slugs(labels: Sequence[str]) -> list[str]:
    """Short names of labels, each once: what formulas and files call them by.

    >>> slugs(["Garden tools", "garden-tools", "?"])
    ['garden_tools', 'garden_tools_2', 'unnamed']
    """
    out: list[str] = []
    for label in labels:
        plain = re.sub(r"\W+", "_", label.lower()).strip("_") or "unnamed"
        name, number = plain, 1
        while name in out:
            number += 1
            name = f"{plain}_{number}"
        out.append(name)
    return out


def share_slots(names: Names) -> dict[tuple[str, int], str]:
    """(kind, number) of a department, channel, site, season or weekday → its share measure.

    >>> share_slots(Names(departments=("Seeds", "Pots")))["department", 1]
    'share_department_pots'
    """
    out = {("weekend", 1): "weekend", ("on_offer", 1): "on_offer"}
    for kind, labels in (
        ("season", SEASONS), ("weekday", WEEKDAYS), ("department", names.departments),
        ("channel", names.channels), ("site", names.sites),
    ):  # fmt: skip
        out |= {(kind, n): f"share_{kind}_{slug}" for n, slug in enumerate(slugs(labels))}
    return out


def layout_of(
    names: Names, margin: bool, most_sold: Callable[[str, int], NDArray[np.int64]]
) -> Layout:
    """Where every sum stands and which shares come out.

    Parameters
    ----------
    margin : bool
        Whether anything says what the goods cost.
    most_sold : callable
        Numbers of a kind ("department", "site") of so many, those that sold most first.
    """
    sizes = [len(names.channels), len(names.sites), 4, 7] if names.shares else [0] * 4
    departments = len(names.departments)
    at = Places(*np.cumsum([len(Sum), departments, departments, *sizes]).tolist())
    shares: dict[str, Measure] = {}
    slots: list[int] = []
    for kind, labels, begin in (
        ("season", SEASONS, at.seasons), ("weekday", WEEKDAYS, at.weekdays),
        ("department", names.departments, at.departments),
        ("channel", names.channels, at.channels), ("site", names.sites, at.sites),
    ):  # fmt: skip
        if not names.shares:
            break
        numbers = range(len(labels))
        if len(labels) > MOST_SHARES:
            numbers = sorted(most_sold(kind, len(labels))[:MOST_SHARES].tolist())  # type: ignore[assignment]
        chosen = slugs(labels)
        for number in numbers:
            name = f"share_{kind}_{chosen[number]}"
            shares[name] = describe_share(name, kind, labels[number])
            slots.append(begin + number)
    left_out = set() if margin else {"margin"}
    if len(names.departments) < 2:
        left_out |= {"breadth", "evenness"}
    if not names.on_offer:
        left_out.add("on_offer")
    return Layout(at, np.array(slots, np.int64), shares, frozenset(left_out))
