"""Campaigns: the plan, what was drawn, how far it is."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.groups.models import Yardstick
from sortija.server.studies.models import Column, Study

__all__ = ["Campaign", "StandingControl"]


def _drawn() -> models.ForeignKey[Column | None, Column | None]:
    return models.ForeignKey(Column, null=True, on_delete=models.RESTRICT, related_name="+")


class Campaign(models.Model):
    """A plan for some customers. Drawn, its audience is decided and never goes out of date.

    ``arms``, ``strata``, ``segments``, ``versions``: the draw, a value per customer;
    ``yardstick``: the one that its segments are of. ``offer``: what is offered, as attributes of
    past offers; ``expected``: its take-up as it was told on the day of the draw. ``costs``: in the
    study's money;
    ``rest_days``: whoever was written to in so many days before is left in peace; ``shares``: of
    the versions, none for one alone.
    """

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
    offer = models.JSONField(default=dict)
    expected = models.JSONField(default=dict)
    costs = models.JSONField(default=dict)
    rest_days = models.PositiveSmallIntegerField(default=0)
    shares = models.JSONField(default=list)
    arms = _drawn()
    strata = _drawn()
    segments = _drawn()
    versions = _drawn()
    yardstick = models.ForeignKey(Yardstick, null=True, on_delete=models.RESTRICT, related_name="+")
    decided_on = models.CharField(max_length=64, blank=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    drawn_at = models.DateTimeField(null=True)
    handed_at = models.DateTimeField(null=True)
    dropped = models.BooleanField(default=False)
    revision = models.PositiveIntegerField(default=1)

    @property
    def brought_in(self) -> bool:
        """Whether it was drawn and sent from elsewhere; draws of our own have a seed above 0."""
        return self.seed == 0


class StandingControl(models.Model):
    """Customers who are never written to; ``column``: 2 for each of them, 1 for all others, 0 for
    who was not there yet."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="standing_controls")
    share = models.FloatField()
    column = models.ForeignKey(Column, on_delete=models.RESTRICT, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    ended = models.BooleanField(default=False)
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study"], condition=models.Q(ended=False), name="one_standing_control"
            )
        ]
