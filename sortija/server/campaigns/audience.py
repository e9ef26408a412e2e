"""From a lens to an audience: who falls away, and why."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.base_rate import BaseRate, base_rate
from sortija.core.lens.clauses import Clause
from sortija.core.lens.evaluate import members
from sortija.core.scores.bands import band
from sortija.server.campaigns.budget import afforded, share_afforded
from sortija.server.campaigns.do_not_contact import on_the_list
from sortija.server.campaigns.drawn import DRAWN, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import REASONS, Audience
from sortija.server.campaigns.standing import in_control
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.customers.addresses import with_address
from sortija.server.ledger.customers.opt_outs import YES, opted_out
from sortija.server.ledger.customers.traits import trait_column, traits_of
from sortija.server.ledger.store.coverage import covered
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import base_of
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import once, reading
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import WindowInView

__all__ = ["audience_of", "window_of"]

VALUE_BANDS = 5


def window_of(campaign: Campaign) -> WindowInView:
    """The window that a campaign's lens is read in."""
    return WindowInView.parse(campaign.window)


@once
def _consenting(study: Study, size: int) -> NDArray[np.bool_]:
    """Consent as of today; without a consent column only who opted out has said no."""
    trait = next((t for t in traits_of(study) if t.type == "consent"), None)
    if trait is None:
        return ~opted_out(study, size)
    column = trait_column(study, trait, size)
    yes = [code for code, level in enumerate(column.levels, 1) if level.lower() in YES]
    return np.isin(column.values, yes)


