"""The one task that the queue knows: do a job."""

from __future__ import annotations

from procrastinate.contrib.django import app

from sortija.server.jobs import work

__all__ = ["run_job"]


@app.task(name="sortija.run_job", pass_context=False)
def run_job(job: int, attempt: int) -> None:
    """Do the job with this number, if this attempt is still the one that counts."""
    work.run(job, attempt)
