"""The one task that the queue knows: do a job."""

from __future__ import annotations

import threading

from django.db import InterfaceError, OperationalError, connection
from procrastinate.contrib.django import app

from sortija.core.engine import memory
from sortija.server.jobs import work
from sortija.server.jobs.models import Job

__all__ = ["run_job"]


@app.task(name=work.TASK, pass_context=False)
def run_job(job: int, attempt: int) -> None:
    """Do the job with this number, if this attempt is still the one that counts.

    The next one works in the memory of this one; where none waits, the system has it back.
    """
    try:
        work.run(job, attempt)
        if not _more_wait(job):
            memory.give_back()
    finally:
        if threading.current_thread() is not threading.main_thread():
            connection.close()  # a worker's thread may not come back to use it


def _more_wait(job: int) -> bool:
    """Whether the worker of this job's lane has another one before it."""
    lane = Job.objects.filter(pk=job).values("lane")
    try:
        return Job.objects.filter(state=Job.WAITING, lane__in=lane).exists()
    except (OperationalError, InterfaceError):
        return False
