"""Propose three: groupings that differ in kind, made while one watches, with reasons and doubts."""

from __future__ import annotations

import math
import time
from typing import Any, get_args

from django.db import transaction
from pydantic import BaseModel

from sortija.core.groups.propose import Inputs as Columns
from sortija.core.groups.propose import Kind, Proposal, inputs_for, propose_groups
from sortija.core.groups.recipe import RecipeError
from sortija.core.labels import within
from sortija.core.table import Table
from sortija.server.groups.jobs import fresh_measures, keep_candidate
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import chosen, draft_of, inputs_from, table_for
from sortija.server.groups.runs.candidates import CandidateRow, candidate_rows
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.measures.actions import plan_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.one_population import population_of
from sortija.server.measures.plan import role_of
from sortija.server.studies.actions import touch
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.http import JobRow, job_row
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["ProposalsPage", "proposals_page", "propose"]

VERSION = 1
BUDGETS = (30, 60, 180)
LARGEST = 12
#: Columns told by their names as parts of a whole, compared by their roots.
_PARTS = "share_"


class GroupProposal(BaseModel):
    """One proposal: ``run`` names all the k that were tried for it."""

    kind: str
    run: str
    method: str
    columns: list[str]
    heaviest: list[str]
    candidate: CandidateRow
    tried: list[int]
    bound: float | None
    reasons: list[str]
    doubts: list[str]


class LeftOut(BaseModel):
    label: str
    why: str


class ProposalsPage(BaseModel):
    """``budget``: seconds after which no further kind is begun; ``done``: all kinds were tried."""

    proposals: list[GroupProposal]
    left_out: list[LeftOut]
    job: JobRow | None
    budget: int
    done: bool


def _stamp(study: Study, made: MeasureSet) -> str:
    names, categories = _offered(study, made)
    stamps = [made.source(name).stamp for name in (*names, *categories)]
    draft, _ = draft_of(study)
    return fingerprint("propose", VERSION, made.stamp, names, categories, stamps, draft.seed)


def _offered(study: Study, made: MeasureSet) -> tuple[list[str], list[str]]:
    """Measures that are not left out, shares of sales included, and the traits that are picked.

    Traits go by Measures' roles and the recipe; numbers beside those of the log only where they
    shape the groups.
    """
    draft, _ = draft_of(study)
    plan, _ = plan_of(study)
    numeric, categories = chosen(study, made, draft)
    numbers = [n for n in made.derived if role_of(made, plan, n) != "out"]
    numbers += [n for n in numeric if n not in numbers]
    return numbers, [f"trait:{name}" for name in categories]


def propose(study: Study, person: Any, made: MeasureSet, budget: int) -> Job:
    """Try methods and k by themselves; a second request joins the first.

    Raises
    ------
    Problem
        Another budget than are offered.
    """
    if budget not in BUDGETS:
        raise Problem("Allow 30, 60 or 180 seconds.")
    at = {"to": made.window.to.isoformat(), "back": made.window.back, "budget": budget}
    stamp = _stamp(study, made)
    return work.start(
        study.pk, "groups.propose", stamp, "Proposing three groupings", person, at, "long"
    )


@handles("groups.propose", repeatable=True)
def _propose(job: Job, running: Running) -> None:
    study, _, made = fresh_measures(job)
    numbers, categories = _offered(study, made)
    ends = time.monotonic() + int(job.arguments.get("budget", 60))
    engine = engine_for(running.progress)
    try:
        table = table_for(study, made, [*numbers, *categories])
        inputs = _inputs(table, numbers, categories, made)
        ks = range(2, min(LARGEST, max(3, int(made.present.sum()) - 1)))
        found = propose_groups(
            table, inputs, made.present, draft_of(study)[0].seed, ks, engine, running.progress,
            enough=lambda: time.monotonic() > ends,
            known={(row.proposal or {})["kind"] for row in _made_before(study, job.key)},
            population=population_of(made),
        )  # fmt: skip
        began = time.monotonic()
        for proposal in found:
            took, began = time.monotonic() - began, time.monotonic()
            _keep(study, made, job, proposal, inputs, took)
            running.kept_one()
        touch(study)
        if time.monotonic() > ends:  # kinds may have been left untried
            Job.objects.filter(pk=job.pk).update(arguments={**job.arguments, "cut": True})
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    finally:
        engine.release()


