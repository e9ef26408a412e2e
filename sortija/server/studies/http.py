"""What every view of a study shares: who asks, for which study and window, and how it answers."""

from __future__ import annotations

from typing import Any, Literal, TypeVar

from drf_spectacular.utils import OpenApiParameter
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response

from sortija.server.jobs.models import Job
from sortija.server.jobs.work import usual_seconds
from sortija.server.studies.numbers import whole_number
from sortija.server.studies.problems import Problem

__all__ = [
    "REVISION",
    "WINDOW",
    "JobRow",
    "Status",
    "body",
    "expected_revision",
    "job_row",
    "reply",
    "waiting_for",
]

Model = TypeVar("Model", bound=BaseModel)

#: What a view that speaks of a window (and a lens) takes in its address.
WINDOW = [
    OpenApiParameter("to", str, description="last day included, as 2026-06-30"),
    OpenApiParameter("back", str, description="months to look back, or all"),
    OpenApiParameter("lens", str, description="digest of a lens"),
]
#: What a change of something that has a revision takes; see :func:`expected_revision`.
REVISION = OpenApiParameter(
    "If-Match", str, OpenApiParameter.HEADER, description='the revision that was seen, as "7"'
)


class JobRow(BaseModel):
    """A job as every screen shows it.

    ``kept``: results that are there already; ``seconds_left`` once it can be told.
    """

    id: int
    kind: str
    words: str
    state: str
    stage: str
    done: int
    of: int
    kept: int
    seconds_left: int | None
    error: str


class Status(BaseModel):
    """How a station stands.

    ``words``: what is missing, went wrong, or changed since what stands there was made. ``job``:
    the work that brings it up to date, or broke off; it can be asked for ``again`` when it no
    longer runs. ``seconds``: how long that took the last time.
    """

    state: Literal["empty", "working", "whole", "out of date", "failed"]
    words: str = ""
    job: JobRow | None = None
    seconds: int | None = None


def job_row(job: Job) -> JobRow:
    """A job for the wire, its time to go reckoned from how far it has come."""
    from django.utils import timezone

    left = None
    if job.state == Job.RUNNING and job.started_at and job.done and job.of > job.done:
        so_far = (timezone.now() - job.started_at).total_seconds()
        left = max(1, round(so_far * (job.of - job.done) / job.done))
    return JobRow(
        id=job.pk, kind=job.kind, words=job.words, state=job.state, stage=job.stage,
        done=job.done, of=job.of, kept=job.kept, seconds_left=left, error=job.error,
    )  # fmt: skip


def waiting_for(job: Job, since: str = "") -> Status:
    """The status of a station whose figures per job makes, or broke off making.

    ``since``: what changed since the figures that are shown meanwhile; empty when there are none.
    """
    row, seconds = job_row(job), usual_seconds(job.study, job.kind)
    if job.state == Job.FAILED:
        behind = f" The figures below are from {since}." if since else ""
        return Status(state="failed", words=job.error + behind, job=row, seconds=seconds)
    if since or job.state == Job.CANCELLED:
        words = f"From {since}." if since else "Stopped before there was anything to show."
        return Status(state="out of date", words=words, job=row, seconds=seconds)
    return Status(state="working", words=job.words, job=row, seconds=seconds)


def reply(model: BaseModel, status: int = 200) -> Response:
    """A payload as JSON; NaN is null."""
    return Response(model.model_dump(mode="json"), status=status)


def body(request: Request, model: type[Model]) -> Model:
    """The request's body as a payload; what does not fit becomes a 400 that names the place."""
    data: Any = request.data
    return model.model_validate(data)


def expected_revision(request: Request) -> int:
    """The revision in If-Match: the writer's word for what was seen before it was changed.

    Raises
    ------
    Problem
        428: there is none. 400: it is no single revision in quotes; ``*``, a weak one and a list
        would let a change that somebody else made meanwhile be lost.
    """
    given = request.headers.get("If-Match", "").strip()
    if not given:
        raise Problem(
            'Say which revision you saw, as If-Match: "7", so that no change of somebody else '
            "is lost. Look again for it.",
            428,
        )
    revision = whole_number(given[1:-1] if given[0] == given[-1] == '"' else given)
    if revision is None:
        raise Problem('Send the revision that you saw, as If-Match: "7". Look again for it.')
    return revision
