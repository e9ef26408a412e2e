"""Campaigns: plan, drawn arms, the list handed over."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.studies.models import Study

__all__ = ["Campaign", "Member"]


class Campaign(models.Model):
    """A plan for some customers. Drawn, its audience is decided and never goes out of date."""

    DRAFT, DRAWN, HANDED = "draft", "drawn", "handed over"

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="campaigns")
    name = models.CharField(max_length=80)
    clauses = models.JSONField(default=list)
    window = models.CharField(max_length=40)
    send_on = models.DateField()
    read_on = models.DateField()
    holdout = models.FloatField(default=0.2)
    seed = models.PositiveIntegerField(default=1)
    state = models.CharField(max_length=12, default=DRAFT)
    fell_away = models.JSONField(default=dict)
    decided_on = models.CharField(max_length=64, blank=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    drawn_at = models.DateTimeField(null=True)
    handed_at = models.DateTimeField(null=True)
    dropped = models.BooleanField(default=False)
    revision = models.PositiveIntegerField(default=1)


class Member(models.Model):
    """One customer of a drawn audience, with the card of that day."""

    pk = models.CompositePrimaryKey("campaign_id", "customer")
    # Without a constraint: the database would look up the campaign of every row when it commits.
    campaign = models.ForeignKey(
        Campaign, on_delete=models.CASCADE, related_name="members", db_constraint=False
    )
    customer = models.IntegerField()
    card = models.IntegerField()
    held = models.SmallIntegerField()
    stratum = models.BigIntegerField()
    segment = models.SmallIntegerField()