def _inputs(table: Table, numbers: list[str], categories: list[str], made: MeasureSet) -> Columns:
    parts = [name for name in numbers if name.startswith(_PARTS)]
    return inputs_for(table, numbers, categories, made.present, parts)


def _keep(
    study: Study, made: MeasureSet, job: Job, proposal: Proposal, inputs: Columns, seconds: float
) -> None:
    """All the k that were tried, and which of them is proposed and why."""
    own = inputs_from(made, proposal.recipe)
    with transaction.atomic():
        best = proposal.candidate.k
        for candidate in proposal.tried:
            shown = proposal.candidate if candidate.k == best else candidate
            row = keep_candidate(
                study, made.window, own, proposal.rows, shown, job.person,
                seconds / max(len(proposal.tried), 1),
            )  # fmt: skip
            outcome = row.outcome
            outcome.verdict = proposal.verdict.as_json()
            row.result = outcome.model_dump()
            if candidate.k == best:
                row.proposal = {
                    "kind": proposal.kind, "reasons": _named(made, proposal.reasons),
                    "doubts": list(proposal.doubts), "stamp": job.key,
                    "left_out": [
                        [made.about(name).label, _named(made, (why,))[0]]
                        for name, why in inputs.left_out
                    ],
                }  # fmt: skip
            row.save(update_fields=["result", "proposal"])


def _named(made: MeasureSet, sentences: tuple[str, ...]) -> list[str]:
    """Columns by their labels: the core knows only their names."""
    out = []
    for sentence in sentences:
        for name in sorted(made.sources, key=len, reverse=True):
            head, found, tail = sentence.partition(name)
            if found and not tail[:1].isalnum() and tail[:1] != "_":
                label = made.about(name).label
                whole, share, _ = label.partition(", share")
                called = f"the share of {whole}" if share else within(label)
                sentence = head + called + tail
        out.append(sentence)
    return out


def proposals_page(study: Study, made: MeasureSet) -> ProposalsPage:
    """What was proposed for the present measures, and how far the work is."""
    stamp = _stamp(study, made)
    rows = _made_before(study, stamp)
    job = Job.objects.filter(study=study.pk, kind="groups.propose", key=stamp).last()
    left = (rows[0].proposal or {}).get("left_out", []) if rows else []
    return ProposalsPage(
        proposals=[_body(study, made, row) for row in rows],
        left_out=[LeftOut(label=label, why=why) for label, why in left],
        job=job_row(job) if job and job.state != Job.DONE else None,
        budget=int(job.arguments.get("budget", 60)) if job else 60,
        done=len(rows) == len(get_args(Kind)) or _ran_through(job),
    )  # fmt: skip


def _ran_through(job: Job | None) -> bool:
    """Whether every kind was tried; two of them may have come to the same recipe."""
    return job is not None and job.state == Job.DONE and not job.arguments.get("cut")


def _made_before(study: Study, stamp: str) -> list[Grouping]:
    """What was proposed for these measures so far."""
    found = Grouping.objects.filter(study=study, proposal__stamp=stamp, binned=False)
    return list(found.order_by("id"))


def _reached(row: Grouping) -> float | None:
    """The silhouette of as many groups of customers without any."""
    reached = row.verdict.reached(row.k) if row.verdict else float("nan")
    return None if math.isnan(reached) else reached


def _body(study: Study, made: MeasureSet, row: Grouping) -> GroupProposal:
    own = Grouping.objects.filter(study=study, made_from=row.made_from, binned=False)
    run = list(own.select_related("labels").order_by("k"))
    recipe, told = row.recipe, row.proposal or {}
    names = [n for n in (*recipe["numeric"], *recipe["categories"]) if n in made.sources]
    weights = recipe.get("weights", {})
    heavy = sorted(names, key=lambda n: -weights.get(n, 1.0))[:3] if weights else []
    return GroupProposal(
        kind=told["kind"], run=row.made_from, method=recipe["method"],
        columns=[made.about(n).label for n in names],
        heaviest=[made.about(n).label for n in heavy],
        candidate=next(c for c in candidate_rows(run) if c.id == row.pk),
        tried=[r.k for r in run], bound=_reached(row), reasons=told["reasons"],
        doubts=told["doubts"],
    )  # fmt: skip
