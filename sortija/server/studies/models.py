"""Studies, who works on them, their settings and history, and columns of one value per customer."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from sortija.server.studies.tokens import LENGTH, new_token

__all__ = ["Column", "ColumnChunk", "HistoryEntry", "Membership", "Population", "Setting", "Study"]


class Study(models.Model):
    """One body of work on one business's customers.

    ``scale``: decimals of money; ``revision`` rises with every change anyone makes; ``token``
    names it in files and in what things were made from.
    """

    name = models.CharField(max_length=120)
    currency = models.CharField(max_length=8, default="£")
    scale = models.PositiveSmallIntegerField(default=2)
    zone = models.CharField(max_length=64, default="Europe/London")
    revision = models.PositiveBigIntegerField(default=1)
    made_at = models.DateTimeField(auto_now_add=True)
    binned_at = models.DateTimeField(null=True)
    token = models.CharField(max_length=LENGTH, default=new_token, editable=False)


class Membership(models.Model):
    """A person's role in a study: owners invite, analysts change, readers look."""

    ROLES = ("reader", "analyst", "owner")
    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="members")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships"
    )
    role = models.CharField(max_length=10, choices=[(r, r) for r in ROLES])
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "person"], name="one_role")]

    def at_least(self, role: str) -> bool:
        return self.ROLES.index(self.role) >= self.ROLES.index(role)


class Setting(models.Model):
    """One shared choice of a study, such as which rules are on."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="settings")
    key = models.CharField(max_length=80)
    value = models.JSONField()
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "key"], name="one_setting")]


class HistoryEntry(models.Model):
    """What somebody did, with enough to take it back."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="history")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    action = models.CharField(max_length=60)
    words = models.CharField(max_length=300)
    target = models.CharField(max_length=120)
    before: Any = models.JSONField(null=True)
    after: Any = models.JSONField(null=True)
    revision = models.PositiveIntegerField()
    at = models.DateTimeField(auto_now_add=True)
    undone_at = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["study", "person", "-id"])]


class Population(models.Model):
    """What a column has one value for. ``version`` rises when rows are added."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="populations")
    name = models.CharField(max_length=40, default="customers")
    version = models.PositiveIntegerField(default=1)
    size = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "name"], name="one_population")]


class Column(models.Model):
    """One value a row of a population, at one version of it, for one window or date.

    ``fingerprint`` says what a made column was made from. ``details``: levels of a category,
    definition, role in files. ``token`` names its file on each machine.
    """

    population = models.ForeignKey(Population, on_delete=models.CASCADE, related_name="columns")
    version = models.PositiveIntegerField()
    window = models.CharField(max_length=40, blank=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10)
    unit = models.CharField(max_length=30, blank=True)
    details = models.JSONField(default=dict)
    fingerprint = models.CharField(max_length=64)
    size = models.PositiveIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)
    token = models.CharField(max_length=LENGTH, default=new_token, editable=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["population", "window", "name", "fingerprint"], name="one_column"
            )
        ]


class ColumnChunk(models.Model):
    """65,536 little-endian values of a column (fewer in the last), and why some are missing."""

    column = models.ForeignKey(Column, on_delete=models.CASCADE, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()
    reasons = models.BinaryField(default=b"")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["column", "number"], name="one_chunk")]
