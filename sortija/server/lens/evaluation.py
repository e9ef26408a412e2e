"""A screen's lens, evaluated over all customers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.engine import Engine, readonly
from sortija.core.lens.bins import Bins
from sortija.core.lens.clauses import Clause, ClauseError, canonical, digest
from sortija.core.lens.drawing import Chart, Drawn, Everyone, count_everyone, redraw
from sortija.core.lens.evaluate import Selection, Totals, fails_of, select_by, without
from sortija.core.table import Column
from sortija.server.lens.fields import Base, Field, base_of, field
from sortija.server.lens.models import Lens
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.request_cache import reading
from sortija.server.studies.trail import coverage
from sortija.server.studies.windows import WindowInView, read_window

__all__ = ["ENGINE", "LensAnswer", "evaluate", "kept_clauses", "selection_of"]

#: Lives as long as the process; a request's kernels release the interpreter's lock.
ENGINE = Engine()


class Total(BaseModel):
    """Customers, and money at the study's scale."""

    customers: int
    money: int


class BarChart(BaseModel):
    """Bars of one field; ``everyone`` and ``lens`` count customers, missing ones apart.
    ``ordered``: its levels have an order, in which they are listed; ``marks``: of levels that are
    segments, −1 for none."""

    field: str
    label: str
    unit: str
    edges: list[float]
    levels: list[str]
    labels: list[str]
    marks: list[int]
    ordered: bool
    everyone: list[int]
    lens: list[int]
    everyone_missing: int
    lens_missing: int


class Widest(BaseModel):
    """The clause whose removal brings most customers back, and how many."""

    field: str
    total: Total


class LensAnswer(BaseModel):
    """A screen's figures. ``ready`` false: measures of this window are still being made.

    ``labels``: what the fields of its clauses are called; ``covered``: for the clauses whose time
    the log does not cover whole, what it has of it.
    """

    ready: bool
    digest: str
    everyone: Total
    lens: Total
    charts: list[BarChart]
    preview: Total | None
    widest: Widest | None
    made_from: str
    labels: dict[str, str]
    covered: dict[str, str]


def _window_of(written: str, view: WindowInView) -> WindowInView:
    """A window written as in a clause; the one in view where nothing is written."""
    if not written:
        return view
    to, _, back = written.partition(":")
    return read_window(to, back)


def _spending(study: Study, window: WindowInView, base: Base) -> Base | None:
    """The same customers, with their money of another window; None while that is made."""
    other = base_of(study, window)
    if other is None:
        return None
    size = len(base.known)
    money = other.money[:size]
    money = np.concatenate([money, np.zeros(size - len(money), np.int64)])
    return replace(base, money=money)


def selection_of(
    study: Study, window: WindowInView, clauses: Sequence[Clause], base: Base
) -> Selection:
    """Evaluate clauses for a study.

    Raises
    ------
    Problem
        A clause speaks of a field that is not there, or asks it what it cannot answer.
    """
    # A file counted between two readings makes traits longer than the base that is shown.
    n = len(base.known)
    fails = []
    for clause in clauses:
        found = field(study, _window_of(clause.window, window), clause.field)
        column = found.column.first(n)
        fails.append(_fails(Keyed((found.stamp, n, clause), (clause, column))))
    return select_by(clauses, fails, base.known, base.money, ENGINE)


@remembered
def _fails(keyed: Keyed[tuple[Clause, Column]]) -> NDArray[np.uint8]:
    """Whom a clause leaves out: while a lens is narrowed, only the clause that changes is new."""
    clause, column = keyed.value
    try:
        return readonly(fails_of(clause, column, ENGINE))
    except ClauseError as problem:
        raise Problem(str(problem)) from problem


@dataclass
class _Last:
    """What was drawn last of the same customers, whoever looked; changed as a whole."""

    drawn: Drawn


@remembered
def _last(keyed: Keyed[int]) -> _Last:
    return _Last(Drawn(np.zeros(keyed.value, np.uint8)))


@remembered
def _everyone(keyed: Keyed[tuple[Bins, NDArray[np.bool_]]]) -> Everyone:
    """A chart's bars for everyone: they change with the ledger, not with the lens."""
    bins, known = keyed.value
    return count_everyone(bins, known, ENGINE)


def _total(totals: Totals) -> Total:
    return Total(customers=totals.customers, money=totals.money)


def evaluate(
    study: Study,
    window: WindowInView | None,
    clauses: Sequence[Clause],
    charts: Sequence[str],
    preview: Clause | None = None,
    spend: str = "",
) -> LensAnswer:
    """Totals and bars of a lens, and what it would be with a clause more (or another).

    ``spend``: the window whose money is told, where that is not the one in view.
    """
    try:
        listed, name = canonical(clauses), digest(clauses)
    except ClauseError as problem:
        raise Problem(str(problem)) from problem
    with reading():
        return _evaluated(study, window, clauses, charts, preview, spend, listed, name)


