"""What Groups shows: the recipe, the string of k, the suggestion."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.compare import cross_table
from sortija.core.groups.suggestion import suggest
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.inputs import chosen, draft_of, groupable, inputs_of
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.jobs.models import Job
from sortija.server.ledger.ledger import ledger_of
from sortija.server.measures.actions import plan_of
from sortija.server.measures.made import Made, made_or_job
from sortija.server.measures.payloads import StepsBody
from sortija.server.measures.views import prepared_steps
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.http import Status, job_row, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import Fact, station
from sortija.server.studies.windows import WindowInView

__all__ = ["GroupsPage", "groups_page"]


class NumericInput(BaseModel):
    name: str
    label: str
    picked: bool
    steps: StepsBody
    missing: int


class CategoryInput(BaseModel):
    name: str
    label: str
    picked: bool
    values: int


class RecipeBody(BaseModel):
    revision: int
    numeric: list[NumericInput]
    categories: list[CategoryInput]
    balance: float
    seed: int
    starts: int
    method: str


class Strand(BaseModel):
    """Customers of group ``above`` who stand in group ``below`` of the next row (from 0)."""

    above: int
    below: int
    customers: int


class CandidateRow(BaseModel):
    """One k: customers by group, how often each comes back, and how well it holds.

    ``threads``: from this row's groups to the next row's.
    """

    id: int
    k: int
    counts: list[int]
    stability: list[float]
    silhouettes: list[float | None]
    cost: float
    cost_share: float
    silhouette: float
    exact: bool
    smallest: float
    weakest: float
    threads: list[Strand]


class SuggestionBody(BaseModel):
    k: int | None
    words: str


class Adopted(BaseModel):
    """The yardstick: its grouping, home window, and what has changed since it was decided."""

    id: int
    grouping: int
    k: int
    home_to: str
    home_back: str
    at: str
    since: str


class GroupsPage(BaseModel):
    status: Status
    made_from: str
    recipe: RecipeBody | None
    candidates: list[CandidateRow]
    customers: int
    left_out: int
    dropped: list[str]
    suggestion: SuggestionBody | None
    adopted: Adopted | None


@lru_cache(maxsize=64)
def _threads(first: int, second: int, rows: int, columns: int) -> list[Strand]:
    """Who stays together between two candidates (columns of labels by their numbers)."""
    columns_of = models.Column.objects.in_bulk([first, second])
    a = np.asarray(read_column(columns_of[first]).values) - 1
    b = np.asarray(read_column(columns_of[second]).values) - 1
    table = cross_table(a, b, rows, columns)
    return [
        Strand(above=int(i), below=int(j), customers=int(table[i, j]))
        for i, j in zip(*np.nonzero(table), strict=True)
    ]


def _candidates(groupings: list[Grouping]) -> list[CandidateRow]:
    out = []
    base = groupings[0].result["cost"] if groupings else 1.0
    for place, grouping in enumerate(groupings):
        result = grouping.result
        following = groupings[place + 1] if place + 1 < len(groupings) else None
        joined = following is not None and following.k == grouping.k + 1
        out.append(
            CandidateRow(
                id=grouping.pk, k=grouping.k, counts=result["counts"],
                stability=result["stability"], silhouettes=result["silhouettes"],
                cost=result["cost"], cost_share=result["cost"] / base if base else 0.0,
                silhouette=result["silhouette"], exact=result["exact"],
                smallest=min(result["counts"]) / sum(result["counts"]),
                weakest=min(result["stability"]),
                threads=_threads(
                    grouping.labels_id, following.labels_id, grouping.k, following.k
                ) if following is not None and joined else [],
            )
        )  # fmt: skip
    return out


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
    return Adopted(
        id=yardstick.pk, grouping=yardstick.grouping_id, k=yardstick.grouping.k, home_to=to,
        home_back=back, at=yardstick.adopted_at.isoformat(), since=changes_since(study, yardstick),
    )  # fmt: skip


def _recipe(study: Study, made: Made) -> RecipeBody:
    draft, revision = draft_of(study)
    plan, _ = plan_of(study)
    numeric, categories = chosen(study, made, draft)
    return RecipeBody(
        revision=revision,
        numeric=[
            NumericInput(
                name=name, label=made.about(name).label, picked=name in numeric,
                steps=StepsBody(**prepared_steps(made, plan, name).__dict__),
                missing=int((made.column(name).missing & made.present).sum()),
            )
            for name, source in made.sources.items()
            if source.kind == "number" and not name.startswith("offer:")
        ],
        categories=[
            CategoryInput(
                name=name.removeprefix("trait:"), label=made.about(name).label,
                picked=name.removeprefix("trait:") in categories,
                values=len(made.column(name).levels),
            )
            for name in groupable(made)
        ],
        balance=draft.balance, seed=draft.seed, starts=draft.starts,
        method="k-prototypes" if categories and draft.balance > 0 else "k-means",
    )  # fmt: skip


def _status(study: Study, stamp: str, groupings: list[Grouping]) -> Status:
    jobs = Job.objects.filter(study=study.pk, kind="groups.sweep", key=stamp).order_by("-id")
    job = jobs.first()
    if job is not None and job.state in Job.OPEN:
        return waiting_for(job)
    if job is not None and job.state == Job.FAILED:
        return Status(state="failed", words=job.error, job=job_row(job))
    if groupings:
        return Status(state="whole")
    if Grouping.objects.filter(study=study).exists():
        words = "The recipe, the window or the ledger changed since the last run."
        return Status(state="out of date", words=words)
    return Status(state="empty", words="No groups have been tried yet.")


def groups_page(study: Study, window: WindowInView | None) -> GroupsPage:
    """The whole station in one answer."""
    made = made_or_job(study, window) if window else None
    if not isinstance(made, Made):
        empty = Status(state="empty", words="Groups are made from measures. Bring in a log first.")
        return GroupsPage(
            status=waiting_for(made) if isinstance(made, Job) else empty, made_from="", recipe=None,
            candidates=[], customers=0, left_out=0, dropped=[], suggestion=None,
            adopted=adopted_body(study),
        )  # fmt: skip
    recipe = _recipe(study, made)
    try:
        stamp = inputs_of(study, made).stamp
    except Problem as problem:
        stamp, words = "", problem.detail
        status = Status(state="failed", words=words)
        groupings: list[Grouping] = []
    else:
        groupings = list(Grouping.objects.filter(study=study, made_from=stamp).order_by("k"))
        status = _status(study, stamp, groupings)
    shown = groupings
    if not shown and status.state in ("out of date", "failed"):
        last = Grouping.objects.filter(study=study).order_by("-id").first()
        if last is not None:
            shown = list(
                Grouping.objects.filter(study=study, made_from=last.made_from).order_by("k")
            )
    rows = _candidates(shown)
    found = suggest(
        [r.k for r in rows], [r.silhouette for r in rows], [r.weakest for r in rows],
        [r.smallest for r in rows], shown[0].result.get("bound", float("nan")) if shown else -1.0,
    )  # fmt: skip
    ready = bool(rows) and status.state == "whole"
    return GroupsPage(
        status=status,
        made_from=stamp,
        recipe=recipe,
        candidates=rows,
        customers=sum(rows[0].counts) if rows else 0,
        left_out=shown[0].result["left_out"] if shown else 0,
        dropped=shown[0].result["dropped"] if shown else [],
        suggestion=SuggestionBody(k=found.k, words=found.words) if ready else None,
        adopted=adopted_body(study),
    )


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
    result = yardstick.grouping.result
    weights = np.array(result["counts"]) / sum(result["counts"])
    mean = float((np.array(result["stability"]) * weights).sum())
    since = changes_since(study, yardstick)
    words = f"{yardstick.grouping.k} adopted, stability {mean:.2f}"
    # A decision never goes out of date; what was decided on an older ledger says so.
    return Fact("current", words, f"decided before: {since}" if since else "")
