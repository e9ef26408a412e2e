"""The measures over time: a series of windows from one pass over the log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, get_args

import numpy as np
from pydantic import BaseModel

from sortija.core.engine import Engine
from sortija.core.measures.coverage import Reach, coverage_of
from sortija.core.measures.derive import Derived, derive_series
from sortija.core.measures.window import Step, Window, series_of
from sortija.core.progress import Progress, silent
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import Running, handles
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.measures.column_summaries import find_summary, keep_summary
from sortija.server.measures.derivation import inputs_of_window, stamp_of, too_long_for_a_look
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView, read_window

__all__ = ["SeriesPage", "make_series", "series_page"]

VERSION = 3
GROWS = (
    "These windows begin on one day, so each later one holds more of the log: what rises here may "
    "be nothing but more data. Look back over a number of months to compare."
)
COUNTS = {"month": 13, "quarter": 9, "year": 4}


class SeriesOf(BaseModel):
    """One measure: figures of each window, None where nobody has a value; ``whole``: its values are
    whole numbers, whose median would stay where it is while their mean moves."""

    name: str
    label: str
    unit: str
    whole: bool
    quartile_1: list[float | None]
    median: list[float | None]
    quartile_3: list[float | None]
    mean: list[float | None]
    missing: list[int]


class SeriesPage(BaseModel):
    """``ends``: last days of the windows, oldest first; ``before``: place of the same season a
    year before the last, −1 where the series does not reach; ``covered``: what the log has of
    each, empty where it has it whole; ``grows``: why the windows are not alike; ``customers``:
    with a purchase."""

    status: Status
    made_from: str
    step: str
    ends: list[str]
    starts: list[str]
    before: int
    covered: list[str]
    grows: str
    customers: list[int]
    measures: list[SeriesOf]


def _windows(ledger: Ledger, window: WindowInView, step: Step) -> list[Window]:
    """Windows that the log reaches into; the first ones may begin before it."""
    begins = ledger.first_day()
    every = series_of(window.window, step, COUNTS[step])
    return [w for w in every if w.as_of > begins] or every[-1:]


def series_page(
    study: Study, window: WindowInView | None, step: str, person: Any, shares: bool = False
) -> SeriesPage:
    """The series, made now where the log is short, else by a job; with ``shares`` of sales too."""
    if step not in get_args(Step):
        raise Problem("A series steps by month, quarter or year.")
    ledger = ledger_of(study)
    if ledger is None or window is None:
        words = "A series comes from a log: a customer table tells of one day only."
        return _waiting(Status(state="empty", words=words), step)
    key = _key(ledger, window, step, shares)
    found = find_summary(key)
    if found is None and not too_long_for_a_look(ledger):
        found = make_series(ledger, window, step, shares)
    if found is not None:
        return SeriesPage(status=Status(state="whole"), made_from=key, **found)
    job = work.join(
        study.pk, "measures.series", key, f"A series by {step} to {window.to:%d %b %Y}", person,
        {"to": window.to.isoformat(), "back": window.back, "step": step, "shares": shares},
    )  # fmt: skip
    return _waiting(waiting_for(job), step)


def _waiting(status: Status, step: str) -> SeriesPage:
    return SeriesPage(status=status, made_from="", step=step, ends=[], starts=[], before=-1,
                      covered=[], grows="", customers=[], measures=[])  # fmt: skip


def _key(ledger: Ledger, window: WindowInView, step: str, shares: bool) -> str:
    return fingerprint("series", VERSION, stamp_of(ledger, window), step, shares, COUNTS)


def make_series(
    ledger: Ledger, window: WindowInView, step: Any, shares: bool, progress: Progress = silent
) -> dict[str, Any]:
    """Derive all windows at once and keep their figures."""
    windows = _windows(ledger, window, step)
    names, dates = inputs_of_window(ledger)
    names = replace(names, shares=shares)
    engine = Engine()
    try:
        derived = derive_series(
            ledger.lines().log, windows, ledger.mask, ledger.study.scale, names, dates, engine,
            progress,
        )  # fmt: skip
        found = _told(windows, derived, engine, ledger.reach())
    finally:
        engine.release()
    found["step"] = step
    keep_summary(_key(ledger, window, step, shares), found)
    return found


def _told(
    windows: Sequence[Window], derived: Sequence[Derived], engine: Engine, reach: Reach | None
) -> dict[str, Any]:
    def one(name: str) -> dict[str, Any]:
        about = derived[-1].about[name]
        row: dict[str, Any] = {"name": name, "label": about.label, "unit": about.unit}
        row["whole"] = about.whole
        figures = [_figures(each, name) for each in derived]
        for key in ("quartile_1", "median", "quartile_3", "mean", "missing"):
            row[key] = [f[key] for f in figures]
        return row

    covered = [coverage_of(w, reach).words if reach else "" for w in windows]
    alike = windows[-1].months is not None
    ends = [w.last_day for w in windows]
    last = ends[-1]
    before = [
        n for n, day in enumerate(ends)
        if (day.year, day.month) == (last.year - 1, last.month)
        and alike and not covered[n] and not covered[-1]
    ]  # fmt: skip
    starts = [np.datetime64(w.first_day(reach.first if reach else 0), "D") for w in windows]
    return {
        "ends": [day.isoformat() for day in ends], "starts": [str(day) for day in starts],
        "before": before[0] if before else -1, "covered": covered,
        "grows": "" if alike else GROWS,
        "customers": [int(d.present.sum()) for d in derived],
        "measures": engine.map(one, list(derived[-1].table.names)),
    }  # fmt: skip


def _figures(derived: Derived, name: str) -> dict[str, Any]:
    values = np.asarray(derived.table[name].values)[derived.present]
    there = values[~np.isnan(values)]
    if len(there) == 0:
        return {"quartile_1": None, "median": None, "quartile_3": None, "mean": None,
                "missing": len(values)}  # fmt: skip
    q1, middle, q3 = (float(v) for v in np.quantile(there, (0.25, 0.5, 0.75)))
    return {"quartile_1": q1, "median": middle, "quartile_3": q3, "mean": float(there.mean()),
            "missing": len(values) - len(there)}  # fmt: skip


@handles("measures.series", repeatable=True)
def _series(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    ledger = ledger_of(study)
    window = read_window(job.arguments["to"], job.arguments["back"])
    step, shares = job.arguments["step"], job.arguments["shares"]
    if ledger is not None and find_summary(_key(ledger, window, step, shares)) is None:
        make_series(ledger, window, step, shares, running.progress)
