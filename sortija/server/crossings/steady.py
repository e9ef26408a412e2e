"""Would customers stand in the same group if the year happened again? Found out after each run."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from sortija.core.crossings.rearranged import null_of
from sortija.core.crossings.steadiness import Steadiness, steadiness_of
from sortija.core.crossings.yardsticks import ByCentres, MovingYardstick
from sortija.core.engine import Engine
from sortija.core.groups.grouping import group
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation, Recipe, RecipeError, prepare
from sortija.core.progress import Progress
from sortija.server.crossings.redrawing import inputs_for, modelled
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import table_for
from sortija.server.groups.runs.result import GroupingResult
from sortija.server.groups.runs.swept import when_swept
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.column_summaries import find_summary, keep_summary
from sortija.server.measures.many_windows import make_now
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.measures.reliability import (
    Reliability,
    finds_reliability,
    keep_reliability,
    reliability_known,
    reliability_of,
)
from sortija.server.studies.actions import changing, touch
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["SteadierPage", "steadier_page"]

VERSION = 1


class Variant(BaseModel):
    """A grouping of as many groups from another recipe; ``same_again``: its steadiness."""

    words: str
    same_again: float
    low: float
    high: float


class SteadierPage(BaseModel):
    """What would make a grouping steadier, the steadiest first, itself among them (``own``: its
    place); ``luck``: the measure that ranks customers least alike in two years, and how alike;
    ``lacks``: why it cannot be told."""

    status: Status
    rows: list[Variant]
    own: int
    luck: str
    reliability: Reliability | None
    lacks: str


def _both_windows(window: WindowInView) -> tuple[WindowInView, WindowInView]:
    """The window and the one that ends where it begins, whole years apart."""
    years = max(1, -(-(window.months or 12) // 12))
    before = window
    for _ in range(years):
        before = before.year_before
    return before, window


def _lacks(study: Study, window: WindowInView) -> str:
    """Why two years cannot be compared; empty where they can."""
    if ledger_of(study) is None:
        return "It is told from a log, and this study has none."
    before, after = _both_windows(window)
    if window.months is None:
        return "It is told of windows that look back a number of months."
    for each in (before, after):
        if words := covered(study, each):
            return f"The log is too short to tell: of the window to {each.to:%d %b %Y} {words}."
    try:
        null_of(before.window, after.window)
    except ValueError as problem:
        words = str(problem)
        return f"{words[0].upper()}{words[1:]}."
    return ""


@when_swept
def _after_a_run(study: Study, made_from: str) -> None:
    row = Grouping.objects.filter(study=study, made_from=made_from).first()
    if row is None or _lacks(study, WindowInView.parse(row.window)):
        return
    rows = Grouping.objects.filter(study=study, made_from=made_from, binned=False)
    ks = [each.k for each in rows.order_by("k") if each.outcome.same_again is None]
    if ks:
        work.join(
            study.pk, "crossings.steadiness", fingerprint("steady", VERSION, made_from, ks),
            "Trying the groups on the same year again", None, {"run": made_from},
        )  # fmt: skip


@finds_reliability
def _reliability_of(made: MeasureSet, name: str) -> None:
    """Begin to find out about one measure that somebody opened."""
    if modelled(made, (name,)) or _lacks(made.study, made.window):
        return
    work.join(
        made.study.pk, "crossings.reliability", fingerprint("reliability", made.stamp, name),
        f"Is {made.about(name).label} reliable?", None,
        {"window": made.window.key, "name": name},
    )  # fmt: skip


@handles("crossings.reliability", repeatable=True)
def _reliability(job: Job, running: Running) -> None:
    study, name = Study.objects.get(pk=job.study), job.arguments["name"]
    window, ledger = WindowInView.parse(job.arguments["window"]), ledger_of(study)
    if ledger is None or _lacks(study, window):
        return
    made = _measures(study, window, running.progress)
    if name not in made[1].derived or name in reliability_known(made[1]):
        return
    engine = engine_for(running.progress)
    try:
        inputs = inputs_for(ledger, made[0], made[1], (name,))
        found = steadiness_of(inputs, [], engine=engine, progress=running.progress)
    finally:
        engine.release()
    keep_reliability(made[1], {name: found.measures.get(name, float("nan"))})


def _measures(study: Study, window: WindowInView, progress: Progress) -> list[MeasureSet]:
    windows = _both_windows(window)
    make_now(study, windows, progress)
    found = [measures_or_job(study, each) for each in windows]
    made = [each for each in found if isinstance(each, MeasureSet)]
    if len(made) < 2:
        raise JobError("The log changed meanwhile. Group again.")
    return made


def _yardstick(row: Grouping) -> ByCentres:
    return ByCentres(Preparation.from_json(row.preparation), Centres.from_json(row.centres))


def _tried(
    made: list[MeasureSet], yardsticks: list[MovingYardstick], progress: Progress
) -> Steadiness:
    """The steadiness of groupings, and the reliability of what shapes them."""
    names = tuple(dict.fromkeys(name for by in yardsticks for name in by.names))
    if label := modelled(made[1], names):
        raise JobError(f"It cannot be told: {label} shapes the groups, which a model makes.")
    ledger = ledger_of(made[1].study)
    if ledger is None:
        raise JobError("The log was removed. Import it again.")
    engine = engine_for(progress)
    try:
        found = steadiness_of(
            inputs_for(ledger, made[0], made[1], names), yardsticks, engine=engine,
            progress=progress,
        )  # fmt: skip
    except Problem as problem:
        raise JobError(str(problem)) from problem
    finally:
        engine.release()
    keep_reliability(made[1], found.measures)
    return found


@handles("crossings.steadiness", repeatable=True)
def _steadiness(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    rows = list(
        Grouping.objects.filter(study=study, made_from=job.arguments["run"], binned=False)
    )  # fmt: skip
    if not rows or _lacks(study, WindowInView.parse(rows[0].window)):
        return
    made = _measures(study, WindowInView.parse(rows[0].window), running.progress)
    found = _tried(made, [_yardstick(row) for row in rows], running.progress)
    with changing(study):
        for row, steady in zip(rows, found.groupings, strict=True):
            if np.isnan(steady.mean):
                continue
            told = (steady.mean, steady.low, steady.high)

            def add(outcome: GroupingResult, told: tuple[float, float, float] = told) -> None:
                outcome.same_again = told

            Grouping.objects.get(pk=row.pk).add_to_outcome(add)
        touch(study)


def steadier_page(study: Study, grouping: int) -> SteadierPage:
    """What other recipes of as many groups come to; made by a job when first asked for."""
    row = Grouping.objects.filter(study=study, pk=grouping).first()
    if row is None:
        raise Problem("There is no such grouping here.", 404)
    page = SteadierPage(
        status=Status(state="whole"), rows=[], own=0, luck="", reliability=None, lacks=""
    )  # fmt: skip
    page.lacks = _lacks(study, WindowInView.parse(row.window))
    if page.lacks:
        return page
    key = fingerprint("steadier", VERSION, row.made_from, row.k)
    found = find_summary(key)
    if found is not None:
        return SteadierPage(
            status=Status(state="whole"), lacks="",
            **{**found, "reliability": reliability_of(found["reliability"])},
        )  # fmt: skip
    job = work.join(
        study.pk, "crossings.steadier", key, "Looking for what makes groups steadier", None,
        {"grouping": row.pk},
    )  # fmt: skip
    page.status = waiting_for(job)
    return page


@handles("crossings.steadier", repeatable=True)
def _steadier(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    row = Grouping.objects.filter(study=study, pk=job.arguments["grouping"]).first()
    if row is None or _lacks(study, window := WindowInView.parse(row.window)):
        return
    made, recipe = _measures(study, window, running.progress), Recipe.from_json(row.recipe)
    said: list[str] = ["as it is"]
    yardsticks: list[MovingYardstick] = [_yardstick(row)]
    columns = [*recipe.numeric, *recipe.categories]
    for place, name in enumerate(columns if len(columns) > 1 else ()):
        running.progress("grouping without one column", place, len(columns))
        other = _without(study, made[1], recipe, name, row.k)
        if other is not None:
            said.append(f"without {made[1].about(name).label}")
            yardsticks.append(other)
    found = _tried(made, yardsticks, running.progress)
    rows = [
        Variant(words=words, same_again=steady.mean, low=steady.low, high=steady.high)
        for words, steady in zip(said, found.groupings, strict=True) if not np.isnan(steady.mean)
    ]  # fmt: skip
    rows += _twice_as_long(study, window, recipe, row.k, running.progress)
    order = sorted(rows, key=lambda each: -each.same_again)
    own = next((n for n, each in enumerate(order) if each.words == "as it is"), 0)
    told = {n: v for n, v in found.measures.items() if n in recipe.numeric and not np.isnan(v)}
    least = min(told, key=lambda name: told[name]) if told else ""
    keep_summary(job.key, {
        "rows": [each.model_dump() for each in order], "own": own,
        "luck": made[1].about(least).label if least else "",
        "reliability": told[least] if least else None,
    })  # fmt: skip


def _without(
    study: Study, made: MeasureSet, recipe: Recipe, name: str, k: int
) -> MovingYardstick | None:  # fmt: skip
    """The same recipe without one column; None where it then makes no k groups."""
    return _grouped(study, made, recipe.without(name), k)


def _grouped(study: Study, made: MeasureSet, recipe: Recipe, k: int) -> ByCentres | None:
    engine = Engine()
    try:
        names = [*recipe.numeric, *recipe.categories]
        rows = prepare(table_for(study, made, names), recipe, made.present)
        fit = group(rows, k, recipe, engine=engine)
    except (RecipeError, Problem):
        return None
    finally:
        engine.release()
    return ByCentres(rows.preparation, fit.centres)


def _twice_as_long(
    study: Study, window: WindowInView, recipe: Recipe, k: int, progress: Progress
) -> list[Variant]:  # fmt: skip
    """The same recipe over a window twice as long, where the log has two of them."""
    if window.months not in (3, 6, 12):
        return []
    longer = WindowInView(window.to, str(2 * window.months))
    if _lacks(study, longer):
        return []
    made = _measures(study, longer, progress)
    by = _grouped(study, made[1], recipe, k)
    if by is None:
        return []
    [steady] = _tried(made, [by], progress).groupings
    words = f"over {longer.months} months instead of {window.months}"
    if np.isnan(steady.mean):
        return []
    return [Variant(words=words, same_again=steady.mean, low=steady.low, high=steady.high)]
