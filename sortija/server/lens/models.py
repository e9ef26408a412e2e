"""Lenses: lists of clauses, stored by the hash of their canonical form."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.studies.models import Column, Study

__all__ = ["DockCharts", "Export", "KeptLens", "Lens"]


class Lens(models.Model):
    """Clauses under their hash, which stands in the address of a page."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="lenses")
    digest = models.CharField(max_length=16)
    clauses = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "digest"], name="one_lens")]


class KeptLens(models.Model):
    """A lens under a name: a rule is counted afresh, a list (with ``members``) is fixed."""

    RULE, LIST = "rule", "list"

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="kept_lenses")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=4)
    clauses = models.JSONField()
    window = models.CharField(max_length=40)
    members = models.ForeignKey(Column, null=True, on_delete=models.PROTECT)
    customers = models.IntegerField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    kept_at = models.DateTimeField(auto_now_add=True)
    revision = models.PositiveIntegerField(default=1)
    dropped = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study", "name"], condition=models.Q(dropped=False), name="one_lens_a_name"
            )
        ]


class DockCharts(models.Model):
    """Fields that a person wants to see beside every station of a study, in their order."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="dock_charts")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    fields = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "person"], name="one_dock")]


class Export(models.Model):
    """A list that somebody asked to have as a file; ``file`` is empty until it is there.

    ``what``: of what it is a list, which its file is called by; ``asked``: what it is made from,
    such as clauses, fields, order and window; ``rows``: how many it has.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="exports")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    kind = models.CharField(max_length=8)
    asked = models.JSONField()
    rows = models.PositiveIntegerField(default=0)
    what = models.CharField(max_length=12, default="customers")
    file = models.CharField(max_length=80, blank=True)
    size = models.PositiveBigIntegerField(default=0)
    job = models.PositiveBigIntegerField(null=True)
    asked_at = models.DateTimeField(auto_now_add=True)
