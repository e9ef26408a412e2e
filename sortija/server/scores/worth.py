"""What bands are worth: who came back, and what they spent, in the period that followed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import last_day_before
from sortija.core.scores.bands import Banding
from sortija.core.scores.worth import Worth, tells_most, worth_of
from sortija.server.jobs.models import Job
from sortija.server.ledger.store.coverage import covered
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.scores.payloads import WorthCurve, WorthPage
from sortija.server.scores.scored import ScoredAt, banding_of
from sortija.server.studies.http import job_row
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import WindowInView

__all__ = ["MONTHS", "Followed", "follow", "worth_page"]

MONTHS = (1, 3, 6, 12)


@dataclass(frozen=True)
class Followed:
    """The measures at ``at``, and what happened from the day after to ``to``."""

    before: MeasureSet
    at: WindowInView
    since: date
    to: date
    returned: NDArray[np.bool_]
    spend: NDArray[np.float64]


def follow(study: Study, window: WindowInView, months: int) -> Followed | Job | None:
    """The period after a window: as it went where the log reaches so far, else the last period
    that it does reach, with the bands of the day before. None without a log.

    Raises
    ------
    Problem
        Another number of months than are offered.
    """
    if months not in MONTHS:
        raise Problem("A period has 1, 3, 6 or 12 months.")
    newest = default_window(study)
    if newest is None:
        return None
    at = min(window.to, last_day_before(newest.to, months))
    earlier = window if at == window.to else WindowInView(at, "12" if window.since else window.back)
    to = min(newest.to, last_day_before(at, -months))
    since = at + timedelta(days=1)
    before = measures_or_job(study, earlier)
    after = measures_or_job(study, WindowInView(to, since.isoformat()))
    for each in (before, after):
        if isinstance(each, Job):
            return each
    if not isinstance(before, MeasureSet) or not isinstance(after, MeasureSet) or not before.rows:
        return None
    n = min(before.size, after.size)
    returned, spend = np.zeros(before.size, np.bool_), np.zeros(before.size)
    returned[:n] = after.present[:n]
    spend[:n] = after.money[:n] / 10.0**study.scale
    return Followed(before, earlier, since, to, returned, spend)


def worth_page(study: Study, window: WindowInView, at: ScoredAt, months: int) -> WorthPage:
    """Curves of return and spend by band, one per measure, by the cuts of the window in view."""
    found = follow(study, window, months)
    lacks = _lacks(study, found) if isinstance(found, Followed) else ""
    if not isinstance(found, Followed) or lacks:
        words = lacks or "Worth is told by what customers did afterwards, so it needs a log."
        return WorthPage(
            ready=False, job=job_row(found) if isinstance(found, Job) else None,
            words=found.words if isinstance(found, Job) else words, at="", since="", to="",
            months=months, curves=[], customers=0, came_back=None, spend=None,
        )  # fmt: skip
    worths = {
        name: worth_of(banding, found.returned, found.spend)
        for name, banding in bandings_before(at, found.before).items()
    }
    everyone = found.before.present
    count = int(everyone.sum())
    return WorthPage(
        ready=True, job=None, words=_words(at, worths, count), at=found.at.to.isoformat(),
        since=found.since.isoformat(), to=found.to.isoformat(), months=months,
        curves=[_curve(at, name, worth) for name, worth in worths.items()], customers=count,
        came_back=float(found.returned[everyone].mean()) if count else None,
        spend=float(found.spend[everyone].mean()) if count else None,
    )  # fmt: skip


def _lacks(study: Study, found: Followed) -> str:
    """Why nothing is told of what followed: the log does not cover the time before or after."""
    after = WindowInView(found.to, found.since.isoformat())
    for each, time in ((found.at, "before"), (after, "after")):
        if words := covered(study, each):
            return (
                f"Worth is told by what customers did after {found.at.to:%d %b %Y}. Of the time "
                f"{time} it {words}, so nothing can be told. Look back over fewer months."
            )
    return ""


def bandings_before(at: ScoredAt, before: MeasureSet) -> dict[str, Banding]:
    """Bands at an earlier date by the cuts of a later one."""
    return {
        name: banding_of(before, name, cuts)
        for name, _, cuts in at.frozen.measures
        if name in before.sources
    }


def _words(at: ScoredAt, worths: dict[str, Worth], count: int) -> str:
    best = tells_most(worths)
    if best is None or count < 2:
        return "Nothing followed that could be told by bands."
    label, told = at.made.about(best).label, worths[best].told
    back = worths[best].came_back[np.isfinite(worths[best].came_back)]
    if len(back) < 2:
        return f"{label} has one band only, so it tells nothing."
    return (
        f"{label} tells most of what followed: {told:.0%} of the differences in spend lie between "
        f"its bands, and {back[-1]:.0%} of its best band came back against {back[0]:.0%} of its "
        "least."
    )


def _curve(at: ScoredAt, name: str, worth: Worth) -> WorthCurve:
    return WorthCurve(
        name=name, label=at.made.about(name).label, customers=worth.customers.tolist(),
        came_back=plain(worth.came_back), spend=plain(worth.spend),
        told=worth.told if math.isfinite(worth.told) else None,
    )  # fmt: skip


def plain(values: NDArray[np.float64]) -> list[float | None]:
    """Floats for the wire; NaN is null."""
    return [float(v) if math.isfinite(v) else None for v in values]
