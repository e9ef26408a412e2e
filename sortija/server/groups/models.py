"""Groupings that were tried, the one adopted as a yardstick, and its segments."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.db import models

from sortija.core.groups.verdict import Verdict
from sortija.server.groups.runs.result import GroupingResult
from sortija.server.studies.models import Column, Study

__all__ = ["Grouping", "MergeTree", "Segment", "Yardstick"]


class Grouping(models.Model):
    """The result of a recipe for one k. ``made_from`` covers recipe, data and version.

    ``kin``: the columns and their preparation, without method and seed: only among groupings of
    one kin can costs be compared. ``proposal``: kind, reasons and doubts where it was proposed.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="groupings")
    made_from = models.CharField(max_length=64)
    k = models.PositiveSmallIntegerField()
    window = models.CharField(max_length=40)
    recipe = models.JSONField()
    preparation = models.JSONField()
    centres = models.JSONField()
    result = models.JSONField()
    labels = models.ForeignKey(Column, on_delete=models.PROTECT, related_name="+")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    made_at = models.DateTimeField(auto_now_add=True)
    seconds = models.FloatField(default=0.0)
    kin = models.CharField(max_length=64, default="")
    starred = models.BooleanField(default=False)
    note = models.CharField(max_length=300, default="", blank=True)
    revision = models.PositiveIntegerField(default=1)
    binned = models.BooleanField(default=False)
    proposal = models.JSONField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "made_from", "k"], name="one_grouping")
        ]

    @property
    def verdict(self) -> Verdict | None:
        """Whether its run stands out against tables without groups; None until that is known."""
        told = self.outcome.verdict
        return Verdict.from_json(told) if told else None

    @property
    def outcome(self) -> GroupingResult:
        """Its sizes, and how well it holds."""
        return GroupingResult.model_validate(self.result)

    def add_to_outcome(self, add: Callable[[GroupingResult], None]) -> None:
        """Store what was found out since."""
        outcome = self.outcome
        add(outcome)
        self.result = outcome.model_dump()
        self.save(update_fields=["result"])


class MergeTree(models.Model):
    """Who joined whom, summarised to the topmost merges, for one linkage of a recipe."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="merge_trees")
    made_from = models.CharField(max_length=64)
    linkage = models.CharField(max_length=10)
    tree = models.JSONField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "made_from", "linkage"], name="one_tree")
        ]


class Yardstick(models.Model):
    """An adopted grouping or a kept ladder, frozen: it can place any customer at any date.

    A decision, so it never goes out of date; ``decided_on`` tells on which ledger it was taken
    and ``rules`` which rules were on. ``vanished``: names of the segments of the yardstick before
    that no new segment carries on.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="yardsticks")
    grouping = models.ForeignKey(
        Grouping, null=True, on_delete=models.PROTECT, related_name="yardsticks"
    )
    ladder = models.JSONField(null=True)
    k = models.PositiveSmallIntegerField()
    vanished = models.JSONField(default=list)
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
            ),
            models.CheckConstraint(
                condition=models.Q(grouping__isnull=True) ^ models.Q(ladder__isnull=True),
                name="grouping_or_ladder",
            ),
        ]


class Segment(models.Model):
    """A group of the yardstick. ``number`` from 1, largest or best first; ``mark``: see
    ``core.portraits.marks``; ``owner``: who looks after it.

    ``carried``: the segment of the yardstick before whose identity it has, and what share of both
    their customers they have in common.
    """

    yardstick = models.ForeignKey(Yardstick, on_delete=models.CASCADE, related_name="segments")
    number = models.PositiveSmallIntegerField()
    mark = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=40)
    short = models.CharField(max_length=12, blank=True)
    proposals = models.JSONField(default=list)
    notes = models.TextField(blank=True)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    revision = models.PositiveIntegerField(default=1)
    carried = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    carried_share = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["yardstick", "number"], name="one_segment")]
        ordering = ["number"]
