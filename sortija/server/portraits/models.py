"""What Portraits keeps: the books. Sheets are made, names belong to the segments."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.server.groups.models import Yardstick

__all__ = ["Book"]


class Book(models.Model):
    """The book of a yardstick's segments. ``content``: see ``portraits.book.content``;
    ``window``: the one whose figures it was written from."""

    yardstick = models.OneToOneField(Yardstick, on_delete=models.CASCADE, related_name="book")
    content = models.JSONField()
    window = models.CharField(max_length=40)
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    written_at = models.DateTimeField()
    revision = models.PositiveIntegerField(default=1)
