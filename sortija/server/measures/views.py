"""What Measures shows: one thread per measure."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.association import SAME
from sortija.core.measures.catalogue import FAMILIES
from sortija.core.measures.describe import Axis, outline, steps_for
from sortija.core.measures.neighbours import Donors
from sortija.core.measures.preparation import PRESETS
from sortija.server.ledger.customers.traits import traits_of, words_of_values
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.actions import Plan, kept_plans, plan_of
from sortija.server.measures.availability import MeasuresToShow, measures_to_show
from sortija.server.measures.column_summaries import (
    ENGINE,
    THREAD_STEPS,
    category_summary,
    likeness,
    summary_of,
)
from sortija.server.measures.derivation import when_made
from sortija.server.measures.everyone import base_from
from sortija.server.measures.formulas import own_measures_of
from sortija.server.measures.lens_fields import field_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import (
    Levels,
    MeasuresPage,
    Numbers,
    PresetBody,
    Rows,
    StepsBody,
    Thread,
    Tie,
)
from sortija.server.measures.plan import chosen_donors, prepared_steps, role_of
from sortija.server.measures.reliability import reliability_known, reliability_of
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["measures_page"]


def measures_page(
    study: Study, window: WindowInView | None, lens: str, person: Any,
    beside: WindowInView | None = None, of: str = "",
) -> MeasuresPage:  # fmt: skip
    """The whole station in one answer."""
    at = measures_to_show(study, window, person, of) if window else MeasuresToShow(None)
    made = at.made
    plan, revision = plan_of(study, of)
    presets = [PresetBody(name=p.name, label=p.label, words=p.words) for p in PRESETS]
    plans, kept_revision = kept_plans(study)
    kept = [row["name"] for row in plans]
    _, own_revision = own_measures_of(study)
    if made is None or window is None:
        empty = Status(
            state="empty",
            words="Measures come from a log, or from a customer table. Import one at the Ledger.",
        )
        return MeasuresPage(
            status=at.status or empty, made_from="", plan_revision=revision,
            own_revision=own_revision, kept_revision=kept_revision, customers=0,
            with_purchase=0, beside=None, beside_lacks="", threads=[],
            presets=presets, kept=kept, reconciliation=None, has_log=False, of=of, populations=[],
        )  # fmt: skip
    rows = lens_rows(study, window, lens, made)
    lacks = _not_compared(study, window, beside) if beside else ""
    second = measures_to_show(study, beside, person, of).made if beside and not lacks else None
    return MeasuresPage(
        status=at.status or Status(state="whole"), made_from=made.stamp, plan_revision=revision,
        own_revision=own_revision, kept_revision=kept_revision,
        customers=int(base_from(made).known.sum()),
        with_purchase=int(made.present.sum()),
        beside=int(second.present.sum()) if second else None, beside_lacks=lacks,
        threads=_threads(made, plan, rows, second), presets=presets, kept=kept,
        reconciliation=made.reconciliation,
        has_log=bool(made.rows), of=of, populations=_populations(study, window),
    )  # fmt: skip


def _not_compared(study: Study, window: WindowInView, beside: WindowInView) -> str:
    """Why two windows are not compared: the log does not cover one of them whole."""
    for each in (beside, window):
        if words := covered(study, each):
            return f"Not compared: of the window to {each.to:%d %b %Y} {words}."
    return ""


def _populations(study: Study, window: WindowInView) -> list[Rows]:
    return [
        Rows(name=t.name, label=t.label, levels=len(t.levels))
        for t in traits_of(study, window.to)
        if t.kind == "category" and t.type in ("category", "ordered") and len(t.levels) > 1
    ]


def _threads(
    made: MeasureSet,
    plan: Plan,
    rows: NDArray[np.int64] | None,
    second: MeasureSet | None,
) -> list[Thread]:
    place = {family: n for n, family in enumerate(FAMILIES)}
    names = sorted(made.sources, key=lambda n: place[made.about(n).family])
    ties = _ties(made, names)
    formulas = {own.name: own.formula for own in own_measures_of(made.study)[0]}
    donors = chosen_donors(made, plan)
    unsure = int((made.at_least & made.present).sum())
    then = np.flatnonzero(second.present) if second else None

    words = {name: words_of_values(made.study, name) for name in names}
    reliability = {} if made.of else reliability_known(made)

    def one(name: str) -> Thread:
        about, source = made.about(name), made.source(name)
        number = source.kind == "number"
        return Thread(
            name=name, field=field_of(made, name), label=about.label, unit=about.unit,
            definition=about.definition, family=about.family, whole=about.whole,
            role=role_of(made, plan, name), proposed_role=about.role,
            because=about.because,
            by_definition=about.by_definition, formula=formulas.get(name, ""), note=source.note,
            at_least=unsure if name == "tenure" else 0,
            reliability=reliability_of(reliability.get(name)),
            ties=ties.get(name, []),
            numbers=_numbers(made, plan, name, rows, (second, then), donors) if number else None,
            levels=None if number else _levels(made, name, rows, words[name]),
        )  # fmt: skip

    # Threads must find every file in place: only this one may ask the database.
    for each in (made, second) if second else (made,):
        for name in each.sources:
            each.column(name)
    return ENGINE.map(one, names)


def _numbers(
    made: MeasureSet, plan: Plan, name: str, rows: NDArray[np.int64] | None,
    beside: tuple[MeasureSet | None, NDArray[np.int64] | None], donors: Donors | None,
) -> Numbers:  # fmt: skip
    steps = prepared_steps(made, plan, name)
    look = summary_of(made, name, steps, donors)
    axis = Axis(**look["axis"])
    teal, middle = _on_axis(made, name, rows, axis) if rows is not None else (None, None)
    other, other_middle = None, None
    second, then = beside
    if second is not None and then is not None and name in second.sources:
        other, other_middle = _on_axis(second, name, then, axis)
    return Numbers(
        lens=teal, lens_median=middle, beside=other, beside_median=other_middle,
        steps=StepsBody(**asdict(steps)), **look,
    )  # fmt: skip


def _on_axis(
    made: MeasureSet, name: str, rows: NDArray[np.int64], axis: Axis
) -> tuple[list[int], float | None]:
    """Shape and median of some customers on an axis that was chosen for others."""
    values = np.asarray(made.column(name).values, np.float64)
    steps = steps_for(axis, made.about(name).whole, THREAD_STEPS)
    counts, median = outline(values, rows, axis, steps)
    return counts.tolist(), None if np.isnan(median) else median


def _levels(
    made: MeasureSet, name: str, rows: NDArray[np.int64] | None, words: Mapping[str, str]
) -> Levels:
    look = category_summary(made, name)
    teal = None
    if rows is not None:
        column = made.column(name)
        counts = np.bincount(np.asarray(column.values)[rows], minlength=len(column.levels) + 1)
        place = {level: n + 1 for n, level in enumerate(column.levels)}
        teal = [int(counts[place[level]]) for level in look["levels"]]
    said = [words.get(level, level) for level in look["levels"]]
    return Levels(**look, words=said, lens=teal)


def _ties(made: MeasureSet, names: list[str]) -> dict[str, list[Tie]]:
    """Measures that say the same, by rank; shares of one kind are left out, for they sum to 1."""
    numbers = [n for n in names if made.source(n).kind == "number" and not _is_part(n)]
    found = likeness(made, numbers, rank=True)
    out: dict[str, list[Tie]] = {}
    for i, name in enumerate(found.names):
        mine = [
            Tie(name=other, label=made.about(other).label, value=value)
            for j, other in enumerate(found.names)
            if i != j and (value := found.values[i][j]) is not None and abs(value) >= SAME
        ]
        out[name] = sorted(mine, key=lambda tie: -abs(tie.value))
    return out


def _is_part(name: str) -> bool:
    return bool(re.match(r"share_|offer:", name))


@when_made
def _describe(study: Study, window: WindowInView, of: str) -> None:
    """Work out every thread, so that the first look at a large window finds it ready."""
    measures_page(study, window, "", None, of=of)


@station("measures", 2, "Measures")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    if window is None:
        return Fact("not yet", "needs a log")
    at = measures_to_show(study, window)
    if at.made is None:
        return at.fact("") if ledger_of(study) else Fact("not yet", "needs a log")
    plan, _ = plan_of(study)
    names = list(at.made.sources)
    used = sum(role_of(at.made, plan, name) == "shapes" for name in names)
    return at.fact(f"{used} of {len(names)} in use")
