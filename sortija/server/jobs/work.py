"""Start, run, watch and end jobs.

Progress is written on an autocommit connection of its own, which also holds the job's advisory
lock: when the process dies the database drops the lock, and whoever looks sees that the job
no longer runs.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable
from typing import Any

import psycopg
from django.db import (
    IntegrityError,
    close_old_connections,
    connection,
    transaction,
)
from django.db.models import F
from django.utils import timezone
from procrastinate.contrib.django import app

from sortija.core.engine import ClusterError
from sortija.core.progress import Stopped
from sortija.server.hooks import Hooks
from sortija.server.jobs.models import Job
from sortija.server.jobs.passing import passing
from sortija.server.operations.logs import about

__all__ = [
    "TASK",
    "JobError",
    "Running",
    "again",
    "ask_cancel",
    "handles",
    "join",
    "open_jobs",
    "recover",
    "run",
    "start",
    "usual_seconds",
]

log = logging.getLogger(__name__)
#: What the queue calls the one task that does jobs (``jobs/tasks.py``).
TASK = "sortija.run_job"
_SECONDS_BETWEEN_WORDS = 0.25
#: A worker that took a job off the queue has begun it by then, or died.
_SECONDS_TO_BEGIN = 10
#: A job that loses the database, or what it reads, again and again is given up.
_MOST_ATTEMPTS = 5
_HANDLERS: Hooks[Callable[[Job, Running], None]] = Hooks("handlers of jobs")
_REPEATABLE: set[str] = set()
_FIRST: set[str] = set()


class JobError(Exception):
    """The work cannot be done; the message is for the person who asked for it."""


def handles(
    kind: str,
    repeatable: bool = False,
    first: bool = False,
) -> Callable[[Callable[[Job, Running], None]], Callable[[Job, Running], None]]:
    """Register the function that does one kind of job.

    ``repeatable``: :func:`again` may ask for it; ``first``: it passes everything that waits in its
    lane, so that whoever merely looks around holds nobody up.
    """

    def register(function: Callable[[Job, Running], None]) -> Callable[[Job, Running], None]:
        _HANDLERS.add(function, kind)
        if repeatable:
            _REPEATABLE.add(kind)
        if first:
            _FIRST.add(kind)
        return function

    return register


def start(
    study: int, kind: str, key: str, words: str, person: Any = None,
    arguments: dict[str, Any] | None = None, lane: str = "quick",
) -> Job:  # fmt: skip
    """A job for this work; an open one with the same key is joined, not doubled."""
    found = Job.objects.filter(study=study, kind=kind, key=key, state__in=Job.OPEN).first()
    if found:
        return found
    try:
        with transaction.atomic():
            job = Job.objects.create(
                study=study, kind=kind, key=key, words=words, arguments=arguments or {},
                lane=lane, person=person,
            )  # fmt: skip
            _queue(job, job.attempt)
            return job
    except IntegrityError:
        return Job.objects.get(study=study, kind=kind, key=key, state__in=Job.OPEN)


def _queue(job: Job, attempt: int) -> None:
    priority = int(job.kind in _FIRST)
    task = app.configure_task(TASK, queue=job.lane, priority=priority)
    task.defer(job=job.pk, attempt=attempt)


def join(
    study: int, kind: str, key: str, words: str, person: Any = None,
    arguments: dict[str, Any] | None = None,
) -> Job:  # fmt: skip
    """The job that makes what somebody merely looks at: the last one with this key, or a new one.

    What was stopped or failed is not begun again by a look, also when it ends just while somebody
    looks; ``again`` does that.
    """
    last = Job.objects.filter(study=study, kind=kind, key=key).order_by("id").last()
    if last is not None and last.state != Job.DONE:
        return last
    return start(study, kind, key, words, person, arguments)


def again(job: Job, person: Any = None) -> Job:
    """The same work once more, after it was stopped or failed; an open one is joined.

    Raises
    ------
    JobError
        This kind of work begins elsewhere (a file that failed is reviewed first).
    """
    if job.kind not in _REPEATABLE:
        raise JobError("This cannot be repeated here. Start it again where it was started.")
    return start(job.study, job.kind, job.key, job.words, person, job.arguments, job.lane)


def usual_seconds(study: int, kind: str) -> int | None:
    """How long this kind of work took here the last time; None while it was never done."""
    last = (
        Job.objects.filter(study=study, kind=kind, state=Job.DONE, started_at__isnull=False)
        .order_by("-id")
        .first()
    )
    if last is None or last.ended_at is None or last.started_at is None:
        return None
    return max(1, round((last.ended_at - last.started_at).total_seconds()))


def open_jobs(study: int, kinds: Iterable[str] | None = None) -> list[Job]:
    """The study's jobs that wait or run, oldest first."""
    rows = Job.objects.filter(study=study, state__in=Job.OPEN).order_by("id")
    return list(rows.filter(kind__in=list(kinds)) if kinds else rows)


def ask_cancel(job: Job) -> None:
    """Ask a job to stop; one that only waits ends at once."""
    Job.objects.filter(pk=job.pk, state=Job.WAITING).update(
        state=Job.CANCELLED, ended_at=timezone.now()
    )
    Job.objects.filter(pk=job.pk, state=Job.RUNNING).update(cancel_asked=True)


