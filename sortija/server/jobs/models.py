"""Long work: what it is, how far it is, how it ended."""

from __future__ import annotations

from django.conf import settings
from django.db import models

__all__ = ["Heartbeat", "Job"]


class Job(models.Model):
    """One piece of long work. ``key`` = kind + fingerprint: equal requests join one job.

    ``kept``: how many of its results are there already, while it runs.
    """

    WAITING, RUNNING, DONE, FAILED, CANCELLED = "waiting", "running", "done", "failed", "cancelled"
    OPEN = (WAITING, RUNNING)

    study = models.BigIntegerField(db_index=True)
    kind = models.CharField(max_length=40)
    key = models.CharField(max_length=64)
    lane = models.CharField(max_length=10, default="quick")
    words = models.CharField(max_length=200)
    arguments = models.JSONField(default=dict)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    state = models.CharField(max_length=10, default=WAITING)
    stage = models.CharField(max_length=80, blank=True)
    done = models.BigIntegerField(default=0)
    of = models.BigIntegerField(default=0)
    kept = models.PositiveIntegerField(default=0)
    error = models.TextField(blank=True)
    attempt = models.PositiveIntegerField(default=1)
    cancel_asked = models.BooleanField(default=False)
    asked_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study", "kind", "key"],
                condition=models.Q(state__in=("waiting", "running")),
                name="one_open_job",
            )
        ]


class Heartbeat(models.Model):
    """When the worker of a lane last gave a sign of life."""

    lane = models.CharField(max_length=10, unique=True)
    at = models.DateTimeField()