def _elsewhere(
    campaign: Campaign, size: int
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """Who is held out of another drawn campaign until that is read, who is written to by one whose
    time overlaps, and who was written to in the days of rest before this one."""
    held, busy, lately = (np.zeros(size, np.bool_) for _ in range(3))
    rested = campaign.send_on - timedelta(days=campaign.rest_days)
    others = Campaign.objects.filter(
        study=campaign.study, dropped=False, send_on__lte=campaign.read_on,
        read_on__gte=min(campaign.send_on, rested),
    ).exclude(arms=None)  # fmt: skip
    for other in others.exclude(pk=campaign.pk).select_related("study", *DRAWN):
        drawn = drawn_of(other)
        known = drawn.customers < size
        written = drawn.customers[known & ~drawn.held]
        if other.read_on >= campaign.send_on:
            held[drawn.customers[known & drawn.held]] = True
            busy[written] = True
        elif other.send_on >= rested:
            lately[written] = True
    return held, busy, lately


def audience_of(campaign: Campaign) -> Audience:
    """Evaluate the campaign's lens today and let fall away who must not be written to.

    Raises
    ------
    Problem
        The window's measures are still being made.
    """
    with reading():  # each thing is looked up once, also where the request goes on to change one
        return _audience(campaign)


def _audience(campaign: Campaign) -> Audience:
    study, window = campaign.study, window_of(campaign)
    base = base_of(study, window)
    made = measures_or_job(study, window)
    if base is None or not isinstance(made, MeasureSet):
        raise Problem("The measures of this window are still being derived. Try again soon.", 503)
    if not made.rows:
        raise Problem("An audience is drawn by spend and recency. Import a log first.")
    clauses = [Clause.from_json(c) for c in campaign.clauses]
    inside = members(selection_of(study, window, clauses, base))
    size = len(base.known)
    left = np.zeros(size, np.bool_)
    left[inside] = True
    consenting, addressed = _consenting(study, size), with_address(study, size)
    fell = np.zeros(size, np.int8)
    away = (
        ~consenting, on_the_list(study, size), in_control(study, size),
        *_elsewhere(campaign, size), ~addressed,
    )  # fmt: skip
    for number, gone in enumerate(away, 1):
        fell[left & gone] = number
        left &= ~gone
    customers = np.flatnonzero(left)
    yardstick = yardstick_of(study)
    segment = _segments(study, window, yardstick, size)
    kept = afforded(campaign, made, customers, segment)
    fell[customers[~kept]] = len(REASONS)
    share = float(kept.mean()) if len(kept) else 1.0
    customers = customers[kept]
    counts = np.bincount(fell, minlength=len(REASONS) + 1)[1:].tolist()
    value = _spend(Keyed(made.stamp, made))
    rate, untold = _unasked(campaign, window, clauses, consenting & addressed, share)
    return Audience(
        lens=len(inside),
        fell_away=dict(zip(REASONS, counts, strict=True)),
        fell=fell,
        customers=customers,
        segment=segment[customers],
        yardstick=yardstick,
        value=value[customers],
        base_rate=rate,
        untold=untold,
        basket=_basket(made, customers),
        made_from=base.made_from,
    )


def _basket(made: MeasureSet, customers: NDArray[np.int64]) -> float:
    """What these customers spend at a purchase, all of theirs together."""
    visits = np.nansum(np.asarray(made.column("frequency").values, np.float64)[customers])
    money = int(made.money[customers].sum())
    return money / float(visits) if visits > 0 else float("nan")


def _unasked(
    campaign: Campaign,
    window: WindowInView,
    clauses: list[Clause],
    reached: NDArray[np.bool_],
    share: float,
) -> tuple[BaseRate | None, str]:
    """How many of the same lens, one horizon earlier, then came; or why that cannot be told.

    ``reached``: (n,) who may be written to today; ``share``: of them, how many the budget lasts
    for, so that it is told of the same ones, in the same order. Never from the lens's own recency:
    a lens of who has not come lately would give none.
    """
    study, days = campaign.study, max((campaign.read_on - campaign.send_on).days, 1)
    newest = default_window(study)
    if newest is None:
        return None, "there is no log to tell from"
    end = min(window.to, newest.to)
    earlier = WindowInView(end - timedelta(days=days), window.back)
    since = earlier.to + timedelta(days=1)
    for each in (earlier, WindowInView(end, since.isoformat())):
        if words := covered(study, each):
            return None, f"{words} one horizon earlier"
    moved = []
    for clause in clauses:
        if clause.field.startswith(_FIXED):
            return None, "the lens picks customers by what is known of them only now"
        moved.append(replace(clause, window=_moved(clause.window, end - earlier.to)))
    base, before = base_of(study, earlier), measures_or_job(study, earlier)
    after = measures_or_job(study, WindowInView(end, since.isoformat()))
    if base is None or not isinstance(before, MeasureSet) or not isinstance(after, MeasureSet):
        return None, "the window one horizon earlier is still being derived"
    there = members(selection_of(study, earlier, moved, base))
    size = min(len(base.known), after.size, len(reached))
    there = there[there < size]
    there = there[reached[there]]
    if share < 1:
        placed = _segments(study, earlier, yardstick_of(study), len(base.known))
        there = there[share_afforded(campaign, before, there, placed, share)]
    found = base_rate(int(after.present[there].sum()), len(there))
    if found is None:
        return None, f"only {len(there)} customers were in this lens one horizon earlier"
    return found, ""


#: Kinds of clause that pick people by what was known on a certain day, or by hand.
_FIXED = (
    "campaign:",
    "changed:",
    "crossing:",
    "path:",
    "returned:",
    "kept:",
    "grouping:",
    "differ:",
    "component:",
    "neighbour:",
)


def _moved(window: str, by: timedelta) -> str:
    """A clause's own window so much earlier; the window in view moves by itself."""
    if not window:
        return ""
    asked = WindowInView.parse(window)
    back = (asked.since - by).isoformat() if asked.since else asked.back
    return WindowInView(asked.to - by, back).key


@remembered
def _spend(key: Keyed[MeasureSet]) -> NDArray[np.int64]:
    """(n,) fifth of spend, the strata of a draw however the analyst scores meanwhile."""
    made = key.value
    monetary = np.asarray(made.column("monetary").values, np.float64)
    return band(monetary, VALUE_BANDS, True).bands.astype(np.int64)


def _segments(
    study: Study, window: WindowInView, yardstick: Yardstick | None, size: int
) -> NDArray[np.int64]:
    placed = assignment_at(study, yardstick, window) if yardstick else None
    if placed is None:
        return np.zeros(size, np.int64)
    return placed.placement.state.astype(np.int64)
