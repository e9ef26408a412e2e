"""One month of Marrowmere's tills: visits, their lines, and the dirt of real logs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.demo.members import Members
from sortija.demo.world import ARCHETYPES, FIRST_MONTH, ITEMS, OPENED_MONTH, first_day

__all__ = ["KINDS", "STAFF_CARDS", "MonthLines", "draw_month"]

KINDS = ("sale", "return", "void")
NO_CARD = -1
STAFF_CARDS = 3  # staff and test cards are numbered -2, -3, -4


@dataclass(frozen=True)
class MonthLines:
    """Lines of one month in till order.

    ``member``: index, ``-1`` no card, ``-2`` to ``-4`` staff and test cards; ``moment``: seconds
    from the month's first midnight; ``receipt``: running number within site and month;
    ``quantity`` may be negative (returns); ``total`` in pence.
    """

    month: int
    member: NDArray[np.int64]
    moment: NDArray[np.int64]
    site: NDArray[np.int8]
    web: NDArray[np.bool_]
    receipt: NDArray[np.int64]
    item: NDArray[np.int16]
    quantity: NDArray[np.int32]
    total: NDArray[np.int64]
    kind: NDArray[np.int8]


def month_days(month: int) -> int:
    """Days of the demo's month number ``month``."""
    return first_day(month + 1) - first_day(month)


def _visit_days(
    rng: np.random.Generator, members: Members, month: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(member, day of month) of every visit of the month, before opening hours are drawn."""
    days = month_days(month)
    calendar = int((FIRST_MONTH + month).astype(int)) % 12
    kind = members.archetype[:, month // 3]
    season = np.array([a.season for a in ARCHETYPES])
    yearly = np.array([a.visits for a in ARCHETYPES])
    weight = season[:, calendar] / season.sum(axis=1)
    rhythm = np.array([a.rhythm for a in ARCHETYPES])[kind]

    random = np.flatnonzero(rhythm == "random")
    counts = rng.poisson((yearly * weight)[kind[random]] * members.rate[random])
    who = [np.repeat(random, counts)]
    when = [rng.integers(0, days, counts.sum())]

    even = np.flatnonzero(rhythm == "even")
    even = even[rng.random(len(even)) < 0.98]
    who.append(even)
    when.append((members.beat[even] + rng.integers(-1, 2, len(even))).clip(0, days - 1))

    # Three visits within eight days, once a quarter, in a month that is the member's own.
    burst = np.flatnonzero((rhythm == "burst") & (members.beat % 3 == month % 3))
    start = rng.integers(0, days - 9, len(burst))
    who.append(np.repeat(burst, 3))
    when.append((start[:, None] + rng.integers(0, 9, (len(burst), 3))).ravel())

    member, day = np.concatenate(who), np.concatenate(when).astype(np.int64)
    there = members.joined[member] <= first_day(month) + day
    return member[there], day[there]


def _first_visits(members: Members, month: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Whoever joins in this month buys something on that day."""
    day = members.joined.astype(np.int64) - first_day(month)
    joins = np.flatnonzero((day >= 0) & (day < month_days(month)))
    return joins, day[joins]


def draw_month(
    rng: np.random.Generator,
    members: Members,
    month: int,
    extra: tuple[NDArray[np.int64], NDArray[np.int64]] | None = None,
) -> MonthLines:
    """Draw month ``month``; ``extra`` (member, day) are visits that a campaign brought about."""
    member, day = _visit_days(rng, members, month)
    pieces = [(member, day), _first_visits(members, month)]
    if extra is not None:
        pieces.append(extra)
    anonymous = int(len(member) * 0.035) + 1
    pieces.append((np.full(anonymous, NO_CARD), rng.integers(0, month_days(month), anonymous)))
    staff = -2 - rng.integers(0, STAFF_CARDS, 4)
    pieces.append((staff, rng.integers(0, month_days(month), 4)))
    member = np.concatenate([p[0] for p in pieces])
    day = np.concatenate([p[1] for p in pieces])

    real = np.maximum(member, 0)
    kind = np.where(member >= 0, members.archetype[real, month // 3], 0)
    web = rng.random(len(member)) < np.array([a.web for a in ARCHETYPES])[kind]
    second = rng.integers(8 * 3600, 18 * 3600, len(member))
    second = np.where(web, rng.integers(6 * 3600, 23 * 3600, len(member)), second)
    opened = np.flatnonzero(np.array(OPENED_MONTH) <= month)
    away = rng.random(len(member)) < 0.12
    site = np.where(away | (member < 0), rng.choice(opened, len(member)), members.site[real])
    site = np.where(np.isin(site, opened), site, 0)

    order = np.lexsort((member, second, day))
    member, day, second = member[order], day[order], second[order]
    site, web, kind = site[order].astype(np.int8), web[order], kind[order]
    channel = site.astype(np.int64) + web * len(OPENED_MONTH)
    receipt = np.empty(len(member), dtype=np.int64)
    for each in range(2 * len(OPENED_MONTH)):
        mine = channel == each
        receipt[mine] = np.arange(1, mine.sum() + 1)
    return _lines(rng, month, member, day * 86400 + second, site, web, receipt, kind)


def _lines(
    rng: np.random.Generator,
    month: int,
    member: NDArray[np.int64],
    moment: NDArray[np.int64],
    site: NDArray[np.int8],
    web: NDArray[np.bool_],
    receipt: NDArray[np.int64],
    archetype: NDArray[np.int64],
) -> MonthLines:
    """Fill each visit with lines, then add returns and voids."""
    more = np.array([a.lines for a in ARCHETYPES])[archetype] - 1
    count = 1 + rng.poisson(more)
    visit = np.repeat(np.arange(len(member)), count)
    goods = np.array([a.departments for a in ARCHETYPES], dtype=float)
    steps = np.cumsum(goods / goods.sum(axis=1, keepdims=True), axis=1)
    draw = rng.random(len(visit))
    department = (draw[:, None] > steps[archetype[visit]][:, :-1]).sum(axis=1)
    per_department = len(ITEMS) // goods.shape[1]
    item = department * per_department + rng.integers(0, per_department, len(visit))
    extra = np.array([a.quantity for a in ARCHETYPES])[archetype[visit]]
    quantity = 1 + rng.poisson(extra)
    price = np.array([i.price for i in ITEMS])

    void = (rng.random(len(member)) < 0.008)[visit]
    kind = np.where(void, 2, 0)
    # A return follows on the same receipt a moment later (matched), or stands alone.
    back = np.flatnonzero((rng.random(len(visit)) < 0.016) & ~void)
    source = np.concatenate([np.arange(len(visit)), back])
    quantity = np.concatenate([quantity, -np.ones(len(back), dtype=quantity.dtype)])
    kind = np.concatenate([kind, np.ones(len(back), dtype=kind.dtype)])
    unmatched = np.concatenate([np.zeros(len(visit), bool), rng.random(len(back)) < 0.1])
    goods_item = item[source]
    goods_item = np.where(unmatched, (goods_item + 7) % len(ITEMS), goods_item)
    order = np.argsort(visit[source], kind="stable")
    source, at = source[order], visit[source][order]
    return MonthLines(
        month=month,
        member=member[at],
        moment=moment[at],
        site=site[at],
        web=web[at],
        receipt=receipt[at],
        item=goods_item[order].astype(np.int16),
        quantity=quantity[order].astype(np.int32),
        total=(quantity[order] * price[goods_item[order]]).astype(np.int64),
        kind=kind[order].astype(np.int8),
    )
