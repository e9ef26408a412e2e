"""Watches: rules about crossings that are read again at every new date."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.groups.models import Yardstick
from sortija.server.studies.models import Study

__all__ = ["Watch", "WatchReading"]


class Watch(models.Model):
    """What is watched (``core`` of it in ``about``, see ``watches.watched.Watched``), and when it
    fires. States are the ones of ``yardstick``; groups adopted later have others.

    ``back``: how many months its windows look back; ``number``: null where chance is the measure.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="watches")
    yardstick = models.ForeignKey(Yardstick, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=120)
    about = models.JSONField()
    back = models.CharField(max_length=10)
    rule = models.CharField(max_length=13)
    number = models.PositiveIntegerField(null=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    revision = models.PositiveIntegerField(default=1)
    dropped = models.BooleanField(default=False)


class WatchReading(models.Model):
    """A watch as it was read at one date.

    ``customers``: whom it was about; ``seen``: those of them of whom chance can be told, ``low``
    and ``high``: how many chance would make; ``words``: why nothing could be read; ``made_from``:
    the columns, the rule and the number that it was read by.
    """

    watch = models.ForeignKey(Watch, on_delete=models.CASCADE, related_name="readings")
    to = models.DateField()
    customers = models.PositiveIntegerField(null=True)
    seen = models.PositiveIntegerField(null=True)
    low = models.FloatField(null=True)
    high = models.FloatField(null=True)
    fired = models.BooleanField(default=False)
    words = models.CharField(max_length=300, blank=True)
    made_from = models.CharField(max_length=64)
    read_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["watch", "to"], name="one_reading_a_date")
        ]  # fmt: skip
