"""What Groups shows: the recipe, the string of k, the suggestion."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.core.groups.suggestion import suggest
from sortija.core.groups.validity import knee_of
from sortija.core.groups.verdict import Verdict
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import Draft, inputs_of
from sortija.server.groups.recipe.page import RecipeBody, recipe_body
from sortija.server.groups.runs.candidates import (
    CandidateRow,
    CriterionBody,
    candidate_rows,
    criteria_of,
)
from sortija.server.groups.yardsticks.in_use import Adopted, adopted_body, changes_since
from sortija.server.jobs.models import Job
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.http import Status, job_row, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import Fact, in_rows, station
from sortija.server.studies.windows import WindowInView

__all__ = ["GroupsPage", "groups_page"]


class SuggestionBody(BaseModel):
    k: int | None
    words: str


class GroupsPage(BaseModel):
    """``run``: what the rows were made from; ``foreign``: it is not the present recipe's."""

    status: Status
    made_from: str
    run: str
    foreign: bool
    recipe: RecipeBody | None
    candidates: list[CandidateRow]
    method: str
    customers: int
    left_out: int
    dropped: list[str]
    criteria: list[CriterionBody]
    knee: int | None
    suggestion: SuggestionBody | None
    adopted: Adopted | None
    kept: int
    trees: bool


def _status(study: Study, stamp: str, groupings: list[Grouping], draft: Draft) -> Status:
    jobs = Job.objects.filter(study=study.pk, kind="groups.sweep", key=stamp).order_by("-id")
    job = jobs.first()
    if job is not None and job.state in Job.OPEN:
        return waiting_for(job)
    if job is not None and job.state == Job.FAILED:
        return Status(state="failed", words=job.error, job=job_row(job))
    if groupings and job is not None and job.state == Job.CANCELLED:
        words = f"Stopped after {groupings[-1].k} groups; the rows that were there stay."
        return Status(state="out of date", words=words)
    at = job.arguments if job is not None else draft.model_dump()
    least, most = int(at.get("least", 2)), int(at.get("most", 8))
    if groupings and (most < draft.most or least > draft.least):
        words = f"{draft.least} to {draft.most} groups are asked for; {least} to {most} were tried."
        return Status(state="out of date", words=words)
    if groupings:
        return Status(state="whole")
    if Grouping.objects.filter(study=study, binned=False).exists():
        words = "The recipe, the window or the ledger changed since the last run."
        return Status(state="out of date", words=words)
    return Status(state="empty", words="No groups have been tried yet.")


def _nothing(study: Study, status: Status) -> GroupsPage:
    return GroupsPage(
        status=status, made_from="", run="", foreign=False, recipe=None, candidates=[], method="",
        customers=0, left_out=0, dropped=[], criteria=[], knee=None, suggestion=None,
        adopted=adopted_body(study), kept=0, trees=False,
    )  # fmt: skip


def groups_page(study: Study, window: WindowInView | None, run: str = "") -> GroupsPage:
    """The whole station in one answer; ``run``: the rows of what was tried before."""
    made = measures_or_job(study, window) if window else None
    if not isinstance(made, MeasureSet):
        empty = Status(state="empty", words="Groups are made from measures. Import a log first.")
        return _nothing(study, waiting_for(made) if isinstance(made, Job) else empty)
    recipe = recipe_body(study, made)
    tried = Grouping.objects.filter(study=study, binned=False).select_related("labels")
    try:
        stamp = inputs_of(study, made).stamp
        asked = recipe.draft
        own = list(tried.filter(made_from=stamp, k__range=(asked.least, asked.most)).order_by("k"))
        status = _status(study, stamp, own, asked)
    except Problem as problem:
        stamp, own, status = "", [], Status(state="failed", words=problem.detail)
    shown, foreign = own, bool(run) and run != stamp
    if foreign:
        shown = list(tried.filter(made_from=run).order_by("k"))
        if not shown:
            raise Problem("These groups are no longer kept.", 404)
    elif not own and status.state in ("out of date", "failed"):
        last = tried.order_by("-id").first()
        run = last.made_from if last is not None else ""
        shown = list(tried.filter(made_from=run).order_by("k")) if run else []
    rows = [
        row.model_copy(update={"equals": in_rows(study, row.equals)})
        for row in candidate_rows(shown)
    ]
    first = shown[0].outcome if shown else None
    return GroupsPage(
        status=status,
        made_from=stamp,
        run=shown[0].made_from if shown else "",
        foreign=foreign,
        recipe=recipe,
        candidates=rows,
        method=shown[0].recipe["method"] if shown else "",
        customers=sum(rows[0].counts) if rows else 0,
        left_out=first.left_out if first else 0,
        dropped=first.dropped if first else [],
        criteria=criteria_of(rows),
        knee=knee_of([r.k for r in rows], [r.cost for r in rows]) if rows else None,
        suggestion=_suggestion(study, rows, shown)
        if rows and (foreign or status.state == "whole")
        else None,
        adopted=adopted_body(study),
        kept=tried.count(),
        trees=bool(shown) and shown[0].recipe["method"] == "hierarchical",
    )


def _suggestion(study: Study, rows: list[CandidateRow], shown: list[Grouping]) -> SuggestionBody:
    found = suggest(
        [r.k for r in rows], [float("nan") if r.silhouette is None else r.silhouette for r in rows],
        [r.weakest for r in rows],
        [r.smallest for r in rows], _verdict(shown), [r.same_again for r in rows],
    )  # fmt: skip
    return SuggestionBody(k=found.k, words=in_rows(study, found.words))


def _verdict(shown: list[Grouping]) -> Verdict | None:
    """What is known of the run as a whole; of everyone as one group nothing is."""
    return next((row.verdict for row in shown if row.k > 1), None)


@station("groups", 4, "Groups")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    if Job.objects.filter(study=study.pk, kind="groups.sweep", state__in=Job.OPEN).exists():
        return Fact("working", "grouping by 2 to 8")
    yardstick = yardstick_of(study)
    if yardstick is None:
        if window is None:
            return Fact("not yet", "needs measures")
        tried = Grouping.objects.filter(study=study).exists()
        return Fact("not yet", "tried, none adopted" if tried else "none tried yet")
    since = changes_since(study, yardstick)
    words = f"a ladder of {yardstick.k} tiers"
    if yardstick.grouping is not None:
        words = f"{yardstick.k} adopted, stability {yardstick.grouping.outcome.steady:.2f}"
    # A decision never goes out of date; what was decided on an older ledger says so.
    return Fact("current", words, f"decided before: {since}" if since else "")
