"""Watches are read: at once when made, and at every new date that the log reaches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sortija.core.lens.evaluate import members
from sortija.core.progress import Progress
from sortija.server.crossings import chance
from sortija.server.crossings.models import Watch, WatchReading
from sortija.server.crossings.states import states_of
from sortija.server.crossings.watches.watched import Watched, fires, windows_for
from sortija.server.crossings.ways import paths_through, pattern_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.yardsticks.assignments import AssignmentAt, assignment_at
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.intake.counted import when_counted
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import base_of
from sortija.server.lens.requests import clause_of
from sortija.server.measures.many_windows import make_now
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import WindowInView

__all__ = ["live_watches", "read_or_job"]


@dataclass(frozen=True)
class _Read:
    """What a watch came to at a date; ``chance`` belongs to ``seen``."""

    customers: int
    seen: int | None = None
    chance: tuple[float, float] | None = None
    words: str = ""


def live_watches(study: Study) -> list[Watch]:
    """Those of the groups in use, in the order in which they were made."""
    yardstick = yardstick_of(study)
    if yardstick is None:
        return []
    rows = Watch.objects.filter(study=study, yardstick=yardstick, dropped=False)
    return list(rows.select_related("person", "yardstick").order_by("id"))


def read_or_job(study: Study) -> Job | None:
    """The job that reads what has not been read yet at the newest date; None where all is."""
    ledger, window = ledger_of(study), default_window(study)
    if ledger is None or not ledger.built or window is None:
        return None
    lacking = [w for w in live_watches(study) if not _is_read(w, window, ledger.made_from)]
    if not lacking:
        return None
    key = fingerprint(
        "watches", ledger.made_from, window.key, [(w.pk, w.rule, w.number) for w in lacking]
    )
    return work.join(study.pk, "crossings.watches", key, "Reading the watches", None, {})


def _stamp(watch: Watch, made_from: str) -> str:
    return fingerprint("watch", made_from, watch.rule, watch.number, watch.about)


def _is_read(watch: Watch, window: WindowInView, made_from: str) -> bool:
    return watch.readings.filter(to=window.to, made_from=_stamp(watch, made_from)).exists()


@when_counted
def _new_date(study: Study) -> None:
    read_or_job(study)


@handles("crossings.watches", repeatable=True)
def _watches(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    ledger, window = ledger_of(study), default_window(study)
    if ledger is None or window is None:
        return
    for watch in live_watches(study):
        if not _is_read(watch, window, ledger.made_from):
            _keep(watch, window, _stamp(watch, ledger.made_from), _read(watch, window, running))


def _keep(watch: Watch, window: WindowInView, stamp: str, found: _Read) -> None:
    low, high = found.chance or (None, None)
    kind = Watched.model_validate(watch.about).kind
    fired = not found.words and fires(
        kind, watch.rule, watch.number, found.customers, found.seen, found.chance
    )
    WatchReading.objects.update_or_create(
        watch=watch, to=window.to,
        defaults={
            "customers": None if found.words else found.customers, "seen": found.seen, "low": low,
            "high": high, "fired": fired, "words": found.words[:300], "made_from": stamp,
        },
    )  # fmt: skip


def _read(watch: Watch, window: WindowInView, running: Running) -> _Read:
    watched = Watched.model_validate(watch.about)
    windows = windows_for(watched, window.to, watch.back)
    for each in windows:
        if words := covered(watch.study, each):
            return _Read(0, words=f"Of the window to {each.to:%d %b %Y} {words}.")
    make_now(watch.study, windows, running.progress)
    try:
        if watched.kind == "sign":
            return _of_a_sign(watch.study, windows[0], watched)
        placed = _placed(watch, windows)
        if watched.kind == "path":
            return _of_a_path(placed, watched)
        return _of_a_step(watch, placed, watched, running.progress)
    except Problem as problem:
        return _Read(0, words=str(problem))


def _placed(watch: Watch, windows: Sequence[WindowInView]) -> list[AssignmentAt]:
    found = [assignment_at(watch.study, watch.yardstick, each) for each in windows]
    placed = [at for at in found if at is not None]
    if len(placed) < len(windows):
        raise Problem("The log changed while it was being read.")
    return placed


def _of_a_sign(study: Study, window: WindowInView, watched: Watched) -> _Read:
    base = base_of(study, window)
    if base is None:
        raise Problem("The log changed while it was being read.")
    clauses = [clause_of(each) for each in watched.clauses]
    return _Read(len(members(selection_of(study, window, clauses, base))))


def _of_a_path(placed: list[AssignmentAt], watched: Watched) -> _Read:
    states = states_of(placed[0].yardstick)
    found = paths_through(Keyed(tuple(at.stamp for at in placed), lambda: placed))
    asked = pattern_of(watched.pattern, len(placed), len(states))
    return _Read(int(found.customers[found.matching(asked)].sum()))


def _of_a_step(
    watch: Watch, placed: list[AssignmentAt], watched: Watched, progress: Progress
) -> _Read:
    before, after = placed
    there = np.asarray(after.placement.state) == watched.target
    if watched.kind == "crossing":
        there &= np.asarray(before.placement.state) == watched.origin
    customers = int(there.sum())
    if watch.rule != "beyond chance":
        return _Read(customers)
    if words := chance.why_not(before, after):
        return _Read(customers, words=words)
    if chance.kept(before, after) is None:
        chance.make(before, after, progress)
    found = chance.kept(before, after)
    if found is None:
        raise Problem("The log changed while it was being read.")
    return _against(customers, found.details, watched, before.placement.states)


def _against(
    customers: int, details: chance.ChanceDetails, watched: Watched, states: int
) -> _Read:  # fmt: skip
    if watched.kind == "size":
        of, place = details.sizes, watched.target
        seen = sum(details.seen[watched.target :: states])
    else:
        of, place = details.moves, watched.origin * states + watched.target
        seen = details.seen[place]
    low, high = of.low[place], of.high[place]
    figure = details.figures[place] if watched.kind == "crossing" else watched.target < states - 3
    if low is None or high is None or not figure:
        return _Read(customers, words="Chance has no figure for this; watch it by a number.")
    return _Read(customers, seen, (low, high))
