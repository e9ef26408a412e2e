"""The same recipe on another window, its groups matched to the segments in use."""

from __future__ import annotations

import time

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.compare import adjusted_rand, carry_over, cross_table, rand_in_words
from sortija.core.groups.recipe import Recipe, RecipeError, prepare
from sortija.core.groups.sweep import sweep
from sortija.server.crossings.states import SegmentKey, states_of
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.jobs import keep_candidate
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.recipe.inputs import inputs_from, table_for
from sortija.server.groups.yardsticks.assignments import assignment_from
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.columns import read_column
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["RefitPage", "refit_page"]


class Matched(BaseModel):
    """A new group (from 0, null: none carries the segment on) beside the segment that it carries
    on (from 0, null: it is new): how many are in each, and in both."""

    segment: int | None
    group: int | None
    before: int
    now: int
    both: int


class RefitPage(BaseModel):
    """``grouping``: of the new groups, to be adopted in the place of ``in_use``; ``home``: of the
    groups in use; ``to``: the window that was grouped anew; ``agree``: customers in the group that
    carries their segment on, of ``customers``; ``rand``: the adjusted Rand index, ``likeness`` in
    words; ``older``: the window is older than those in use; ``lacks``: why there is none.
    """

    status: Status
    states: list[SegmentKey]
    grouping: int | None
    in_use: int
    home: str
    to: str
    rows: list[Matched]
    agree: int
    customers: int
    rand: float
    likeness: str
    older: bool
    lacks: str


def refit_page(study: Study, window: WindowInView | None) -> RefitPage:
    """The groups that the yardstick's recipe makes of the window in view, matched to its own."""
    page = RefitPage(
        status=Status(state="whole"), states=[], grouping=None, in_use=0, home="", to="",
        rows=[], agree=0, customers=0, rand=0.0, likeness="", older=False, lacks="",
    )  # fmt: skip
    yardstick = yardstick_of(study)
    if yardstick is None or window is None:
        page.status = Status(state="empty", words="Adopt groups first.")
        return page
    home = WindowInView.parse(yardstick.home)
    other = window if window.key != home.key else home.year_before
    page.home, page.to, page.older = home.to.isoformat(), other.to.isoformat(), other.to < home.to
    if yardstick.grouping is None:
        page.lacks = "A ladder has no recipe that finds groups; its tiers are cut at Scores."
        return page
    made = measures_or_job(study, other)
    if not isinstance(made, MeasureSet):
        words = Status(state="empty", words="The log was removed. Import it again.")
        page.status = waiting_for(made) if made else words
        return page
    recipe = Recipe.from_json(yardstick.grouping.recipe)
    gone = [name for name in (*recipe.numeric, *recipe.categories) if name not in made.sources]
    if gone:
        page.lacks = f"The recipe names {gone[0].removeprefix('trait:')}, which is no longer there."
        return page
    stamp = inputs_from(made, recipe).stamp
    row = Grouping.objects.filter(study=study, made_from=stamp, k=yardstick.k).first()
    if row is None:
        job = work.join(
            study.pk, "crossings.refit", fingerprint("refit", stamp, yardstick.k),
            f"Grouping anew, to {other.to:%d %b %Y}", None,
            {"yardstick": yardstick.pk, "window": other.key},
        )  # fmt: skip
        page.status = waiting_for(job)
        return page
    page.states = states_of(yardstick)
    _match(page, yardstick, made, row)
    return page


def _match(page: RefitPage, yardstick: Yardstick, made: MeasureSet, row: Grouping) -> None:
    placed = assignment_from(yardstick.study, yardstick, made).placement
    old = np.where(placed.state < placed.k, placed.state, -1)
    codes = np.asarray(read_column(row.labels).sized(len(old)).values)
    new = codes.astype(np.int64) - 1
    both = (old >= 0) & (new >= 0)
    table = cross_table(old[both], new[both], yardstick.k, row.k)
    heirs = carry_over(table).tolist()
    page.grouping, page.in_use, page.customers = row.pk, yardstick.pk, int(both.sum())
    page.rand = adjusted_rand(old[both], new[both])
    page.likeness = rand_in_words(page.rand)
    page.rows = [
        Matched(
            segment=heir if heir >= 0 else None, group=group,
            before=int(table[heir].sum()) if heir >= 0 else 0, now=int(table[:, group].sum()),
            both=int(table[heir, group]) if heir >= 0 else 0,
        )
        for group, heir in enumerate(heirs)
    ]  # fmt: skip
    page.rows += [
        Matched(segment=segment, group=None, before=int(table[segment].sum()), now=0, both=0)
        for segment in range(yardstick.k) if segment not in heirs
    ]  # fmt: skip
    page.rows.sort(key=lambda each: yardstick.k if each.segment is None else each.segment)
    page.agree = sum(each.both for each in page.rows)


@handles("crossings.refit", repeatable=True)
def _refit(job: Job, running: Running) -> None:
    study = Study.objects.get(pk=job.study)
    yardstick = Yardstick.objects.filter(study=study, pk=job.arguments["yardstick"]).first()
    window = WindowInView.parse(job.arguments["window"])
    made = measures_or_job(study, window)
    if yardstick is None or yardstick.grouping is None:
        return
    if not isinstance(made, MeasureSet):
        raise JobError("The measures of this window are not ready. Look at them first.")
    recipe, began = Recipe.from_json(yardstick.grouping.recipe), time.monotonic()
    engine = engine_for(running.progress)
    try:
        inputs = inputs_from(made, recipe)
        names = [*recipe.numeric, *recipe.categories]
        rows = prepare(table_for(study, made, names), recipe, made.present)
        found = list(sweep(rows, [yardstick.k], recipe, engine, running.progress, settled=True))
        for candidate in found:
            keep_candidate(study, window, inputs, rows, candidate, job.person,
                           time.monotonic() - began)  # fmt: skip
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    finally:
        engine.release()
    if not found:
        raise JobError(f"The customers of this window make no {yardstick.k} groups.")
