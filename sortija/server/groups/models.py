"""Groupings that were tried, the one adopted as a yardstick, and its segments."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.studies.models import Column, Study

__all__ = ["Grouping", "Segment", "Yardstick"]


class Grouping(models.Model):
    """The result of a recipe for one k. ``made_from`` covers recipe, data and version."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="groupings")
    made_from = models.CharField(max_length=64)
    k = models.PositiveSmallIntegerField()
    window = models.CharField(max_length=40)
    recipe = models.JSONField()
    preparation = models.JSONField()
    centres = models.JSONField()
    result = models.JSONField()
    labels = models.ForeignKey(Column, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "made_from", "k"], name="one_grouping")
        ]


class Yardstick(models.Model):
    """An adopted grouping, frozen: it can place any customer at any date.

    A decision, so it never goes out of date; ``decided_on`` tells on which ledger it was taken
    and ``rules`` which rules were on.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="yardsticks")
    grouping = models.ForeignKey(Grouping, on_delete=models.PROTECT, related_name="+")
    home = models.CharField(max_length=40)
    decided_on = models.CharField(max_length=64)
    rules = models.JSONField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    adopted_at = models.DateTimeField(auto_now_add=True)
    retired = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study"], condition=models.Q(retired=False), name="one_yardstick"
            )
        ]


class Segment(models.Model):
    """A group of the adopted grouping. ``number`` from 1, largest first; ``mark`` 0 to 11."""

    yardstick = models.ForeignKey(Yardstick, on_delete=models.CASCADE, related_name="segments")
    number = models.PositiveSmallIntegerField()
    mark = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=40)
    short = models.CharField(max_length=12, blank=True)
    proposals = models.JSONField(default=list)
    notes = models.TextField(blank=True)
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["yardstick", "number"], name="one_segment")]
        ordering = ["number"]
