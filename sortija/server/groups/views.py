"""What Groups shows: the recipe, the string of k, the suggestion."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.compare import cross_table
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.validity import knee_of
from sortija.core.measures.catalogue import MEASURES
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.recipe.inputs import inputs_of
from sortija.server.groups.recipe.page import RecipeBody, recipe_body
from sortija.server.jobs.models import Job
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.http import Status, job_row, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["Adopted", "CandidateRow", "GroupsPage", "adopted_body", "candidate_rows", "groups_page"]


class Strand(BaseModel):
    """Customers of group ``above`` who stand in group ``below`` of the next row (from 0)."""

    above: int
    below: int
    customers: int


class CandidateRow(BaseModel):
    """One k: customers by group, how often each comes back, and how well it holds.

    ``threads``: from this row's groups to the next row's; ``resampled``: how often it was drawn
    anew for ``stability``; ``moved``: share that changed group to be with its nearest centre;
    ``refusal``: why it cannot be adopted; ``equals``: the column that alone would group largely
    alike, in words; ``field``: what a lens calls its groups.
    """

    id: int
    k: int
    field: str
    counts: list[int]
    stability: list[float]
    resampled: int
    silhouettes: list[float | None]
    error_shares: list[float | None]
    cost: float
    cost_share: float
    silhouette: float
    exact: bool
    smallest: float
    weakest: float
    calinski_harabasz: float | None
    davies_bouldin: float | None
    gap: float | None
    gap_error: float | None
    moved: float
    refusal: str
    equals: str
    starred: bool
    threads: list[Strand]


def _equals(result: dict[str, Any]) -> str:
    told = result.get("equals")
    if not told:
        return ""
    name, share = told
    label = str(name).removeprefix("trait:").replace("_", " ")
    label = MEASURES[label].label if label in MEASURES else label.capitalize()
    return (
        f"These groups are largely {label}: by it alone {share:.0%} of the customers would stand "
        "in the same group."
    )


class SuggestionBody(BaseModel):
    k: int | None
    words: str


class AdoptedSegment(BaseModel):
    """``carried``: whose identity it has, and what share of both their customers they share."""

    id: int
    number: int
    mark: int
    name: str
    carried: str
    carried_share: float | None


class Adopted(BaseModel):
    """The yardstick: its grouping or ladder, home window, and what has changed since."""

    id: int
    grouping: int | None
    made_from: str
    ladder: bool
    k: int
    home_to: str
    home_back: str
    at: str
    person: str
    since: str
    segments: list[AdoptedSegment]
    vanished: list[str]


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
    cautions: list[str]
    knee: int | None
    suggestion: SuggestionBody | None
    adopted: Adopted | None
    kept: int
    trees: bool


@lru_cache(maxsize=64)
def _threads(key: Keyed[tuple[Grouping, Grouping]]) -> list[Strand]:
    """Who stays together between two candidates."""
    above, below = key.value
    a = np.asarray(read_column(above.labels).values) - 1
    b = np.asarray(read_column(below.labels).values) - 1
    table = cross_table(a, b, above.k, below.k)
    return [
        Strand(above=int(i), below=int(j), customers=int(table[i, j]))
        for i, j in zip(*np.nonzero(table), strict=True)
    ]


def candidate_rows(groupings: list[Grouping]) -> list[CandidateRow]:
    base = groupings[0].result["cost"] if groupings else 1.0
    return [
        _row(grouping, groupings[place + 1] if place + 1 < len(groupings) else None, base)
        for place, grouping in enumerate(groupings)
    ]


def _row(grouping: Grouping, following: Grouping | None, base: float) -> CandidateRow:
    result = grouping.result
    stability = result.get("stability_100") or result["stability"]
    joined = following is not None and following.k == grouping.k + 1
    return CandidateRow(
        id=grouping.pk, k=grouping.k, field=f"grouping:{grouping.pk}", counts=result["counts"],
        stability=stability, resampled=100 if "stability_100" in result else 20,
        silhouettes=result["silhouettes"], error_shares=result.get("error_shares", []),
        cost=result["cost"], cost_share=result["cost"] / base if base else 0.0,
        silhouette=result["silhouette"], exact=result["exact"],
        smallest=min(result["counts"]) / sum(result["counts"]), weakest=min(stability),
        calinski_harabasz=result.get("calinski_harabasz"),
        davies_bouldin=result.get("davies_bouldin"), gap=result.get("gap"),
        gap_error=result.get("gap_error"), moved=result.get("moved", 0.0),
        refusal=result.get("refusal", ""), equals=_equals(result), starred=grouping.starred,
        threads=_threads(
            Keyed((grouping.labels.token, following.labels.token), (grouping, following))
        ) if following is not None and joined else [],
    )  # fmt: skip


def changes_since(study: Study, yardstick: Yardstick) -> str:
    """What has changed in the ledger since the yardstick was decided, in words."""
    ledger = ledger_of(study)
    if ledger is None:
        return "the log was taken back since" if yardstick.decided_on else ""
    if ledger.made_from == yardstick.decided_on:
        return ""
    moved = len(set(ledger.on) ^ set(yardstick.rules))
    if moved:
        return f"{moved} rule{'s' if moved > 1 else ''} changed since"
    return "the ledger's files changed since"


def adopted_body(study: Study) -> Adopted | None:
    """The yardstick for the wire."""
    yardstick = yardstick_of(study)
    if yardstick is None:
        return None
    to, _, back = yardstick.home.partition(":")
    grouping = yardstick.grouping
    return Adopted(
        id=yardstick.pk, grouping=grouping.pk if grouping else None,
        made_from=grouping.made_from if grouping else "", ladder=grouping is None,
        k=yardstick.k, home_to=to, home_back=back, at=yardstick.adopted_at.isoformat(),
        person=str(yardstick.person or ""), since=changes_since(study, yardstick),
        segments=[
            AdoptedSegment(
                id=s.pk, number=s.number, mark=s.mark, name=s.name,
                carried=s.carried.name if s.carried else "", carried_share=s.carried_share,
            )
            for s in yardstick.segments.select_related("carried")
        ],
        vanished=yardstick.vanished,
    )  # fmt: skip


def _status(study: Study, stamp: str, groupings: list[Grouping], most: int) -> Status:
    jobs = Job.objects.filter(study=study.pk, kind="groups.sweep", key=stamp).order_by("-id")
    job = jobs.first()
    if job is not None and job.state in Job.OPEN:
        return waiting_for(job)
    if job is not None and job.state == Job.FAILED:
        return Status(state="failed", words=job.error, job=job_row(job))
    if groupings and job is not None and job.state == Job.CANCELLED:
        words = f"Stopped after {groupings[-1].k} groups; the rows that were there stay."
        return Status(state="out of date", words=words)
    asked = int(job.arguments.get("most", 8)) if job is not None else most
    if groupings and asked < most:
        words = f"Rows up to {most} groups are asked for; up to {asked} were tried."
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
        customers=0, left_out=0, dropped=[], cautions=[], knee=None, suggestion=None,
        adopted=adopted_body(study), kept=0, trees=False,
    )  # fmt: skip


def groups_page(study: Study, window: WindowInView | None, run: str = "") -> GroupsPage:
    """The whole station in one answer; ``run``: the rows of what was tried before."""
    made = measures_or_job(study, window) if window else None
    if not isinstance(made, MeasureSet):
        empty = Status(state="empty", words="Groups are made from measures. Bring in a log first.")
        return _nothing(study, waiting_for(made) if isinstance(made, Job) else empty)
    recipe = recipe_body(study, made)
    tried = Grouping.objects.filter(study=study, binned=False).select_related("labels")
    try:
        stamp = inputs_of(study, made).stamp
        own = list(tried.filter(made_from=stamp, k__lte=recipe.draft.most).order_by("k"))
        status = _status(study, stamp, own, recipe.draft.most)
    except Problem as problem:
        stamp, own, status = "", [], Status(state="failed", words=problem.detail)
    shown, asked = own, bool(run) and run != stamp
    if asked:
        shown = list(tried.filter(made_from=run).order_by("k"))
        if not shown:
            raise Problem("These groups are no longer kept.", 404)
    elif not own and status.state in ("out of date", "failed"):
        last = tried.order_by("-id").first()
        run = last.made_from if last is not None else ""
        shown = list(tried.filter(made_from=run).order_by("k")) if run else []
    rows = candidate_rows(shown)
    return GroupsPage(
        status=status,
        made_from=stamp,
        run=shown[0].made_from if shown else "",
        foreign=asked,
        recipe=recipe,
        candidates=rows,
        method=shown[0].recipe["method"] if shown else "",
        customers=sum(rows[0].counts) if rows else 0,
        left_out=shown[0].result["left_out"] if shown else 0,
        dropped=shown[0].result["dropped"] if shown else [],
        cautions=shown[0].result.get("cautions", []) if shown else [],
        knee=knee_of([r.k for r in rows], [r.cost for r in rows]) if rows else None,
        suggestion=_suggestion(rows, shown)
        if rows and (asked or status.state == "whole")
        else None,
        adopted=adopted_body(study),
        kept=tried.count(),
        trees=bool(shown) and shown[0].recipe["method"] == "hierarchical",
    )


def _suggestion(rows: list[CandidateRow], shown: list[Grouping]) -> SuggestionBody:
    found = suggest(
        [r.k for r in rows], [r.silhouette for r in rows], [r.weakest for r in rows],
        [r.smallest for r in rows], shown[0].verdict,
    )  # fmt: skip
    return SuggestionBody(k=found.k, words=found.words)


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
        result = yardstick.grouping.result
        weights = np.array(result["counts"]) / sum(result["counts"])
        mean = float((np.array(result["stability"]) * weights).sum())
        words = f"{yardstick.k} adopted, stability {mean:.2f}"
    # A decision never goes out of date; what was decided on an older ledger says so.
    return Fact("current", words, f"decided before: {since}" if since else "")