def _evaluated(
    study: Study, window: WindowInView | None, clauses: Sequence[Clause], charts: Sequence[str],
    preview: Clause | None, spend: str, listed: list[dict[str, Any]], name: str,
) -> LensAnswer:  # fmt: skip
    base = base_of(study, window) if window else None
    if base and window and spend:
        base = _spending(study, _window_of(spend, window), base)
    if window is None or base is None:
        return _not_ready(name)
    if clauses:
        Lens.objects.get_or_create(study=study, digest=name, defaults={"clauses": listed})
    try:
        answer = _answer(study, window, name, base, clauses, charts, preview)
    except Problem as problem:
        if problem.status == 404 and _changed(study, window, base):
            return _not_ready(name)
        raise
    gone = len(answer.charts) < len(charts)
    return _not_ready(name) if gone and _changed(study, window, base) else answer


def _changed(study: Study, window: WindowInView, base: Base) -> bool:
    """Whether the ledger changed in the middle: what is gone then is not gone but being made."""
    now = base_of(study, window)
    return now is None or now.made_from != base.made_from


def _not_ready(name: str) -> LensAnswer:
    nobody = Total(customers=0, money=0)
    return LensAnswer(
        ready=False, digest=name, everyone=nobody, lens=nobody, charts=[], preview=None,
        widest=None, made_from="", labels={}, covered={},
    )  # fmt: skip


def _answer(
    study: Study, window: WindowInView, name: str, base: Base, clauses: Sequence[Clause],
    charts: Sequence[str], preview: Clause | None,
) -> LensAnswer:  # fmt: skip
    selection = selection_of(study, window, clauses, base)
    tried = None
    if preview is not None:
        others = [c for c in clauses if (c.field, c.window) != (preview.field, preview.window)]
        tried = _total(selection_of(study, window, [*others, preview], base).lens)
    fields = {c.field: field(study, _window_of(c.window, window), c.field) for c in clauses}
    covered = {
        c.field: (coverage(study, _window_of(c.window, window)) if c.window else "")
        or fields[c.field].covered
        for c in clauses
    }
    return LensAnswer(
        ready=True,
        digest=name,
        everyone=_total(selection.everyone),
        lens=_total(selection.lens),
        charts=_charts(study, window, selection, base, charts),
        preview=tried,
        widest=_widest(selection, base) if not selection.lens.customers else None,
        made_from=base.made_from,
        labels={key: found.label for key, found in fields.items()},
        covered={key: words for key, words in covered.items() if words},
    )


def _chart_field(study: Study, window: WindowInView, key: str) -> Field | None:
    """A chart's field; None where it is gone, for a screen asks by what it saw last."""
    try:
        return field(study, window, key)
    except Problem as problem:
        if problem.status == 404:
            return None
        raise


def _charts(
    study: Study, window: WindowInView, selection: Selection, base: Base, charts: Sequence[str]
) -> list[BarChart]:
    fields = [found for key in charts if (found := _chart_field(study, window, key))]
    n = len(selection.known)
    asked = [Chart(f.key, f.bins.first(n)) for f in fields]
    everyone = [
        _everyone(Keyed((study.pk, base.made_from, f.stamp, n), (chart.bins, base.known)))
        for f, chart in zip(fields, asked, strict=True)
    ]
    last = _last(Keyed((study.pk, base.made_from, n), n))
    bars, last.drawn = redraw(selection, asked, everyone, last.drawn, ENGINE)
    return [
        BarChart(
            field=f.key, label=f.label, unit=f.unit,
            edges=list(f.bins.edges), levels=list(f.bins.levels),
            labels=list(f.labels or f.bins.levels), marks=list(f.marks), ordered=f.ordered,
            everyone=b.everyone.tolist(), lens=b.lens.tolist(),
            everyone_missing=b.everyone_missing, lens_missing=b.lens_missing,
        )
        for f, b in zip(fields, bars, strict=True)
    ]  # fmt: skip


def _widest(selection: Selection, base: Base) -> Widest | None:
    if not selection.clauses:
        return None
    left = [without(selection, place, base.money) for place in range(len(selection.clauses))]
    best = int(np.argmax([t.customers for t in left]))
    return Widest(field=selection.clauses[best].field, total=_total(left[best]))


def kept_clauses(study: Study, name: str) -> list[Clause]:
    """The clauses of the lens that this digest names; none for an empty name."""
    if not name:
        return []
    row = Lens.objects.filter(study=study, digest=name).first()
    if row is None:
        raise Problem("This lens is not known here. Start again from everyone.", 404)
    return [Clause.from_json(c) for c in row.clauses]
