"""What Marrowmere's members buy after the demo's log ends, those who were written to included."""

from __future__ import annotations

import io
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from sortija.demo.delivery.letters import draw
from sortija.demo.delivery.store import Written
from sortija.demo.files import CAMPAIGN_EFFECT, LOG_HEAD, month_text, write_rows
from sortija.demo.members import Members
from sortija.demo.visits import MonthLines, draw_month
from sortija.demo.world import FIRST_MONTH, MONTHS

__all__ = ["next_log"]

_FIRST = date(2026, 7, 1)
#: The log goes on for so many months at most.
MOST_MONTHS = 24

Extra = dict[int, list[tuple[int, int]]]


def next_log(members: Members, seed: int, written: Sequence[Written], through: date) -> bytes:
    """The lines of the months after the demo's log, up to the end of the month of a day.

    Of those who were written to and would have stayed away, so many come that 8 in 100 more of
    all who were written to have come by the day of reading. The same letters give the same bytes.

    Raises
    ------
    ValueError
        The day is before the first month, or too far away.
    """
    last = (through.year - _FIRST.year) * 12 + through.month - _FIRST.month
    if not 0 <= last < MOST_MONTHS:
        raise ValueError(f"through is a day from {_FIRST} on, within {MOST_MONTHS} months.")
    going_on = _going_on(members)
    needed = max([last, *(_month(each.read_on) - MONTHS for each in written)])
    unasked = [_lines(going_on, seed, month, []) for month in range(min(needed, MOST_MONTHS) + 1)]
    extra = _extra(unasked, written)
    out = io.BytesIO()
    out.write(LOG_HEAD.encode() + b"\n")
    for month in range(last + 1):
        lines = _lines(going_on, seed, month, extra.get(month, []))
        rng = np.random.default_rng([seed, MONTHS + month, 1])
        write_rows(out, month_text(rng, lines))
    return out.getvalue()


def _going_on(members: Members) -> Members:
    """Everybody stays of the kind that they were of last."""
    later = np.repeat(members.archetype[:, -1:], MOST_MONTHS // 3 + 1, axis=1)
    return replace(members, archetype=np.concatenate([members.archetype, later], axis=1))


def _lines(
    members: Members, seed: int, month: int, extra: Sequence[tuple[int, int]]
) -> MonthLines:  # fmt: skip
    rng = np.random.default_rng([seed, MONTHS + month])
    pairs = np.array(extra, np.int64).reshape(-1, 2)
    return draw_month(rng, members, MONTHS + month, (pairs[:, 0], pairs[:, 1]))


def _month(day: date) -> int:
    """The demo's number of a day's month."""
    return int((np.datetime64(day, "M") - FIRST_MONTH).astype(int))


def _extra(unasked: Sequence[MonthLines], written: Sequence[Written]) -> Extra:
    """By month, (member, day of month) of the visits that letters bring about."""
    days = _days(unasked)
    out: Extra = defaultdict(list)
    by_campaign: dict[str, list[Written]] = defaultdict(list)
    for each in written:
        by_campaign[each.campaign].append(each)
    for letters in by_campaign.values():
        away = [each for each in letters if not _comes(days, each)]
        share = CAMPAIGN_EFFECT * len(letters) / max(len(away), 1)
        for each in away:
            if draw(each.reference, "comes") < share:
                span = max(min(28, (each.read_on - each.send_on).days), 2)
                day = each.send_on + timedelta(days=2 + int((span - 2) * draw(each.reference, "d")))
                month = _month(day) - MONTHS
                if 0 <= month < len(unasked):
                    out[month].append((_member(each.card), day.day - 1))
    return out


def _days(unasked: Sequence[MonthLines]) -> dict[int, NDArray[np.int64]]:
    """Member → days of purchases, days since 1970."""
    found: dict[int, set[int]] = defaultdict(set)
    for lines in unasked:
        first = int((FIRST_MONTH + lines.month).astype("M8[D]").astype(np.int64))
        bought = (lines.kind == 0) & (lines.member >= 0)
        day = first + lines.moment[bought] // 86_400
        for member, when in zip(lines.member[bought].tolist(), day.tolist(), strict=True):
            found[member].add(when)
    return {member: np.array(sorted(days)) for member, days in found.items()}


def _comes(days: dict[int, NDArray[np.int64]], each: Written) -> bool:
    """Whether somebody buys after the day of sending, by the day of reading, unasked."""
    sent, read = (int(np.datetime64(d).astype(np.int64)) for d in (each.send_on, each.read_on))
    there = days.get(_member(each.card))
    return there is not None and bool(((there > sent) & (there <= read)).any())


def _member(card: str) -> int:
    """The member's place, by the number on the card."""
    number = card.removeprefix("M-")
    return int(number) - 1 if number.isdigit() else -1
