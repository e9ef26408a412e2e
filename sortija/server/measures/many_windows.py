"""The measures of several windows, made together in as few passes over the log as memory allows."""

from __future__ import annotations

from collections.abc import Sequence

from sortija.core.measures.derive import derive_series, windows_at_once
from sortija.core.progress import Progress, silent
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.measures.derivation import (
    column_rows,
    inputs_of_window,
    keep_derived,
    stamp_of,
    too_long_for_a_look,
)
from sortija.server.measures.expected import make_expected
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["make_now", "make_or_job"]

#: Windows that are made one by one, each by a job that shows what it had before.
FEW = 2


def make_or_job(study: Study, windows: Sequence[WindowInView]) -> Job | None:
    """See to it that the measures of all these windows are there: made now where the log is short,
    else by a job, which is returned. None where they are, or where a few are missing, which are
    made one by one."""
    ledger = ledger_of(study)
    lacking = _lacking(ledger, windows) if ledger else []
    if ledger is None or len(lacking) <= FEW:
        return None
    if not too_long_for_a_look(ledger):
        _make(ledger, lacking)
        return None
    return work.join(
        study.pk, "measures.dates", fingerprint("dates", [stamp_of(ledger, w) for w in lacking]),
        f"Deriving measures at {len(lacking)} dates", None,
        {"windows": [each.key for each in lacking]},
    )  # fmt: skip


def _lacking(ledger: Ledger, windows: Sequence[WindowInView]) -> list[WindowInView]:
    return [w for w in windows if not column_rows(ledger.study, w, stamp_of(ledger, w))]


def _make(ledger: Ledger, windows: Sequence[WindowInView], progress: Progress = silent) -> None:
    names, dates = inputs_of_window(ledger)
    engine, log = engine_for(progress), ledger.lines().log
    many = windows_at_once(log.customers)
    try:
        for first in range(0, len(windows), many):
            progress("measures, date", first, len(windows))
            part = windows[first : first + many]
            derived = derive_series(
                log, [each.window for each in part], ledger.mask, ledger.study.scale, names, dates,
                engine,
            )  # fmt: skip
            for place, (window, found) in enumerate(zip(part, derived, strict=True), first):
                progress("expected purchases, date", place, len(windows))
                stamp = stamp_of(ledger, window)
                keep_derived(ledger, window, stamp, found)
                make_expected(ledger, window, stamp, found.present, engine, silent)
    finally:
        engine.release()


def make_now(study: Study, windows: Sequence[WindowInView], progress: Progress = silent) -> None:
    """Make what is lacking, at once; for whoever is at work already."""
    ledger = ledger_of(study)
    lacking = _lacking(ledger, windows) if ledger else []
    if ledger is not None and lacking:
        _make(ledger, lacking, progress)


@handles("measures.dates", repeatable=True)
def _dates(job: Job, running: Running) -> None:
    windows = [WindowInView.parse(key) for key in job.arguments["windows"]]
    make_now(Study.objects.get(pk=job.study), windows, running.progress)