class Running:
    """A job while it runs: its lock, its progress, and whether it should stop."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self._spoke = 0.0
        parameters = connection.get_connection_params()
        parameters.pop("cursor_factory", None)
        parameters.pop("context", None)
        self._own = psycopg.connect(**parameters, autocommit=True)

    def lock(self) -> bool:
        """Take the advisory lock on (study, kind) without waiting."""
        row = self._own.execute(
            "SELECT pg_try_advisory_lock(hashtext(%s), %s)", [self.job.kind, self.job.study]
        ).fetchone()
        return bool(row and row[0])

    def hold(self) -> bool:
        """Take the lock of this very job: as long as it is held, somebody is at it."""
        row = self._own.execute(
            "SELECT pg_try_advisory_lock(hashtext('jobs.job'), %s)", [self.job.pk]
        ).fetchone()
        return bool(row and row[0])

    def begin(self) -> bool:
        """Mark this attempt as running; False when the job is no longer to be done."""
        row = self._own.execute(
            "UPDATE jobs_job SET state = 'running', started_at = coalesce(started_at, now()) "
            "WHERE id = %s AND attempt = %s AND state IN ('waiting', 'running') RETURNING id",
            [self.job.pk, self.job.attempt],
        ).fetchone()
        return row is not None

    def progress(self, stage: str, done: int, of: int) -> None:
        """Say how far the work is, at most four times a second; Stopped when asked to end."""
        now = time.monotonic()
        if now - self._spoke < _SECONDS_BETWEEN_WORDS:
            return
        self._spoke = now
        row = self._own.execute(
            "UPDATE jobs_job SET stage = %s, done = %s, of = %s "
            "WHERE id = %s AND attempt = %s RETURNING cancel_asked",
            [stage[:80], done, of, self.job.pk, self.job.attempt],
        ).fetchone()
        if row is None or row[0]:
            raise Stopped

    def kept_one(self) -> None:
        """Say that one more of the results is there: whoever watches looks at once."""
        self._own.execute(
            "UPDATE jobs_job SET kept = kept + 1 WHERE id = %s AND attempt = %s",
            [self.job.pk, self.job.attempt],
        )

    def end(self, state: str, error: str = "") -> None:
        """Write how it ended, if this attempt is still the one that counts."""
        self._own.execute(
            "UPDATE jobs_job SET state = %s, error = %s, ended_at = now() "
            "WHERE id = %s AND attempt = %s",
            [state, error, self.job.pk, self.job.attempt],
        )

    def close(self) -> None:
        self._own.close()


def run(job_id: int, attempt: int) -> None:
    """Do one job, or leave it to whoever has the lock."""
    close_old_connections()
    job = Job.objects.filter(pk=job_id, attempt=attempt, state__in=Job.OPEN).first()
    if job is None:
        return
    running = Running(job)
    told = about.set({"job": job.pk, "kind": job.kind, "study": job.study, "attempt": attempt})
    try:
        if not running.hold():
            return
        while not running.lock():
            # Another job of this kind works on this study; one at a time keeps numbering simple.
            if Job.objects.filter(pk=job_id, state=Job.CANCELLED).exists():
                return
            time.sleep(_SECONDS_BETWEEN_WORDS)
        if not running.begin():
            return
        log.info("job begins")
        _HANDLERS[job.kind](job, running)
        running.end(Job.DONE)
        log.info("job done")
    except Stopped:
        running.end(Job.CANCELLED)
    except (JobError, ClusterError) as problem:
        running.end(Job.FAILED, str(problem))
    except Exception as problem:
        if passing(problem) and attempt < _MOST_ATTEMPTS:
            # As if the process had died: whoever looks after the jobs queues it again.
            log.warning("job %s (%s) is to begin again: %r", job.pk, job.kind, problem)
            return
        log.exception("job %s (%s) failed", job.pk, job.kind)
        running.end(
            Job.FAILED,
            "Something went wrong that we did not foresee. Nothing was changed. "
            "Try again; the server's log says more.",
        )
    finally:
        about.reset(told)
        running.close()


def recover() -> int:
    """Queue again the jobs whose process died; returns how many.

    Whoever is at a job holds its lock. Where the lock is free and the queue has nothing to hand
    out for it, the process died: after it took the job off the queue, or while the job ran. A
    process that is only just about to take the lock finds another attempt and leaves the job.
    """
    again = 0
    for job in Job.objects.filter(state__in=Job.OPEN):
        if job.state == Job.WAITING and _queued(job):
            continue
        running = Running(job)
        try:
            if not running.hold():
                continue
            with transaction.atomic():
                changed = Job.objects.filter(
                    pk=job.pk, state=job.state, attempt=job.attempt
                ).update(state=Job.WAITING, attempt=F("attempt") + 1, stage="", done=0, of=0)
                if changed:
                    _queue(job, job.attempt + 1)
                    again += 1
        finally:
            running.close()
    return again


def _queued(job: Job) -> bool:
    """Whether the queue has this attempt to hand out, or handed it out just now."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT 1 FROM procrastinate_jobs j WHERE (j.args->>'job')::bigint = %s "
            "AND (j.args->>'attempt')::int = %s AND (j.status = 'todo' OR j.status = 'doing' "
            "AND EXISTS (SELECT 1 FROM procrastinate_events e WHERE e.job_id = j.id "
            "AND e.type = 'started' AND e.at > now() - make_interval(secs => %s))) LIMIT 1",
            [job.pk, job.attempt, _SECONDS_TO_BEGIN],
        )
        return cursor.fetchone() is not None
