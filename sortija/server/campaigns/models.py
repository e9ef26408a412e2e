"""Campaigns: the plan, what was drawn, how far it is."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from sortija.server.groups.models import Yardstick
from sortija.server.studies.models import Column, Study

__all__ = ["Block", "Campaign", "ContactEvent", "DeliveryService", "Departure", "StandingControl"]


def _drawn() -> models.ForeignKey[Column | None, Column | None]:
    return models.ForeignKey(Column, null=True, on_delete=models.RESTRICT, related_name="+")


class Campaign(models.Model):
    """A plan for some customers. Drawn, its audience is decided and never goes out of date.

    ``arms``, ``strata``, ``segments``, ``versions``: the draw, a value per customer;
    ``yardstick``: the one that its segments are of. ``offer``: what is offered, as attributes of
    past offers; ``expected``: its take-up as it was told on the day of the draw; ``proof``: who
    came unasked and what a purchase came to, as told then. ``costs``: in the study's money;
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
    proof = models.JSONField(default=dict)
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
    who was not there yet. ``since``: the study's own day of the draw."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="standing_controls")
    share = models.FloatField()
    column = models.ForeignKey(Column, on_delete=models.RESTRICT, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    since = models.DateField(null=True)
    ended = models.BooleanField(default=False)
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study"], condition=models.Q(ended=False), name="one_standing_control"
            )
        ]


class DeliveryService(models.Model):
    """Who delivers a study's letters, by HTTP.

    ``token``: what it knows us by; ``secret``: what it signs its answers with; ``wait_minutes``:
    how long what leaves waits in the outbox.
    """

    study = models.OneToOneField(Study, on_delete=models.CASCADE, related_name="delivery_service")
    url = models.URLField(max_length=300)
    token = models.CharField(max_length=200, blank=True)
    secret = models.CharField(max_length=100)
    wait_minutes = models.PositiveSmallIntegerField(default=10)
    revision = models.PositiveIntegerField(default=1)


class Departure(models.Model):
    """A list on its way out, or gone: as a file, or to the delivery service.

    ``columns``: what each row has beside the customer; ``total``: rows; ``sent``: of them, those
    that have left; ``refused``: not taken by the service; ``passed_over``: opted out since the
    draw, so that they were not written to; ``trouble``: why the rest has not left.
    """

    FILE, SERVICE = "file", "service"
    WAITING, GOING, STOPPED, GONE = "waiting", "going", "stopped", "gone"

    campaign = models.ForeignKey(Campaign, on_delete=models.CASCADE, related_name="departures")
    way = models.CharField(max_length=8)
    state = models.CharField(max_length=8, default=WAITING)
    columns = models.JSONField(default=list)
    goes_at = models.DateTimeField(null=True)
    total = models.PositiveIntegerField(default=0)
    sent = models.PositiveIntegerField(default=0)
    refused = models.PositiveIntegerField(default=0)
    passed_over = models.PositiveIntegerField(default=0)
    trouble = models.TextField(blank=True)
    job = models.BigIntegerField(null=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    revision = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["campaign"], condition=models.Q(way="service"), name="delivered_once"
            )
        ]


class Block(models.Model):
    """Rows that leave together, exactly as they left, and never change after.

    ``rows``: a list each, the customer's number first, then a text for every column;
    ``first``, ``last``: the smallest and largest number; ``key``: by which the service knows the
    block when it comes twice; ``refused``: pairs of customer and why.
    """

    departure = models.ForeignKey(Departure, on_delete=models.CASCADE, related_name="blocks")
    number = models.PositiveIntegerField()
    first = models.PositiveIntegerField()
    last = models.PositiveIntegerField()
    rows = models.JSONField()
    key = models.UUIDField(default=uuid.uuid4, unique=True)
    sent_at = models.DateTimeField(null=True)
    refused = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["departure", "number"], name="one_block_number")
        ]


class ContactEvent(models.Model):
    """What became of a letter: the first time of its kind that was told of this customer."""

    DELIVERED, BOUNCED, OPENED, CLICKED, REPLIED, OPTED_OUT = (
        "delivered", "bounced", "opened", "clicked", "replied", "opted out",
    )  # fmt: skip
    KINDS = (DELIVERED, BOUNCED, OPENED, CLICKED, REPLIED, OPTED_OUT)

    campaign = models.ForeignKey(Campaign, on_delete=models.CASCADE, related_name="contact_events")
    customer = models.PositiveIntegerField()
    kind = models.CharField(max_length=10)
    at = models.DateTimeField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["campaign", "kind", "customer"], name="told_once_of_a_kind"
            )
        ]
